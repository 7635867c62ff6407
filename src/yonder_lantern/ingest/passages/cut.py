"""Cutting a document along its structure."""

from __future__ import annotations

import bisect
import itertools
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from ...core import Block, BlockKind, Document, Passage
from ...text import sentences, token_starts
from .cohesion import SentenceVectors, gap_depths

_HEADINGS = (BlockKind.HEADING, BlockKind.HEADER_ROW, BlockKind.TERM)
_ENTRY_FULL_ENOUGH = 0.33  # and one this full where a term's definition would not fit in whole
_SECTION_FULL_ENOUGH = 0.5  # a passage this full is closed when a new section begins
_SUBJECT_FULL_ENOUGH = 0.33  # and one this full where the subject changes, if that is asked for
_GAPS_TO_JUDGE = 4  # gaps from which it can be said which are deep
_MAX_TIMES = 4  # a line, row or sentence may alone be so many times the limit


@dataclass(frozen=True, slots=True)
class _Unit:
    """A span that is not divided further, and the tokens in it."""

    start: int
    end: int
    block: int
    tokens: int
    inside: bool = False  # it begins within a line, row or sentence


@dataclass(frozen=True, slots=True)
class _Sizes:
    """What fits, and how sizes are counted."""

    tokens: int
    max_tokens: int
    count: Callable[[int, int], int]
    starts: Sequence[int]


def cut(
    document: Document,
    *,
    tokens: int,
    overlap: int,
    max_tokens: int = 0,
    boundaries: Literal["structure", "meaning"] = "structure",
    vectors: SentenceVectors | None = None,
    starts: Sequence[int] | None = None,
) -> list[Passage]:
    """Cut a document into passages of about ``tokens`` words and marks.

    Headings stay with what follows them. Paragraphs, list items, table rows and
    code blocks are divided only when one alone is over the limit: a paragraph or
    item between sentences, code between lines. A table row, a line of code and a
    sentence are divided, between words, only where one alone is longer than
    ``max_tokens``; such passages say so. A new section closes a passage that is at least
    half full. Within a section, a passage begins with up to ``overlap`` tokens of
    whole units of the one before.

    Parameters
    ----------
    document : Document
    tokens : int
        The limit, in words and punctuation marks.
    overlap : int
        How much is repeated, at most half of ``tokens``.
    max_tokens : int
        What no passage is longer than, overlap included; 0 for four times ``tokens``.
    boundaries : {"structure", "meaning"}
        With ``meaning``, a passage also ends where the sentences on both sides
        speak of different things, see `gap_depths`.
    vectors : callable, optional
        Vectors of sentences, with which ``meaning`` tells more than by their words alone.
    starts : sequence of int, optional
        Where the text's tokens begin, if that is at hand.

    Returns
    -------
    list of Passage
        In reading order. Together they hold every block of the document.
    """
    starts = token_starts(document.text) if starts is None else starts

    def count(start: int, end: int) -> int:
        return bisect.bisect_left(starts, end) - bisect.bisect_left(starts, start)

    max_tokens = max(max_tokens or _MAX_TIMES * tokens, tokens)
    sizes = _Sizes(tokens, max_tokens, count, starts)
    units = _units(document, sizes, sentences_alone=boundaries == "meaning")
    depths = _depths(document, units, vectors) if boundaries == "meaning" else {}
    deep = _deep(depths)
    passages: list[Passage] = []

    def close(stop: int) -> None:
        passages.append(
            _passage(document, units, passages, first, stop, overlap, max_tokens, count)
        )

    runs = _heading_runs(document, units)
    first = 0  # the first unit of the passage being filled
    for at, unit in enumerate(units):
        if at == first:
            continue
        opens = document.blocks[unit.block].kind is BlockKind.HEADING
        filled = count(units[first].start, unit.start)
        full = count(units[first].start, unit.end) > tokens
        split = filled >= _ENTRY_FULL_ENOUGH * tokens and _would_split(
            document, units, at, first, sizes
        )
        ripe = opens and filled >= _SECTION_FULL_ENOUGH * tokens
        parts = at in deep and filled >= _SUBJECT_FULL_ENOUGH * tokens
        stop = max(first, runs[at])
        if full and stop == first and count(units[first].start, unit.end) > max_tokens:
            stop = at  # a heading is parted from a line or row that alone fills a passage
        if (full or ripe or parts or split) and stop > first:
            close(stop)
            first = stop
    left = units[first:]
    only_headings = all(document.blocks[u.block].kind in _HEADINGS for u in left)
    if (
        passages
        and left
        and only_headings
        and count(passages[-1].start, left[-1].end) <= max_tokens
    ):
        last = passages.pop()  # a signature, say: not worth a passage of its own
        end = left[-1].end
        size = count(last.start, end)
        passages.append(Passage(last.start, end, size, last.block, last.divided))
    elif left:
        close(len(units))
    return passages


def _depths(
    document: Document, units: list[_Unit], vectors: SentenceVectors | None
) -> dict[int, float]:
    """For each unit of prose that follows another in its section, how far the two part."""
    found: dict[int, float] = {}
    run: list[int] = []

    def finish() -> None:
        texts = [document.text[units[at].start : units[at].end] for at in run]
        found.update(zip(run[1:], gap_depths(texts, document.language, vectors), strict=True))
        run.clear()

    section = None
    for at, unit in enumerate(units):
        block = document.blocks[unit.block]
        prose = block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        if run and (not prose or block.under != section):
            finish()
        section = block.under
        if prose:
            run.append(at)
    if run:
        finish()
    return found


