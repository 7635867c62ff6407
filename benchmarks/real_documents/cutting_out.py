"""A collection without what answers some of its questions, so that they have no answer there.

Of every question's answer the section or entry is taken out of the page, if it is short, else the
blocks that hold it with those beside them; and with it what repeats it: passages that say the
same, headings, contents entries and links that name the section.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping
from pathlib import Path

from asking import Asked, Spot, plain_heading

from yonder_lantern.core import Block, BlockKind, Document
from yonder_lantern.text import decode

_WHOLE = 3000  # characters: a section up to this long goes as a whole
_LONGEST = 9000  # of an entry or section that is asked for itself
_SAME = 0.5  # of the runs of three words of an answer, in another block
_FEWEST = 4  # runs of three words that an answer must have to be looked for elsewhere
_CHARSET = re.compile(rb"""<meta[^>]+charset\s*=\s*["']?\s*([\w-]+)""", re.I)
_TAG = re.compile(r"<(?!img\b)[^>]*>", re.I)


def cuttable(asked: Asked) -> bool:
    """Whether what answers a question can be taken away without most of the page."""
    return all(spot.end - spot.start <= _LONGEST for spot in asked.spots)


def without(
    asked: Iterable[Asked], documents: Mapping[str, Document], source: Path, target: Path
) -> None:
    """Write the documents without what answers the questions.

    Parameters
    ----------
    asked : iterable of Asked
    documents : mapping
        By id, as gathered.
    source, target : Path
        The folders of the desks.
    """
    cut: dict[str, list[tuple[int, int]]] = defaultdict(list)
    named: set[str] = set()
    told: list[frozenset[tuple[str, ...]]] = []
    for one in asked:
        for spot in one.spots:
            document = documents[spot.document]
            cut[spot.document].append(_context(document, spot, whole=one.derived))
            told.append(_runs(document.text[spot.start : min(spot.end, spot.start + 600)]))
            named |= _headings(document, cut[spot.document][-1])
    for id_, document in documents.items():
        for block in document.blocks:
            text = document.text[block.start : block.end]
            if plain_heading(text).casefold() in named or _repeats(_runs(text), told):
                cut[id_].append((block.start, block.end))
    for id_, document in documents.items():
        own = target / id_
        own.parent.mkdir(parents=True, exist_ok=True)
        data = (source / id_).read_bytes()
        own.write_bytes(blanked(document, data, cut[id_]) if cut[id_] else data)


def _context(document: Document, spot: Spot, *, whole: bool) -> tuple[int, int]:
    """What goes with an answer: its section, or the blocks next to it."""
    if whole:
        return spot.start, spot.end
    blocks = document.blocks
    first = next(at for at, block in enumerate(blocks) if block.end > spot.start)
    last = next((at for at in range(first, len(blocks)) if blocks[at].end >= spot.end), first)
    under = blocks[first].under
    if under >= 0:
        start, end = blocks[under].start, _own_end(blocks, under, len(document.text))
        if spot.end <= end and end - start <= _WHOLE:
            return start, end
    low, high = max(first - 1, 0), min(last + 1, len(blocks) - 1)
    return blocks[low].start, blocks[high].end


def _own_end(blocks: tuple[Block, ...], heading: int, last: int) -> int:
    """Where the text right below a heading ends: at the next heading of any level."""
    after = (one.start for one in blocks[heading + 1 :] if one.kind is BlockKind.HEADING)
    return next(after, last)


def _headings(document: Document, cut: tuple[int, int]) -> set[str]:
    """The headings that go, which contents entries and links repeat."""
    return {
        plain
        for block in document.blocks
        if block.kind is BlockKind.HEADING and cut[0] <= block.start < cut[1]
        and len(plain := plain_heading(document.text[block.start : block.end]).casefold()) > 12
    }  # fmt: skip


def _runs(text: str) -> frozenset[tuple[str, ...]]:
    words = re.findall(r"\w+", text.casefold())
    return frozenset(tuple(words[at : at + 3]) for at in range(len(words) - 2))


def _repeats(own: frozenset[tuple[str, ...]], told: Iterable[frozenset[tuple[str, ...]]]) -> bool:
    """Whether a block says what an answer says, in about its words."""
    return any(
        len(answer) >= _FEWEST and len(answer & own) >= _SAME * len(answer) for answer in told
    )


def blanked(
    document: Document, data: bytes, cut: list[tuple[int, int]], instead: str = ""
) -> bytes:
    """A page without the words of some ranges; its tags stay, and what is put instead."""
    declared = _CHARSET.search(data[:2048])
    charset = declared[1].decode("ascii") if declared else "utf-8"
    page = decode(data, charset)
    for start, end in reversed(merged(cut)):
        first, last = document.origin.original(start, end)
        page = page[:first] + instead + "".join(_TAG.findall(page[first:last])) + page[last:]
    return page.encode(charset, "xmlcharrefreplace")


def merged(ranges: Iterable[tuple[int, int]]) -> list[tuple[int, int]]:
    """Ranges in order, those that touch or overlap made one.

    Examples
    --------
    >>> merged([(5, 9), (0, 3), (2, 6)])
    [(0, 9)]
    """
    found: list[tuple[int, int]] = []
    for start, end in sorted(ranges):
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(end, found[-1][1]))
        else:
            found.append((start, end))
    return found
