"""How hits, answers and times are shown in a terminal, and as JSON."""

from __future__ import annotations

import re
import shutil
import sys
import textwrap
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict, replace
from datetime import UTC, datetime
from typing import Any

from ...core import (
    Answer,
    Citation,
    Explanation,
    Extracted,
    Hit,
    Location,
    Money,
    Progress,
    ScoreBreakdown,
    SearchResult,
    StageBreakdown,
    Unsupported,
    no_progress,
)
from ...text import one_line
from .terminal import AMBER, SEA, displayed, echo, faint, style

_MARK = re.compile(r"\[\d+\]")
_ITEM = re.compile(r"[ \t]*(?:[-*+]|\(?\w{1,4}[.)]) ")
_RULE = re.compile(r"\|?(?: ?-{3} ?\|?)+")
_EMPHASIS = re.compile(r"(\*{1,2}|_{1,2})(?=\S)([^*_]+?)(?<=\S)\1(?!\w)")
_INDENTED: Any = {"initial_indent": "   ", "subsequent_indent": "     "}
_WITHDRAWN = 4
_LINES = 12
_LINES_WITH_WHY = 5


def counted(number: int, what: str) -> str:
    """A number and what it counts: ``1 document``, ``2 documents``."""
    return f"{number:,} {what}{'' if number == 1 else 's'}"


def width() -> int:
    """The width to wrap at."""
    return min(shutil.get_terminal_size((100, 24)).columns, 100)


def answer_text(text: str) -> str:
    """An answer for the terminal: prose wrapped, tables aligned, numbers in amber."""
    shown: list[str] = []
    for paragraph in _paragraphs(text):
        lines = paragraph.splitlines()
        if lines[0].startswith(("```", "~~~")) or any(_ITEM.match(line) for line in lines):
            shown.append(paragraph)
        elif len(lines) > 2 and _RULE.fullmatch(lines[1]):
            shown.append(_aligned(lines))
        elif any(line.startswith("|") for line in lines):
            shown.append(paragraph)
        else:
            shown.append(textwrap.fill(" ".join(paragraph.split()), width()))
    return with_marks("\n\n".join(shown))


def with_marks(text: str) -> str:
    """A text with its citation numbers in amber."""
    return _MARK.sub(lambda m: style(m.group(), fg=AMBER, bold=True), text)


def declined_text(text: str) -> str:
    """The words that decline a question for the terminal: line by line, wrapped."""
    return "\n".join(
        textwrap.fill(line, width(), subsequent_indent="  " if _ITEM.match(line) else "")
        for line in text.splitlines()
    )


def _paragraphs(text: str) -> list[str]:
    """What stands between blank lines, code with blank lines inside it kept in one piece."""
    found: list[str] = []
    fence = ""
    for part in text.split("\n\n"):
        if fence:
            found[-1] += f"\n\n{part}"
        else:
            found.append(part)
            fence = part[:3] if part.startswith(("```", "~~~")) else ""
        if fence and found[-1].count(fence) % 2 == 0:
            fence = ""
    return [part for part in found if part.strip()]


def _aligned(lines: list[str]) -> str:
    """A Markdown table with its columns under each other; too wide a one row by row."""
    rows = [
        [
            _EMPHASIS.sub(r"\2", cell.strip())
            for cell in line.strip().removeprefix("|").removesuffix("|").split("|")
        ]
        for line in (lines[0], *lines[2:])
    ]
    columns = max(map(len, rows))
    rows = [row + [""] * (columns - len(row)) for row in rows]
    sizes = [max(len(row[at]) for row in rows) for at in range(columns)]
    if sum(sizes) + 3 * (columns - 1) > max(width(), 100):
        broad = max(map(len, rows[0]))
        told = [
            "\n".join(
                f"{faint(name.ljust(broad))}   {cell}"
                for name, cell in zip(rows[0], row, strict=True)
                if cell
            )
            for row in rows[1:]
        ]
        return "\n\n".join(told)
    padded = [
        "   ".join(cell.ljust(size) for cell, size in zip(row, sizes, strict=True)).rstrip()
        for row in rows
    ]
    rule = faint("   ".join("─" * size for size in sizes))
    return "\n".join([padded[0], rule, *padded[1:]])


def withdrawn(words: str, why: str) -> str:
    """A sentence that does not hold, as it is told."""
    return f"{style('Withdrawn:', fg=AMBER, bold=True)} {words}" + faint(f"  ({why})")