def _deep(depths: dict[int, float]) -> frozenset[int]:
    """The gaps that are deeper than most of the document's by half a standard deviation."""
    if len(depths) < _GAPS_TO_JUDGE:
        return frozenset()
    usual = statistics.fmean(depths.values()) + statistics.pstdev(depths.values()) / 2
    return frozenset(at for at, depth in depths.items() if depth > usual)


def _would_split(
    document: Document, units: list[_Unit], at: int, first: int, sizes: _Sizes
) -> bool:
    """Whether a term begins here whose definition fits in a passage, but not in this one."""
    block = document.blocks[units[at].block]
    if block.kind is not BlockKind.TERM or block.header >= 0 or units[at].inside:
        return False
    own = units[at].block
    end = units[at].end
    for number in range(at + 1, len(units)):
        unit = units[number]
        if document.blocks[unit.block].header != own:
            break
        end = unit.end
        if sizes.count(units[at].start, end) > sizes.tokens:
            return False
    return sizes.count(units[first].start, end) > sizes.tokens


def _heading_runs(document: Document, units: list[_Unit]) -> list[int]:
    """For each unit, where the headings and header rows just before it begin; itself without any.

    A passage that ends there parts none from what follows it.
    """
    runs: list[int] = []
    begins = 0
    for at in range(len(units)):
        if at and document.blocks[units[at - 1].block].kind not in _HEADINGS:
            begins = at
        runs.append(begins)
    return runs


def _passage(
    document: Document,
    units: list[_Unit],
    passages: list[Passage],
    first: int,
    stop: int,
    overlap: int,
    max_tokens: int,
    count: Callable[[int, int], int],
) -> Passage:
    start = units[first].start
    end = units[stop - 1].end
    overlap = min(overlap, max_tokens - count(start, end))
    opens_section = document.blocks[units[first].block].kind is BlockKind.HEADING
    if passages and overlap > 0 and not opens_section and not units[first].inside:
        start = _overlap_start(document, units, first, overlap, passages[-1].start, count)
    divided = units[first].inside or (stop < len(units) and units[stop].inside)
    return Passage(start, end, count(start, end), units[first].block, divided)


def _overlap_start(
    document: Document,
    units: list[_Unit],
    first: int,
    overlap: int,
    after: int,
    count: Callable[[int, int], int],
) -> int:
    """The start of the last whole units before ``first`` that fit, and begin past ``after``."""
    start = stop = units[first].start
    section = document.blocks[units[first].block].under
    for number in range(first - 1, -1, -1):
        unit = units[number]
        block = document.blocks[unit.block]
        if block.kind is BlockKind.HEADING or block.under != section or unit.start <= after:
            break
        if count(unit.start, stop) <= overlap:
            start = unit.start
            continue
        if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
            for begin, _ in reversed(sentences(document.text, unit.start, unit.end)):
                if count(begin, stop) > overlap or begin <= after:
                    break
                start = begin
        break
    return start


def _units(document: Document, sizes: _Sizes, *, sentences_alone: bool) -> list[_Unit]:
    units: list[_Unit] = []
    for index, block in enumerate(document.blocks):
        size = sizes.count(block.start, block.end)
        prose = block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        if size <= sizes.tokens and not (prose and sentences_alone):
            units.append(_Unit(block.start, block.end, index, size))
            continue
        limit = 0 if prose and sentences_alone else sizes.tokens
        for start, end in _divide(document, block, limit, sizes.count):
            tokens_here = sizes.count(start, end)
            if tokens_here <= sizes.max_tokens:
                units.append(_Unit(start, end, index, tokens_here))
            else:
                units.extend(_forced(start, end, index, tokens_here, sizes))
    return units


def _forced(start: int, end: int, index: int, size: int, sizes: _Sizes) -> list[_Unit]:
    """A line, row or sentence that alone is too long, divided between words."""
    parts = -(-size // sizes.max_tokens)
    at = bisect.bisect_left(sizes.starts, start)
    bounds = [start, *(sizes.starts[at + size * part // parts] for part in range(1, parts)), end]
    return [
        _Unit(a, b, index, sizes.count(a, b), inside=a > start)
        for a, b in itertools.pairwise(bounds)
    ]


def _divide(
    document: Document, block: Block, limit: int, count: Callable[[int, int], int]
) -> list[tuple[int, int]]:
    """A block over the limit as groups of sentences or of lines, each within it."""
    if block.kind is BlockKind.CODE:
        pieces = _lines(document.text, block)
    elif block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
        pieces = sentences(document.text, block.start, block.end)
    else:
        return [(block.start, block.end)]
    groups: list[tuple[int, int]] = []
    for start, end in pieces:
        if groups and count(groups[-1][0], end) <= limit:
            groups[-1] = (groups[-1][0], end)
        else:
            groups.append((start, end))
    return groups


def _lines(text: str, block: Block) -> list[tuple[int, int]]:
    found = []
    at = block.start
    while at < block.end:
        stop = text.find("\n", at, block.end)
        stop = block.end if stop < 0 else stop
        if text[at:stop].strip():
            found.append((at, stop))
        at = stop + 1
    return found
