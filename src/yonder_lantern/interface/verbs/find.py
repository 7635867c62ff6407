"""``yonder find``."""

from __future__ import annotations

import json
import textwrap

import click

from ..options import caller_options, desk_options, example, open_desk
from ..showing import counted, faint, hit_as_json, show_hit, width


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
    if why:
        words = ", ".join(
            f"{term} (in {counted(findings.known[term], 'passage')}, weight {weight:.2f})"
            for term, weight in findings.terms.items()
        )
        sought = f"Looked for: {words or 'nothing: the question holds no word to look for'}"
        click.echo(faint(textwrap.fill(sought, width())))
        click.echo()
    for hit in findings.hits:
        show_hit(hit, why=why)
    if not findings.hits:
        click.echo("Nothing found.")
        return 1
    whole = sum(findings.times.values())
    searched = counted(findings.passages, "passage")
    click.echo(faint(f"{counted(len(findings.hits), 'hit')} among {searched} · {whole:.0f} ms"))
    return 0
