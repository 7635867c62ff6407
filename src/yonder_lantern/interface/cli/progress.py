"""How far long work has come: bars on a terminal, now and then a line in a pipe."""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from ...core import Progress
from ...text import one_line
from .terminal import AMBER, SEA

_EVERY = 30.0  # seconds between two lines in a pipe
_LONGEST_NAME = 40


@contextmanager
def progress_shown() -> Iterator[Progress]:
    """Bars on a terminal; elsewhere a line on standard error every half minute."""
    if not sys.stderr.isatty():
        yield _Lines()
        return
    from rich.console import Console
    from rich.progress import BarColumn, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bars

    sea, amber = ("#{:02x}{:02x}{:02x}".format(*colour) for colour in (SEA, AMBER))
    columns = (
        TextColumn("{task.description}", markup=False),
        BarColumn(complete_style=amber, finished_style=sea, pulse_style=amber),
        TextColumn("{task.fields[reached]}"),
        TimeRemainingColumn(compact=True),
        TextColumn("{task.fields[item]}", markup=False),
    )
    with Bars(*columns, console=Console(stderr=True), transient=True) as bars:
        tasks: dict[str, Any] = {}

        def show(step: str, done: int, total: int | None, item: str = "") -> None:
            if step not in tasks:
                tasks[step] = bars.add_task(one_line(step), total=total, reached="", item="")
            reached = f"{done} of {total}" if total else ""
            bars.update(
                tasks[step], completed=done, total=total, reached=reached, item=_short(item)
            )

        yield show


class _Lines:
    """Says on standard error how far work has come, twice a minute."""

    def __init__(self) -> None:
        self._told = time.monotonic()

    def __call__(self, step: str, done: int, total: int | None, item: str = "") -> None:
        if time.monotonic() - self._told < _EVERY:
            return
        self._told = time.monotonic()
        of = f": {done} of {total}" if total else ""
        at = f", {_short(item)}" if item else ""
        print(f"{one_line(step)}{of}{at}", file=sys.stderr, flush=True)


def _short(name: str) -> str:
    """The end of a long name, which tells most."""
    name = one_line(name)
    return name if len(name) <= _LONGEST_NAME else f"…{name[1 - _LONGEST_NAME :]}"
