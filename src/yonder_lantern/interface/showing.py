"""How hits, answers and times are shown in a terminal, and as JSON."""

from __future__ import annotations

import re
import shutil
import sys
import textwrap
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import click

from ..records import Answer, Hit, Progress, no_progress

AMBER = (196, 132, 29)  # what is cited
SEA = (38, 97, 156)  # what leads somewhere
FAINT = (120, 120, 120)
_MARK = re.compile(r"\[\d+\]")
_TABLE_OR_CODE = re.compile(r"\s*\||.*\S \| \S|-{3,}|`{3}|~{3}|[-*+] |\(?\w{1,4}[.)] ")
_LINES = 12
_LINES_WITH_WHY = 5


def counted(number: int, what: str) -> str:
    """A number and what it counts: ``1 document``, ``2 documents``."""
    return f"{number:,} {what}{'' if number == 1 else 's'}"


def width() -> int:
    """The width to wrap at."""
    return min(shutil.get_terminal_size((100, 24)).columns, 100)


def faint(text: str) -> str:
    """Text that matters less."""
    return click.style(text, fg=FAINT)


def answer_text(text: str) -> str:
    """An answer for the terminal: prose wrapped, the rest as it is, numbers in amber."""
    shown = []
    fenced = False
    for paragraph in text.split("\n\n"):
        lines = paragraph.splitlines()
        fenced_here = fenced or any(line.startswith(("```", "~~~")) for line in lines)
        fenced ^= sum(line.startswith(("```", "~~~")) for line in lines) % 2 == 1
        if fenced_here or any(_TABLE_OR_CODE.match(line) for line in lines):
            shown.append(paragraph)
        else:
            shown.append(textwrap.fill(" ".join(paragraph.split()), width()))
    return _MARK.sub(lambda m: click.style(m.group(), fg=AMBER, bold=True), "\n\n".join(shown))


def show_answer(answer: Answer) -> None:
    """Print an answer and what it rests on."""
    click.echo(answer.text if answer.declined else answer_text(answer.text))
    if answer.citations:
        click.echo()
        for citation in answer.citations:
            number = click.style(f"[{citation.number}]", fg=AMBER, bold=True)
            place = f", {citation.place}" if str(citation.place) else ""
            click.echo(f"{number} {click.style(citation.document, fg=SEA)}{faint(place)}")
            quoted = f"“{' '.join(citation.words.split())}”"
            click.echo(
                textwrap.fill(quoted, width(), initial_indent="    ", subsequent_indent="    ")
            )
    whole = (answer.times or {}).get("whole", 0.0)
    click.echo()
    click.echo(
        faint(f"support {answer.support:.2f} · cost {answer.cost} · {whole:.0f} ms")
        + (faint(f" · trace {answer.trace}") if answer.trace else "")
    )


def show_hit(hit: Hit, *, why: bool) -> None:
    """Print a hit and, if asked, the account of its score."""
    rank = click.style(f"{hit.rank}.", bold=True)
    place = f", {hit.place}" if str(hit.place) else ""
    score = faint(f"score {hit.score:.3f}")
    click.echo(f"{rank} {click.style(hit.document, fg=SEA)}{faint(place)}  {score}")
    if why:
        for stage in hit.account.stages:
            click.echo("   " + _stage_line(stage))
    lines = [line for line in hit.text.splitlines() if line.strip()]
    most = _LINES_WITH_WHY if why else _LINES
    for line in lines[:most]:
        click.echo(f"   {line}" if len(line) <= width() - 3 else f"   {line[: width() - 4]}…")
    if len(lines) > most:
        click.echo(faint(f"   … {counted(len(lines) - most, 'more line')}"))
    click.echo()


def _stage_line(stage: Any) -> str:
    name = f"{stage.stage:<8}"
    if stage.rank is None:
        return faint(f"{name} not found by it")
    terms = ", ".join(f"{share.term} {share.share:+.2f}" for share in stage.terms[:6])
    return (
        f"{name} rank {stage.rank:<3} {stage.score:.3f} of {stage.best:.3f} × weight "
        f"{stage.weight:g} = {click.style(f'{stage.share:.3f}', fg=AMBER)}  {faint(terms)}"
    )


def hit_as_json(hit: Hit) -> dict[str, Any]:
    """A hit for programs."""
    return {
        "rank": hit.rank,
        "document": hit.document,
        "version": hit.version,
        "title": hit.title,
        "start": hit.start,
        "end": hit.end,
        "text": hit.text,
        "lead": hit.lead,
        "heading": list(hit.place.heading),
        "lines": list(hit.place.lines) if hit.place.lines else None,
        "score": hit.score,
        "account": [
            {
                "stage": stage.stage,
                "rank": stage.rank,
                "score": stage.score,
                "best": stage.best,
                "weight": stage.weight,
                "share": stage.share,
                "terms": {share.term: share.share for share in stage.terms},
            }
            for stage in hit.account.stages
        ],
    }


def answer_as_json(answer: Answer) -> dict[str, Any]:
    """An answer for programs."""
    return {
        "question": answer.question,
        "text": answer.text,
        "declined": answer.declined,
        "support": answer.support,
        "statements": [
            {
                "text": one.text,
                "kind": one.kind.name.lower(),
                "citations": list(one.citations),
                "support": one.support,
            }
            for one in answer.statements
        ],
        "citations": [
            {
                "number": one.number,
                "document": one.document,
                "version": one.version,
                "title": one.title,
                "start": one.start,
                "end": one.end,
                "words": one.words,
                "heading": list(one.place.heading),
                "lines": list(one.place.lines) if one.place.lines else None,
            }
            for one in answer.citations
        ],
        "looked_for": list(answer.looked_for),
        "missing": list(answer.missing),
        "nearest": [
            {"document": one.document, "title": one.title, "place": str(one.place)}
            for one in answer.nearest
        ],
        "cost": {"amount": str(answer.cost.amount), "currency": answer.cost.currency},
        "trace": answer.trace,
        "milliseconds": dict(answer.times or {}),
    }


@contextmanager
def progress_shown() -> Iterator[Progress]:
    """A progress bar on a terminal, nothing in a pipe."""
    if not sys.stderr.isatty():
        yield no_progress
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, TextColumn
    from rich.progress import Progress as Bars

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn())
    with Bars(*columns, console=Console(stderr=True), transient=True) as bars:
        tasks: dict[str, Any] = {}

        def show(step: str, done: int, total: int | None) -> None:
            if step not in tasks:
                tasks[step] = bars.add_task(step, total=total)
            bars.update(tasks[step], completed=done, total=total)

        yield show
