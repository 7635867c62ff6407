"""A collection without the words of the headings that questions were made of.

Most headings that ask are found by their own words: the question is the heading. Readers ask in
words of their own. So the words of the headings asked for are taken out of the pages, with the
contents entries and links that repeat them; an ellipsis stands for each, so that sections begin
and end where they did, and what stands below it is what has to be found.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from asking import Asked, Spot, plain_heading
from cutting_out import blanked

from yonder_lantern.core import Document

HIDDEN = "…"


def mask(
    asked: Iterable[Asked], documents: Mapping[str, Document], source: Path, target: Path
) -> None:
    """Write the documents without the words of the headings that are asked for.

    Parameters
    ----------
    asked : iterable of Asked
        Made of headings: ``start`` to ``body`` of each spot is the heading.
    documents : mapping
        By id, as gathered.
    source, target : Path
        The folders of the desks.
    """
    cut: dict[str, list[tuple[int, int]]] = defaultdict(list)
    named = set()
    for one in asked:
        named.add(one.question.casefold())
        for spot in one.spots:
            cut[spot.document].append((spot.start, spot.body))
    for id_, document in documents.items():
        for block in document.blocks:
            if plain_heading(document.text[block.start : block.end]).casefold() in named:
                cut[id_].append((block.start, block.end))
        own = target / id_
        own.parent.mkdir(parents=True, exist_ok=True)
        data = (source / id_).read_bytes()
        own.write_bytes(blanked(document, data, cut[id_], HIDDEN) if cut[id_] else data)


def where_now(
    asked: Iterable[Asked], before: Mapping[str, Document], now: Mapping[str, Document]
) -> list[Asked]:
    """The questions with their spots in the documents as they are now; those that are there."""
    found = []
    for one in asked:
        spots = [_moved(spot, before[spot.document], now.get(spot.document)) for spot in one.spots]
        there = tuple(spot for spot in spots if spot is not None)
        if there:
            found.append(replace(one, id=f"{one.id}-masked", spots=there))
    return found


def _moved(spot: Spot, before: Document, now: Document | None) -> Spot | None:
    """A section in a document in which some blocks are hidden."""
    if now is None:
        return None
    inside = [
        new
        for old, new in _pairs(before, now)
        if spot.body <= before.blocks[old].start and before.blocks[old].end <= spot.end
    ]
    if not inside:
        return None
    start, end = now.blocks[inside[0]].start, now.blocks[inside[-1]].end
    return Spot(spot.document, start, end, start)


def _pairs(before: Document, now: Document) -> Iterable[tuple[int, int]]:
    """Blocks that are in both, in order: in the later document some are hidden."""
    texts = _texts(now)
    at = 0
    for number, text in enumerate(_texts(before)):
        while at < len(texts) and texts[at] == HIDDEN:
            at += 1
        if at < len(texts) and texts[at] == text:
            yield number, at
            at += 1


def _texts(document: Document) -> Sequence[str]:
    return [document.text[block.start : block.end] for block in document.blocks]
