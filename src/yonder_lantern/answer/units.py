"""The units an answer is made of: sentences, items, rows and code of the hits."""

from __future__ import annotations

import bisect
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from ..core import Block, BlockKind, Document, SearchResult, heading_trail
from ..text import Analyser, sentences

_LONGEST_ITEM = 400  # characters; a longer list item is taken sentence by sentence


@dataclass(frozen=True, slots=True)
class Unit:
    """A span that can stand in an answer, and the words that explain it.

    ``context_header`` is what stands over it (title, headings, header row, a list's
    introduction), ``above`` its terms; ``beside`` are those of the sentence before it.
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

    @property
    def text(self) -> str:
        """The unit's words, exactly."""
        return self.document.text[self.start : self.end]


def units_of(result: SearchResult, analyser_for: Callable[[str], Analyser]) -> list[Unit]:
    """The units of all hits, those of the best hit first, each once.

    A unit that a hit holds only in part belongs to it if it begins there.
    """
    found: list[Unit] = []
    seen: set[tuple[str, int, int]] = set()
    for hit in result.hits:
        document = result.documents[hit.document]
        starts = [block.start for block in document.blocks]
        low = max(bisect.bisect_right(starts, hit.start) - 1, 0)
        high = bisect.bisect_left(starts, hit.end)
        analyser = analyser_for(document.language)
        for unit in document_units(document, analyser, range(low, high), hit.rank):
            mark = (document.id, unit.start, unit.end)
            if hit.start <= unit.start < hit.end and mark not in seen:
                seen.add(mark)
                found.append(unit)
    return found


def document_units(
    document: Document, analyser: Analyser, blocks: range | None = None, rank: int = 0
) -> Iterator[Unit]:
    """The units of some blocks of a document, in order; of all without.

    A question in the documents stands over its answer or asks the reader; it is no unit itself.
    """
    above: dict[tuple[int, int, int], tuple[str, frozenset[str]]] = {}
    for index in range(len(document.blocks)) if blocks is None else blocks:
        block = document.blocks[index]
        if block.kind in (BlockKind.HEADING, BlockKind.HEADER_ROW):
            continue
        context_header, lead_terms = _above(document, index, analyser, above)
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
                )
            before = frozenset(terms)


def _spans(document: Document, block: Block) -> Iterable[tuple[int, int]]:
    whole = (block.start, block.end)
    if block.kind is BlockKind.PARAGRAPH or (
        block.kind is BlockKind.ITEM and block.end - block.start > _LONGEST_ITEM
    ):
        return sentences(document.text, *whole)
    return [whole]


def _above(
    document: Document,
    index: int,
    analyser: Analyser,
    known: dict[tuple[int, int, int], tuple[str, frozenset[str]]],
) -> tuple[str, frozenset[str]]:
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