def show_answer(answer: Answer, limit: int | None = None) -> None:
    """Print an answer and what it rests on, at most ``limit`` citations."""
    answer = displayed(answer)
    if answer.courtesy:
        echo(declined_text(answer.text))
        return
    _show_read_as(answer.read_as)
    echo(declined_text(answer.text) if answer.declined else answer_text(answer.text))
    show_withdrawn(answer.unsupported)
    show_citations(answer, limit)


def show_withdrawn(unsupported: Sequence[Unsupported]) -> None:
    """Print the first of what a model wrote and nothing bears out."""
    told = dict.fromkeys(unsupported)
    for one in list(told)[:_WITHDRAWN]:
        echo(withdrawn(one.sentence, one.why))
    if len(told) > _WITHDRAWN:
        echo(faint(f"{len(told) - _WITHDRAWN} more were withdrawn"))


def show_citations(answer: Answer, limit: int | None = None) -> None:
    """Print what an answer rests on, and what it took."""
    answer = displayed(answer)
    if answer.cut:
        echo(
            style("Cut off:", fg=AMBER, bold=True) + " the model may write no more (answer_tokens)."
        )
    show_cited(answer.citations, limit)
    echo()
    if answer.rules:
        named = ", ".join(map(repr, answer.rules))
        echo(faint(f"house rule{'s' * (len(answer.rules) > 1)} at work: {named}"))
    echo(what_it_took(answer, f"support {answer.support:.2f}"))


def show_cited(citations: Sequence[Citation], limit: int | None) -> None:
    """Print citations, at most ``limit``: where, how old, and the words."""
    if citations:
        echo()
    for citation in citations[:limit]:
        number = style(f"[{citation.number}]", fg=AMBER, bold=True)
        location = f", {citation.location}" if str(citation.location) else ""
        age = f", read {_when(citation.checked)}" if citation.checked else ""
        echo(f"{number} {style(citation.document, fg=SEA)}{faint(location + age)}")
        quoted = f"“{' '.join(citation.quote.split())}”"
        echo(textwrap.fill(quoted, width(), initial_indent="    ", subsequent_indent="    "))
    if limit is not None and limit < len(citations):
        left = len(citations) - limit
        echo(faint(f"{counted(left, 'more citation')} {'is' if left == 1 else 'are'} not shown"))


def what_it_took(answer: Answer | Extracted, *before: str) -> str:
    """Tokens, money, time, and the trace that was kept."""
    told = list(before)
    if answer.by:
        about = "about " if answer.tokens.estimated else ""
        read, wrote = answer.tokens.read, answer.tokens.written
        told.append(f"{answer.by}: {about}{read:,} tokens read, {wrote:,} written")
    told += [f"cost {answer.cost}", f"{(answer.times or {}).get('whole', 0.0):.0f} ms"]
    if answer.trace:
        told.append(f"trace {answer.trace}")
    lines = textwrap.wrap(" · ".join(told), width(), break_on_hyphens=False)
    return faint("\n".join(lines))


def _show_read_as(read_as: Mapping[str, str]) -> None:
    for word, meant in read_as.items():
        echo(f"No document has {word!r}: read as {meant!r}.")
    if read_as:
        echo()


