"""The smallest units an answer is made of: sentences, items, rows and code of the hits.

`wide_units` has those that several of these make together.
"""

from __future__ import annotations

import bisect
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from enum import Enum

from ..core import Block, BlockKind, Document, Hit, SearchResult, heading_trail
from ..text import Analyser, sentences

_LONGEST_ITEM = 400  # characters; a longer list item is taken sentence by sentence
_NAMES = (BlockKind.HEADING, BlockKind.HEADER_ROW, BlockKind.TERM)  # say what something is
Above = tuple[str, frozenset[str]]  # what stands over a unit, and its terms
Known = dict[tuple[int, int, int], Above]


class Shape(Enum):
    """What of a document a unit is."""

    SENTENCE = "sentence"
    ITEM = "item"
    ROW = "row"
    CODE = "code"
    PARAGRAPH = "paragraph"
    DEFINITION = "definition"
    INTRODUCED = "introduced"
    SECTION = "section"


_WIDE = (Shape.PARAGRAPH, Shape.DEFINITION, Shape.INTRODUCED, Shape.SECTION)
_SHAPES = {
    BlockKind.PARAGRAPH: Shape.SENTENCE,
    BlockKind.ITEM: Shape.ITEM,
    BlockKind.ROW: Shape.ROW,
    BlockKind.CODE: Shape.CODE,
}


@dataclass(frozen=True, slots=True)
class Unit:
    """A span that can stand in an answer, and the words that explain it.

    ``kind`` is that of its first block. ``context_header`` is what stands over it (title,
    headings, header row or term, a list's introduction), ``above`` its terms; ``beside``
    are those of the sentence before it.
    """

    document: Document
    kind: BlockKind
    start: int
    end: int
    block: int
    rank: int
    terms: tuple[str, ...]
    context_header: str
    above: frozenset[str]
    beside: frozenset[str]
    shape: Shape = Shape.SENTENCE

    @property
    def text(self) -> str:
        """The unit's words, exactly."""
        return self.document.text[self.start : self.end]

    @property
    def wide(self) -> bool:
        """Whether several small units make it up."""
        return self.shape in _WIDE

    @property
    def span(self) -> tuple[str, int, int]:
        """The document's id, and the range in it."""
        return self.document.id, self.start, self.end

    def overlaps(self, other: Unit) -> bool:
        """Whether the two have words in common, not only alike."""
        return (
            self.document.id == other.document.id
            and self.start < other.end
            and other.start < self.end
        )


def units_of(result: SearchResult, analyser_for: Callable[[str], Analyser]) -> list[Unit]:
    """The units of all hits, those of the best hit first, each once.

    A unit that a hit holds only in part belongs to it if it begins there.
    """
    found: list[Unit] = []
    seen: set[tuple[str, int, int]] = set()
    for hit in result.hits:
        document = result.documents[hit.document]
        analyser = analyser_for(document.language)
        for block in blocks_of(hit, document):
            key = ("units", document.id, block)
            if key not in result.memo:
                one = range(block, block + 1)
                result.memo[key] = tuple(document_units(document, analyser, one))
            for unit in result.memo[key]:
                if hit.start <= unit.start < hit.end and unit.span not in seen:
                    seen.add(unit.span)
                    found.append(replace(unit, rank=hit.rank))
    return found


def blocks_of(hit: Hit, document: Document) -> range:
    """The numbers of the blocks that a hit holds, wholly or in part."""
    starts = [block.start for block in document.blocks]
    low = max(bisect.bisect_right(starts, hit.start) - 1, 0)
    return range(low, bisect.bisect_left(starts, hit.end))


def document_units(
    document: Document, analyser: Analyser, blocks: range | None = None, rank: int = 0
) -> Iterator[Unit]:
    """The units of some blocks of a document, in order; of all without.

    A question in the documents stands over its answer or asks the reader; it is no unit itself,
    and neither is what only names something: a heading, a term, a header row.
    """
    above: Known = {}
    for index in range(len(document.blocks)) if blocks is None else blocks:
        block = document.blocks[index]
        if block.kind in _NAMES:
            continue
        context_header, lead_terms = above_of(document, index, analyser, above)
        before: frozenset[str] = frozenset()
        for start, end in _spans(document, block):
            terms = tuple(analyser.terms(document.text[start:end]))
            if document.text[end - 1] != "?":
                yield Unit(
                    document,
                    block.kind,
                    start,
                    end,
                    index,
                    rank,
                    terms,
                    context_header,
                    lead_terms,
                    before,
                    _SHAPES[block.kind],
                )
            before = frozenset(terms)


def _spans(document: Document, block: Block) -> Iterable[tuple[int, int]]:
    whole = (block.start, block.end)
    if block.kind is BlockKind.PARAGRAPH or (
        block.kind is BlockKind.ITEM and block.end - block.start > _LONGEST_ITEM
    ):
        return sentences(document.text, *whole)
    return [whole]


def above_of(document: Document, index: int, analyser: Analyser, known: Known) -> Above:
    """What stands over a block, and its terms; remembered in ``known``."""
    block = document.blocks[index]
    intro = _introduction(document, index)
    key = (block.under, block.header, intro)
    if key not in known:
        parts = [document.title, *heading_trail(document.text, document.blocks, block.under)]
        for other in (block.header, intro):
            if other >= 0:
                above_block = document.blocks[other]
                parts.append(document.text[above_block.start : above_block.end])
        context_header = "\n".join(parts)
        known[key] = context_header, frozenset(analyser.terms(context_header))
    return known[key]


def explained_by(unit: Unit) -> str:
    """The header row or term over a unit, and what introduces it."""
    document = unit.document
    over = (document.blocks[unit.block].header, _introduction(document, unit.block))
    blocks = (document.blocks[number] for number in over if number >= 0)
    return "\n".join(document.text[block.start : block.end] for block in blocks)


def introduction_of(unit: Unit) -> int:
    """The block that introduces a unit's list, code or rows with a colon, or asks; or -1."""
    return _introduction(unit.document, unit.block)


def _introduction(document: Document, index: int) -> int:
    """What introduces a block: a question before it, or a colon before a list or code; or -1."""
    block = document.blocks[index]
    at = index - 1
    if at >= 0 and block.kind in (BlockKind.ITEM, BlockKind.PARAGRAPH):
        before = document.blocks[at]
        if before.kind is not BlockKind.HEADING and document.text[before.end - 1] == "?":
            return at
    if block.kind not in (BlockKind.ITEM, BlockKind.CODE, BlockKind.ROW):
        return -1
    while at >= 0 and document.blocks[at].kind is block.kind:
        at -= 1
    if at < 0 or document.blocks[at].kind not in (BlockKind.PARAGRAPH, BlockKind.ITEM):
        return -1
    before = document.blocks[at]
    return at if document.text[before.start : before.end].rstrip().endswith(":") else -1
