"""``yonder ask``."""

from __future__ import annotations

import json

import click

from ..options import caller_options, desk_options, example, open_desk
from ..showing import answer_as_json, show_answer


@click.command(
    "ask",
    epilog=example('yonder ask "How do I report a near miss?" --audience public'),
)
@click.argument("question")
@click.option(
    "--limit", type=int, metavar="N", help="How many passages to read.  [default: find.limit]"
)
@caller_options
@desk_options
def command(
    question: str,
    limit: int | None,
    audience: tuple[str, ...],
    as_of: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """One grounded, cited answer to QUESTION. Exit status 1 when it is declined."""
    desk = open_desk(folder, overrides)
    answer = desk.ask(question, limit=limit, audience=audience or None, as_of=as_of)
    if as_json:
        click.echo(json.dumps(answer_as_json(answer), ensure_ascii=False))
    else:
        show_answer(answer)
    return 1 if answer.declined else 0
