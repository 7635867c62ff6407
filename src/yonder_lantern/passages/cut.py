"""Cutting a document along its structure."""

from __future__ import annotations

import bisect
from collections.abc import Callable
from dataclasses import dataclass

from ..records import Block, BlockKind, Document, Passage
from ..text import sentences, token_starts

_HEADINGS = (BlockKind.HEADING, BlockKind.HEADER_ROW)
_SECTION_FULL_ENOUGH = 0.5  # a passage this full is closed when a new section begins


@dataclass(frozen=True, slots=True)
class _Unit:
    """A span that is not divided further, and the tokens in it."""

    start: int
    end: int
    block: int
    tokens: int


def cut(document: Document, *, tokens: int, overlap: int) -> list[Passage]:
    """Cut a document into passages of about ``tokens`` words and marks.

    Headings stay with what follows them. Paragraphs, list items, table rows and
    code blocks are divided only when one alone is over the limit: a paragraph or
    item between sentences, code between lines. A table row, a line of code and a
    sentence are never divided, even where one alone is longer than the limit. A
    new section closes a passage that is at least half full. Within a section, a
    passage begins with up to ``overlap`` tokens of whole units of the one before.

    Parameters
    ----------
    document : Document
    tokens : int
        The limit, in words and punctuation marks.
    overlap : int
        How much is repeated, at most half of ``tokens``.

    Returns
    -------
    list of Passage
        In reading order. Together they hold every block of the document.
    """
    starts = token_starts(document.text)

    def count(start: int, end: int) -> int:
        return bisect.bisect_left(starts, end) - bisect.bisect_left(starts, start)

    units = _units(document, tokens, count)
    passages: list[Passage] = []
    first = 0  # the first unit of the passage being filled
    for at, unit in enumerate(units):
        if at == first:
            continue
        opens = document.blocks[unit.block].kind is BlockKind.HEADING
        full = count(units[first].start, unit.end) > tokens
        ripe = opens and count(units[first].start, unit.start) >= _SECTION_FULL_ENOUGH * tokens
        stop = _before_headings(document, units, first, at)
        if (full or ripe) and stop > first:
            passages.append(_passage(document, units, passages, first, stop, overlap, count))
            first = stop
    only_headings = all(document.blocks[u.block].kind in _HEADINGS for u in units[first:])
    if passages and only_headings and first < len(units):  # a signature, say: not worth its own
        last = passages.pop()
        end = units[-1].end
        passages.append(Passage(last.start, end, count(last.start, end), last.block))
    elif first < len(units):
        passages.append(_passage(document, units, passages, first, len(units), overlap, count))
    return passages


def _before_headings(document: Document, units: list[_Unit], first: int, at: int) -> int:
    """Where to end so that no heading or header row is parted from what follows it."""
    stop = at
    while stop > first and document.blocks[units[stop - 1].block].kind in _HEADINGS:
        stop -= 1
    return stop


def _passage(
    document: Document,
    units: list[_Unit],
    passages: list[Passage],
    first: int,
    stop: int,
    overlap: int,
    count: Callable[[int, int], int],
) -> Passage:
    start = units[first].start
    opens_section = document.blocks[units[first].block].kind is BlockKind.HEADING
    if passages and overlap and not opens_section:
        start = _overlap_start(document, units, first, overlap, passages[-1].start, count)
    end = units[stop - 1].end
    return Passage(start, end, count(start, end), units[first].block)


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
    for unit in reversed(units[:first]):
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


def _units(document: Document, limit: int, count: Callable[[int, int], int]) -> list[_Unit]:
    units: list[_Unit] = []
    for index, block in enumerate(document.blocks):
        size = count(block.start, block.end)
        if size <= limit:
            units.append(_Unit(block.start, block.end, index, size))
        else:
            units.extend(
                _Unit(a, b, index, count(a, b)) for a, b in _divide(document, block, limit, count)
            )
    return units


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
