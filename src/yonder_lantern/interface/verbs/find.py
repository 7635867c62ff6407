"""``yonder find``."""

from __future__ import annotations

import json

import click

from ..options import caller_options, desk_options, example, open_desk
from ..showing import hit_as_json, show_findings


@click.command(
    "find",
    epilog=example('yonder find "What does a visiting yacht pay?" --why --limit 3'),
)
@click.argument("question")
@click.option("--limit", type=int, metavar="N", help="How many at most.  [default: find.limit]")
@click.option("--why", is_flag=True, help="Account for each rank: stages, scores and terms.")
@caller_options
@desk_options
def command(
    question: str,
    limit: int | None,
    why: bool,
    audience: tuple[str, ...],
    as_of: str | None,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """The passages found for QUESTION, best first. Exit status 1 when there are none."""
    desk = open_desk(folder, overrides)
    findings = desk.search(question, limit=limit, audience=audience or None, as_of=as_of)
    if as_json:
        shown = {
            "question": question,
            "terms": dict(findings.terms),
            "known": dict(findings.known),
            "hits": [hit_as_json(hit) for hit in findings.hits],
            "milliseconds": dict(findings.times),
        }
        click.echo(json.dumps(shown, ensure_ascii=False))
        return 0 if findings.hits else 1
    show_findings(findings, why=why)
    return 0 if findings.hits else 1
