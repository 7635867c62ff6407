"""Options that several verbs share."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click

from ..desk import Desk
from ..settings import parse_override

Command = TypeVar("Command", bound=Callable[..., Any])


def desk_options(command: Command) -> Command:
    """``--desk``, ``--set``, ``--json`` and ``--debug``."""
    for option in (
        click.option("--debug", is_flag=True, help="Show where an error came from."),
        click.option("--json", "as_json", is_flag=True, help="Print JSON, for programs."),
        click.option(
            "--set",
            "overrides",
            multiple=True,
            metavar="KEY=VALUE",
            help="Override a setting, e.g. find.limit=5. May be repeated.",
        ),
        click.option(
            "--desk",
            "folder",
            default=".",
            metavar="DIR",
            help="The desk's folder, which holds yonder.toml.  [default: this folder]",
        ),
    ):
        command = option(command)
    return command


def caller_options(command: Command) -> Command:
    """``--audience`` and ``--as-of``."""
    for option in (
        click.option(
            "--as-of",
            metavar="DATE",
            help="Only what was valid then, e.g. 2025-07-01.  [default: now]",
        ),
        click.option(
            "--audience",
            multiple=True,
            metavar="LABEL",
            help="See as a caller with this label would. May be repeated.  [default: see all]",
        ),
    ):
        command = option(command)
    return command


def open_desk(folder: str, overrides: tuple[str, ...]) -> Desk:
    """The desk a verb works on."""
    return Desk.open(folder, settings=dict(parse_override(text) for text in overrides))


def example(text: str) -> str:
    """An epilog that keeps its line breaks."""
    return "\b\nExample:\n" + "\n".join(f"  {line}" for line in text.splitlines())
