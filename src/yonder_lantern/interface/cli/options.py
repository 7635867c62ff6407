"""Options that several verbs share."""

from __future__ import annotations

import functools
import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar, cast

import click

from ...core import CallError, OnlyWay, QueryParts
from ...desk import Desk
from ...settings import parse_override
from .terminal import echo

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
            help="Use only what was valid on this date, e.g. 2025-07-01.  [default: now]",
        ),
        click.option(
            "--audience",
            multiple=True,
            metavar="LABEL",
            help="See only what this label may see. May be repeated.  [default: everything]",
        ),
    ):
        command = option(command)
    return command


def query_options(command: Command) -> Command:
    """What shapes a question, handed on as one value, ``parts``.

    ``--way``, ``--where``, ``--earlier``, ``--image``, ``--value``, ``--timeout``, ``--audience``
    and ``--as-of``: the same for every verb that takes a question.
    """

    @functools.wraps(command)
    def with_parts(
        *arguments: Any,
        way: OnlyWay,
        where: str,
        earlier: tuple[str, ...],
        image: str | None,
        audience: tuple[str, ...],
        as_of: str | None,
        values: tuple[str, ...],
        timeout: float | None,
        **options: Any,
    ) -> Any:
        parts = QueryParts(
            way=way,
            where=where,
            earlier=earlier,
            image=image,
            audience=audience or None,
            as_of=as_of,
            values=dict(_named_value(text) for text in values),
            timeout=timeout,
        )
        return command(*arguments, parts=parts, **options)

    whole: Any = caller_options(with_parts)
    for option in (
        click.option(
            "--timeout",
            type=click.FloatRange(min=0, min_open=True),
            metavar="SECONDS",
            help="Give up after this long.  [default: no limit]",
        ),
        click.option(
            "--value",
            "values",
            multiple=True,
            metavar="NAME=TEXT",
            help="Set a prompt variable, overriding answer.values. May be repeated.",
        ),
        click.option(
            "--image",
            metavar="FILE",
            help="Also search for what this image shows, as gather.image_service describes it.",
        ),
        click.option(
            "--earlier",
            multiple=True,
            metavar="QUESTION",
            help="An earlier question that this one may refer to. May be repeated.",
        ),
        click.option(
            "--way",
            type=click.Choice(["any", "replies", "documents"]),
            default="any",
            show_default=True,
            help="Try the fixed replies alone, or the documents alone.",
        ),
        click.option(
            "--where",
            metavar="CONDITION",
            default="",
            help='Filter on metadata, e.g. "year >= 2025".',
        ),
    ):
        whole = option(whole)
    return cast(Command, whole)


def _named_value(text: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not equals:
        raise CallError(f"not a value: {text!r}", "--value", "write it as NAME=TEXT")
    return name.strip(), value


questions_option = click.option(
    "--questions", metavar="FILE", help="A question set.  [default: grade.questions]"
)
split_option = click.option(
    "--split", type=click.Choice(["fit", "test"]), help="Ask only the questions of this split."
)


@contextmanager
def until_interrupted(what: str = "the document") -> Iterator[threading.Event]:
    """A signal that the first Ctrl-C sets; the second interrupts at once."""
    asked = threading.Event()

    def ask(*_: object) -> None:
        if asked.is_set():
            raise KeyboardInterrupt
        asked.set()
        echo(f"Ending after {what} at hand; Ctrl-C again to end at once.", err=True)

    before = signal.signal(signal.SIGINT, ask)
    try:
        yield asked
    finally:
        signal.signal(signal.SIGINT, before)


def open_desk(folder: str, overrides: tuple[str, ...]) -> Desk:
    """The desk a verb works on."""
    return Desk.open(folder, settings=dict(parse_override(text) for text in overrides))


def example(text: str) -> str:
    """An epilog that keeps its line breaks."""
    return "\b\nExample:\n" + "\n".join(f"  {line}" for line in text.splitlines())