def _when(moment: str) -> str:
    """A moment for a person: how long ago, or the day when that is long ago."""
    then = datetime.fromisoformat(moment)
    minutes = int((datetime.now(UTC) - then).total_seconds() // 60)
    if minutes < 1:
        return "just now"
    if minutes < 120:
        return f"{counted(minutes, 'minute')} ago"
    if minutes < 48 * 60:
        return f"{minutes // 60} hours ago"
    return f"on {then.date().isoformat()}"


def show_result(result: SearchResult, *, why: bool) -> None:
    """Print the hits of a search, what was looked for, and how long it took."""
    unknown = words_nowhere(result)
    result = displayed(replace(result, documents={}))
    if why:
        words = ", ".join(
            f"{term} (in {counted(result.known[term], 'passage')}, weight {weight:.2f})"
            for term, weight in result.terms.items()
        )
        sought = f"Looked for: {words or 'nothing: the question holds no word to look for'}"
        echo(faint(textwrap.fill(sought, width())))
        echo()
    _show_read_as(result.read_as)
    for form, others in result.other_forms.items():
        if why:
            echo(faint(f"{form} also as {', '.join(others)}"))
    for phrase, count in result.phrases.items():
        held = f"in {counted(count, 'passage')}" if count else "in none: its words are looked for"
        echo(f"“{phrase}”, word for word: {held}.")
    if result.phrases or (why and result.other_forms):
        echo()
    for hit in result.hits:
        show_hit(hit, why=why)
    if not result.hits:
        named = ", ".join(map(repr, unknown))
        echo(f"No document has {named}." if named else "Nothing found.")
        return
    searched = counted(result.passages, "passage")
    whole = sum(result.times.values())
    echo(faint(f"{counted(len(result.hits), 'hit')} among {searched} · {whole:.0f} ms"))


def show_hit(hit: Hit, *, why: bool) -> None:
    """Print a hit and, if asked, the account of its score."""
    hit = displayed(hit)
    rank = style(f"{hit.rank}.", bold=True)
    location = f", {hit.location}" if str(hit.location) else ""
    score = faint(f"score {hit.score:.3f}")
    echo(f"{rank} {style(hit.document, fg=SEA)}{faint(location)}  {score}")
    if why:
        _show_breakdown(hit.breakdown)
    lines = [line for line in hit.text.splitlines() if line.strip()]
    most = _LINES_WITH_WHY if why else _LINES
    first = _best_window(lines, hit, most)
    if first:
        echo(faint(f"   … {counted(first, 'line')} above"))
    for line in lines[first : first + most]:
        echo(f"   {line}" if len(line) <= width() - 3 else f"   {line[: width() - 4]}…")
    if len(lines) > first + most:
        echo(faint(f"   … {counted(len(lines) - first - most, 'line')} below"))
    if hit.also:
        echo(faint(f"   the same in {', '.join(one.document for one in hit.also)}"))
    if hit.linked:
        echo(faint(f"   belongs with {', '.join(hit.linked)}"))
    echo()


def _best_window(lines: list[str], hit: Hit, most: int) -> int:
    """Where to begin so that the lines shown hold as much as they can of what was looked for."""
    shares = {
        share.term: share.share for stage in hit.breakdown.stages[:1] for share in stage.terms
    }
    worth = [
        sum(share for term, share in shares.items() if f" {term}" in f" {line.casefold()}")
        for line in lines
    ]
    last = max(0, len(lines) - most)
    return max(range(last + 1), key=lambda first: (sum(worth[first : first + most]), -first))


def _show_breakdown(breakdown: ScoreBreakdown) -> None:
    """Print how a score adds up: a line a stage, the features on one."""
    for stage in breakdown.stages:
        echo("   " + _stage_line(stage))
    counted_ones = [one for one in breakdown.features if round(one.share, 3)]
    if counted_ones:
        told = ", ".join(f"{one.feature} {one.share:+.3f}" for one in counted_ones)
        echo(textwrap.fill(f"besides: {told}", width(), **_INDENTED))


def _stage_line(stage: StageBreakdown) -> str:
    name = f"{stage.stage:<17}"
    terms = ", ".join(f"{share.term} {share.share:+.2f}" for share in stage.terms[:6])
    if stage.stage in ("lexical", "vector"):
        name += " rank –   " if stage.rank is None else f" rank {stage.rank:<3} "
    else:
        name += " " * 10
    return (
        f"{name}{stage.score:.3f} of {stage.best:.3f} × {stage.weight:g} = "
        f"{style(f'{stage.share:.3f}', fg=AMBER)}  {faint(terms)}"
    )


def show_explanation(told: Explanation, limit: int) -> None:
    """Print why a passage stands where it does, or is not found."""
    told = displayed(told)
    location = f", {told.location}" if str(told.location) else ""
    tokens = f"characters {told.start}-{told.end}"
    echo(f"{style(told.document, fg=SEA)}{faint(f'{location} · {tokens}')}")
    if not told.allowed:
        echo("Not found: the filter, or a phrase in quotation marks, leaves it out.")
    elif told.rank is not None and told.rank <= limit:
        _say(f"Found: number {told.rank} of {told.ranked} passages that were ranked.")
    elif told.candidate:
        _say(
            f"Not among the first {limit}: number {told.rank} of {told.ranked} passages that "
            f"were ranked. It scores {told.breakdown.score:.3f}; the last hit scores "
            f"{told.last_score:.3f}."
        )
    else:
        _say(
            "Not found: no stage by itself brings it among those that are ranked. Ranked with "
            f"them it would be number {told.rank} of {told.ranked} passages. It scores "
            f"{told.breakdown.score:.3f}; the last hit scores {told.last_score:.3f}."
        )
    echo()
    _show_breakdown(told.breakdown)
    echo(f"   {'score':<17} {'':<9}{told.breakdown.score:.3f}")
    if told.missing:
        echo(f"   neither it nor its lead has: {', '.join(told.missing)}")
    if told.nearest:
        near = ", ".join(
            f"{one.in_query} ~ {one.in_passage} {one.cosine:.2f}" for one in told.nearest
        )
        echo(textwrap.fill(f"nearest words: {near}", width(), **_INDENTED))


def words_nowhere(result: SearchResult) -> list[str]:
    """The words of a question that stand in nothing the caller may see."""
    return [
        one_line(word)
        for word, terms in result.words.items()
        if not any(map(result.known.get, terms))
    ]


def _say(text: str) -> None:
    echo(textwrap.fill(text, width()))


def explanation_as_json(told: Explanation) -> dict[str, Any]:
    """An explanation for programs."""
    return {
        "document": told.document,
        "start": told.start,
        "end": told.end,
        "text": told.text,
        "location": _location_as_json(told.location),
        "allowed": told.allowed,
        "candidate": told.candidate,
        "rank": told.rank,
        "ranked": told.ranked,
        "score": told.breakdown.score,
        "last_score": told.last_score,
        "missing": list(told.missing),
        "nearest": [asdict(one) for one in told.nearest],
        **_breakdown_as_json(told.breakdown),
    }


def _breakdown_as_json(breakdown: ScoreBreakdown) -> dict[str, Any]:
    return {
        "breakdown": [
            {
                "stage": stage.stage,
                "rank": stage.rank,
                "score": stage.score,
                "best": stage.best,
                "weight": stage.weight,
                "share": stage.share,
                "terms": {share.term: share.share for share in stage.terms},
            }
            for stage in breakdown.stages
        ],
        "features": [asdict(one) for one in breakdown.features],
    }


def _location_as_json(location: Location) -> dict[str, Any]:
    return {"shown": str(location), **asdict(location)}


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
        "context_header": hit.context_header,
        "location": _location_as_json(hit.location),
        "score": hit.score,
        "also": [asdict(one) for one in hit.also],
        "linked": list(hit.linked),
        "joined": [list(span) for span in hit.joined],
        "before": hit.before,
        "after": hit.after,
        **_breakdown_as_json(hit.breakdown),
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
                "formula": one.formula,
            }
            for one in answer.statements
        ],
        "citations": list(map(citation_as_json, answer.citations)),
        "house_rules": list(answer.rules),
        "looked_for": list(answer.looked_for),
        "missing": list(answer.missing),
        "read_as": dict(answer.read_as),
        "nearest": [
            {
                "document": one.document,
                "title": one.title,
                "location": str(one.location),
                "words": one.quote,
            }
            for one in answer.nearest
        ],
        "suggestions": list(answer.suggestions),
        "choices": list(answer.choices),
        "disagree": answer.disagree,
        "cut": answer.cut,
        "courtesy": answer.courtesy,
        **took_as_json(answer),
    }


def citation_as_json(one: Citation) -> dict[str, Any]:
    """A citation for programs."""
    return {
        "number": one.number,
        "document": one.document,
        "version": one.version,
        "title": one.title,
        "start": one.start,
        "end": one.end,
        "quote": one.quote,
        "location": _location_as_json(one.location),
        "checked": one.checked,
    }


def took_as_json(answer: Answer | Extracted) -> dict[str, Any]:
    """Who answered, what was refused of it, and what it took, for programs."""
    return {
        "by": answer.by,
        "unsupported": [{"sentence": one.sentence, "why": one.why} for one in answer.unsupported],
        "tokens": asdict(answer.tokens),
        "cost": money_as_json(answer.cost),
        "trace": answer.trace,
        "milliseconds": dict(answer.times or {}),
    }


def money_as_json(money: Money) -> dict[str, Any]:
    """An amount for programs; nothing has no currency."""
    currency = money.currency if money.amount else None
    return {"amount": f"{money.amount:f}", "currency": currency, "simulated": money.simulated}


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
