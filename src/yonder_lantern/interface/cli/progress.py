"""Progress bars on a terminal."""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from ...core import Progress, no_progress
from ...text import one_line
from .terminal import AMBER, SEA

_MARK = re.compile(r"\[\d+\]")
_ITEM = re.compile(r"[ \t]*(?:[-*+]|\(?\w{1,4}[.)]) ")
_RULE = re.compile(r"\|?(?: ?-{3} ?\|?)+")
_EMPHASIS = re.compile(r"(\*{1,2}|_{1,2})(?=\S)([^*_]+?)(?<=\S)\1(?!\w)")
_INDENTED: Any = {"initial_indent": "   ", "subsequent_indent": "     "}
_WITHDRAWN = 4
_LINES = 12
_LINES_WITH_WHY = 5


@contextmanager
def progress_shown() -> Iterator[Progress]:
    """A progress bar on a terminal, nothing in a pipe."""
    if not sys.stderr.isatty():
        yield no_progress
        return
    from rich.console import Console
    from rich.progress import BarColumn, TextColumn
    from rich.progress import Progress as Bars

    sea, amber = ("#{:02x}{:02x}{:02x}".format(*colour) for colour in (SEA, AMBER))
    columns = (
        TextColumn("{task.description}", markup=False),
        BarColumn(complete_style=amber, finished_style=sea, pulse_style=amber),
        TextColumn("{task.fields[reached]}"),
    )
    with Bars(*columns, console=Console(stderr=True), transient=True) as bars:
        tasks: dict[str, Any] = {}

        def show(step: str, done: int, total: int | None) -> None:
            if step not in tasks:
                tasks[step] = bars.add_task(one_line(step), total=total, reached="")
            reached = f"{done} of {total}" if total else ""
            bars.update(tasks[step], completed=done, total=total, reached=reached)

        yield show
