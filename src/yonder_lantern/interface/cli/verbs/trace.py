"""``yonder trace``."""

from __future__ import annotations

import itertools
import textwrap
from dataclasses import asdict
from typing import Any

import click

from ....core import CallError
from ....observe import FeedbackBook
from ....text import one_line
from ..options import desk_options, example, open_desk
from ..showing import answer_text, width
from ..terminal import AMBER, SEA, displayed, echo, echo_json, faint, style


@click.command("trace", epilog=example("yonder trace --last"))
@click.argument("trace_id", metavar="[ID]", required=False)
@click.option("--last", is_flag=True, help="Show the latest one.")
@click.option("--feedback", is_flag=True, help="List what people thought of answers.")
@click.option(
    "--audience",
    multiple=True,
    metavar="LABEL",
    help="Only what a caller with this label may see. May be repeated.  [default: all]",
)
@desk_options
def command(
    trace_id: str | None,
    last: bool,
    feedback: bool,
    audience: tuple[str, ...],
    folder: str,
    overrides: tuple[str, ...],
    as_json: bool,
    debug: bool,  # noqa: ARG001
) -> int:
    """The record of a question that was asked: searched, found, answered, timed.

    Without ID or --last, the twenty latest are listed.
    """
    desk = open_desk(folder, overrides)
    traces = desk.as_caller(audience or None).traces
    if feedback:
        return _list_feedback(FeedbackBook(desk.state, traces), as_json=as_json)
    if trace_id or last:
        found = traces.get(trace_id) if trace_id else traces.last()
        if as_json:
            echo_json(found)
        else:
            _show(displayed(found))
        return 0
    listed = list(itertools.islice(traces.newest_first(), 20))
    if as_json:
        echo_json(listed)
        return 0
    for trace in displayed(listed):
        echo(f"{trace['id']}  {_outcome(trace)}  {one_line(trace['question'])}")
    if not listed:
        echo("Nothing has been asked yet.")
    return 0


def _show(trace: dict[str, Any]) -> None:
    echo(f"{style(trace['question'], bold=True)}  {faint(trace['id'])}")
    if trace["rewritten"] != trace["question"]:
        echo(f"  taken as     {trace['rewritten']}")
    audience = (
        "the owner, who sees all" if trace["audience"] is None else ", ".join(trace["audience"])
    )
    echo(f"  asked by     {audience}")
    echo(f"  as of        {trace['as_of'] or trace['at']}")
    echo(f"  searched     {trace['passages']} passages of generation {trace['generation']}")
    echo(f"  looked for   {_looked_for(trace['searched'])}")
    for word, meant in trace.get("read_as", {}).items():
        echo(f"  read         {word} as {meant}")
    echo()
    echo(style("Hits given to the answerer", bold=True))
    _show_hits(trace["hits"])
    for other in trace.get("further", []):
        echo()
        echo(style("Also searched: ", bold=True) + other["question"])
        echo(f"  looked for   {_looked_for(other['searched'])}")
        _show_hits(other["hits"])
    echo()
    answer = trace["answer"]
    needed = trace["settings"]["answer"]
    least = f"{needed['min_support']:g} to answer, {needed['min_excerpt_support']:g} for an excerpt"
    echo(
        style("Answer", bold=True)
        + f"  {_outcome(trace)}, support {answer['support']:.2f} (needed: {least})"
    )
    for number, step in enumerate(answer.get("steps", []), 1):
        passed = f" → {style(step['passed_on'], fg=AMBER)}" if step["passed_on"] else ""
        echo(f"  step {number}: {step['question']}{passed}")
    echo(answer_text(answer["text"]))
    if answer["citations"]:
        echo()
    for citation in answer["citations"]:
        mark = style(f"[{citation['number']}]", fg=AMBER)
        echo(
            f"  {mark} {citation['document']} {citation['start']}–{citation['end']}, version "
            f"{citation['version']}"
        )
    echo()
    steps = ", ".join(f"{step} {took:.1f}" for step, took in trace["milliseconds"].items())
    for line in textwrap.wrap(f"Milliseconds: {steps}", width()):
        echo(faint(line))


def _list_feedback(book: FeedbackBook, *, as_json: bool) -> int:
    """Print judgements, a line each, those of the latest answers first; 1 where there are none."""
    count = 0
    for one in book.all():
        try:
            question = book.traces.get(one.trace)["question"]
        except CallError:  # of somebody who sees more, or of a trace that is gone
            continue
        count += 1
        if as_json:
            echo_json({**asdict(one), "question": question})
            continue
        echo(f"{one.at[:16].replace('T', ' ')}  {one.rating:4}  {one_line(question)}")
        if one.remark:
            echo(faint(f"    “{one_line(one.remark)}”  {one_line(one.by)}"))
    if not count and not as_json:
        echo("Nobody has judged an answer yet.")
    return 0 if count else 1


def _outcome(trace: dict[str, Any]) -> str:
    """The outcome of a question."""
    if trace.get("broken_off"):
        return f"broken off ({trace['broken_off']})"
    return {"answer": "answered", "excerpt": "closest passages shown"}.get(
        trace["answer"]["status"], "declined"
    )


def _looked_for(searched: list[dict[str, Any]]) -> str:
    # No-break spaces hold the parts of a term together while the line is folded.
    words = ", ".join(
        f"{one['term']}\u00a0({one['passages']}\u00a0×\u00a0{one['weight']:.2f})"
        for one in searched
    )
    folded = textwrap.fill(words, width() - 15, subsequent_indent=" " * 15, break_on_hyphens=False)
    return folded.replace("\u00a0", " ") or "nothing"


def _show_hits(hits: list[dict[str, Any]]) -> None:
    for rank, hit in enumerate(hits, 1):
        stages = ", ".join(
            f"{name} {'–' if stage['rank'] is None else '#' + str(stage['rank'])}"
            for name, stage in hit["stages"].items()
        )
        location = f", {hit['location']}" if hit["location"] else ""
        found = f"  {rank}. {hit['score']:.3f}  "
        fits = len(found) + len(hit["document"]) + len(location) + len(stages) + 2 <= width()
        between = "  " if fits else "\n" + " " * len(found)
        echo(f"{found}{style(hit['document'], fg=SEA)}{faint(location)}{between}{faint(stages)}")
    if not hits:
        echo("  none")
