"""Printing hits, their scores and explanations for people."""

from __future__ import annotations

import re
import textwrap
from dataclasses import replace
from typing import Any

from ...core import Explanation, Hit, ScoreBreakdown, SearchResult, StageBreakdown
from ...text import one_line
from .showing import counted, say, show_read_as, width
from .terminal import AMBER, SEA, displayed, echo, faint, style

_MARK = re.compile(r"\[\d+\]")
_ITEM = re.compile(r"[ \t]*(?:[-*+]|\(?\w{1,4}[.)]) ")
_RULE = re.compile(r"\|?(?: ?-{3} ?\|?)+")
_EMPHASIS = re.compile(r"(\*{1,2}|_{1,2})(?=\S)([^*_]+?)(?<=\S)\1(?!\w)")
_INDENTED: Any = {"initial_indent": "   ", "subsequent_indent": "     "}
_WITHDRAWN = 4
_LINES = 12
_LINES_WITH_WHY = 5


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
    show_read_as(result.read_as)
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
    told = f"{name}{stage.score:.3f} of {stage.best:.3f} × {stage.weight:g} = "
    share = f"{stage.share:.3f}"
    indent = len(told) + len(share) + 2
    lines = textwrap.wrap(terms, max(20, width() - indent - 3)) or [""]
    below = "".join(f"\n   {' ' * indent}{faint(line)}" for line in lines[1:])
    return f"{told}{style(share, fg=AMBER)}  {faint(lines[0])}{below}"


def show_explanation(told: Explanation, limit: int) -> None:
    """Print why a passage stands where it does, or is not found."""
    told = displayed(told)
    location = f", {told.location}" if str(told.location) else ""
    tokens = f"characters {told.start}-{told.end}"
    echo(f"{style(told.document, fg=SEA)}{faint(f'{location} · {tokens}')}")
    if not told.allowed:
        echo("Not found: the filter or a quoted phrase excludes it.")
    elif told.rank is not None and told.rank <= limit:
        say(f"Found: number {told.rank} of the {told.ranked} passages ranked.")
    elif told.candidate:
        say(
            f"Not among the first {limit}: number {told.rank} of the {told.ranked} passages "
            f"ranked. It scores {told.breakdown.score:.3f}; the last hit scores "
            f"{told.last_score:.3f}."
        )
    else:
        say(
            "Not found: no stage retrieves it. Ranked with the candidates, it would be "
            f"number {told.rank} of {told.ranked}. It scores "
            f"{told.breakdown.score:.3f}; the last hit scores {told.last_score:.3f}."
        )
    echo()
    _show_breakdown(told.breakdown)
    echo(f"   {'score':<17} {'':<9}{told.breakdown.score:.3f}")
    if told.missing:
        echo(f"   missing from it and its context header: {', '.join(told.missing)}")
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
