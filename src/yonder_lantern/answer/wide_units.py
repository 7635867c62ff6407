"""Units of an answer that several small ones make together.

A paragraph; a term with what defines it; code or a list with the sentence that introduces it;
what stands below a heading. Each is whole, or ends where a block ends. No section holds a table or
a list of terms: of those, rows and definitions answer.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

from ..core import Block, BlockKind, Document, SearchResult
from ..text import Analyser, sentences
from .units import Known, Shape, Unit, above_of, blocks_of

_LONGEST = 1200  # characters: what is longer is not read as one answer
_LISTED = (BlockKind.ITEM, BlockKind.CODE)
_PARTED = (BlockKind.ROW, BlockKind.HEADER_ROW, BlockKind.TERM)  # answer entry by entry
_TEXT = (BlockKind.PARAGRAPH, BlockKind.ITEM)


def wide_units(result: SearchResult, analyser_for: Callable[[str], Analyser]) -> list[Unit]:
    """The wide units that begin in a hit, those of the best hit first, each once."""
    found: dict[tuple[str, int, int], Unit] = {}
    known: dict[str, Known] = {}
    for hit in result.hits:
        document = result.documents[hit.document]
        analyser = analyser_for(document.language)
        above = known.setdefault(document.id, {})
        for at in blocks_of(hit, document):
            key = ("wide units", document.id, at)
            if key not in result.memo:
                result.memo[key] = tuple(_units_at(document, at, analyser, above))
            for unit in result.memo[key]:
                if hit.start <= unit.start < hit.end and unit.span not in found:
                    found[unit.span] = replace(unit, rank=hit.rank)
    return list(found.values())


def _units_at(document: Document, at: int, analyser: Analyser, above: Known) -> Iterator[Unit]:
    """The wide units that a block begins."""
    for shape, first, start, end in _stretches(document, at):
        terms = tuple(analyser.terms(document.text[start:end]))
        header, above_terms = above_of(document, first, analyser, above)
        kind = document.blocks[first].kind
        yield Unit(
            document, kind, start, end, first, 0, terms, header, above_terms, frozenset(), shape
        )


def _stretches(document: Document, at: int) -> Iterator[tuple[Shape, int, int, int]]:
    """The wide units that a block begins: shape, first block, start and end."""
    blocks = document.blocks
    block = blocks[at]
    if block.kind is BlockKind.PARAGRAPH and not _spoken(document):
        parts = sentences(document.text, block.start, block.end)
        if len(parts) > 1 and block.end - block.start <= _LONGEST:
            yield Shape.PARAGRAPH, at, block.start, block.end
    if block.kind is BlockKind.TERM and block.header < 0:
        inside = _run(blocks, at, lambda other: other.header == at)
        if (end := _end(blocks, at, inside)) > 0:
            yield Shape.DEFINITION, at, block.start, end
    if block.kind in _TEXT and document.text[block.start : block.end].rstrip().endswith(":"):
        kind = blocks[at + 1].kind if at + 1 < len(blocks) else None
        if kind in _LISTED:
            inside = _run(blocks, at, lambda other: other.kind is kind)
        else:
            inside = range(at + 1, at + 2) if kind is BlockKind.PARAGRAPH else range(0)
        if (end := _end(blocks, at, inside)) > 0:
            start = sentences(document.text, block.start, block.end)[-1][0]
            yield Shape.INTRODUCED, at, start, end
    if block.kind is BlockKind.HEADING:
        inside = _run(blocks, at, lambda other: other.under == at)
        parted = any(blocks[number].kind in _PARTED for number in inside)
        if len(inside) > 1 and not parted and (end := _end(blocks, at, inside)) > 0:
            yield Shape.SECTION, at + 1, blocks[at + 1].start, end


def _spoken(document: Document) -> bool:
    """Whether it is the text of a recording, whose paragraphs are only where somebody paused."""
    return bool(document.marks) and document.marks[0].seconds is not None


def _run(blocks: Sequence[Block], at: int, belongs: Callable[[Block], bool]) -> range:
    """The blocks after one that belong to it, without a gap, none of them a heading."""
    stop = at + 1
    while stop < len(blocks) and blocks[stop].kind is not BlockKind.HEADING:
        if not belongs(blocks[stop]):
            break
        stop += 1
    return range(at + 1, stop)


def _end(blocks: Sequence[Block], at: int, inside: range) -> int:
    """Where the last of some blocks ends that is not too far from the first; 0 for none.

    Nothing ends with what only names what follows.
    """
    ends = [
        blocks[number].end
        for number in inside
        if blocks[number].kind is not BlockKind.TERM
        and blocks[number].end - blocks[at].start <= _LONGEST
    ]
    return ends[-1] if ends else 0
