"""``yonder trace``."""

from __future__ import annotations

import itertools
import json
from typing import Any

import click

from ..options import desk_options, example, open_desk
from ..showing import AMBER, SEA, answer_text, faint


@click.command("trace", epilog=example("yonder trace --last"))
@click.argument("trace_id", metavar="[ID]", required=False)
@click.option("--last", is_flag=True, help="Show the latest one.")
@desk_options
def command(
    trace_id: str | None,
    last: bool,
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """The record of a question that was asked: searched, found, answered, timed.

    Without ID or --last, the twenty latest are listed.
    """
    traces = open_desk(folder, overrides).traces
    if trace_id or last:
        found = traces.get(trace_id) if trace_id else traces.last()
        if as_json:
            click.echo(json.dumps(found, ensure_ascii=False))
        else:
            _show(found)
        return 0
    listed = list(itertools.islice(traces.newest_first(), 20))
    if as_json:
        click.echo(json.dumps(listed, ensure_ascii=False))
        return 0
    for trace in listed:
        outcome = "declined" if trace["answer"]["declined"] else "answered"
        click.echo(f"{trace['id']}  {outcome}  {trace['question']}")
    if not listed:
        click.echo("Nothing has been asked yet.")
    return 0


def _show(trace: dict[str, Any]) -> None:
    bold = {"bold": True}
    click.echo(f"{click.style(trace['question'], **bold)}  {faint(trace['id'])}")
    if trace["became"] != trace["question"]:
        click.echo(f"  taken as     {trace['became']}")
    audience = (
        "the owner, who sees all" if trace["audience"] is None else ", ".join(trace["audience"])
    )
    click.echo(f"  asked by     {audience}")
    click.echo(f"  as of        {trace['as_of'] or trace['at']}")
    click.echo(f"  searched     {trace['passages']} passages of generation {trace['generation']}")
    click.echo(f"  looked for   {_looked_for(trace['searched'])}")
    for word, meant in trace.get("read_as", {}).items():
        click.echo(f"  read         {word} as {meant}")
    click.echo()
    click.echo(click.style("Hits put before the answerer", **bold))
    _show_hits(trace["hits"])
    for other in trace.get("further", []):
        click.echo()
        click.echo(click.style("Searched besides: ", **bold) + other["question"])
        click.echo(f"  looked for   {_looked_for(other['searched'])}")
        _show_hits(other["hits"])
    click.echo()
    answer = trace["answer"]
    outcome = "declined" if answer["declined"] else "answered"
    least = trace["settings"]["answer"]["min_support"]
    click.echo(
        click.style("Answer", **bold)
        + f"  {outcome}, support {answer['support']:.2f} (needed: {least:g})"
    )
    click.echo(answer_text(answer["text"]))
    for citation in answer["citations"]:
        mark = click.style(f"[{citation['number']}]", fg=AMBER)
        click.echo(
            f"  {mark} {citation['document']} {citation['start']}–{citation['end']}, version "
            f"{citation['version']}"
        )
    click.echo()
    steps = ", ".join(f"{step} {took:.1f}" for step, took in trace["milliseconds"].items())
    click.echo(faint(f"Milliseconds: {steps}"))


def _looked_for(searched: list[dict[str, Any]]) -> str:
    words = ", ".join(
        f"{one['term']} ({one['passages']} × {one['weight']:.2f})" for one in searched
    )
    return words or "nothing"


def _show_hits(hits: list[dict[str, Any]]) -> None:
    for rank, hit in enumerate(hits, 1):
        stages = ", ".join(
            f"{name} {'–' if own['rank'] is None else '#' + str(own['rank'])}"
            for name, own in hit["stages"].items()
        )
        place = f", {hit['place']}" if hit["place"] else ""
        click.echo(
            f"  {rank}. {hit['score']:.3f}  {click.style(hit['document'], fg=SEA)}{faint(place)}  "
            f"{faint(stages)}"
        )
    if not hits:
        click.echo("  none")
