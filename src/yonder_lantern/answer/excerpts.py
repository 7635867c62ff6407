"""The excerpt: what comes closest where no answer is sure enough, on one screen.

The best passage around its best sentence, which is marked; of the others a line each. The
citations hold all of them whole.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from textwrap import shorten

from ..core import BlockKind, Citation, Document, Hit, SearchResult, location_of
from ..search import analyser_for
from ..text import sentences, word_spans
from .draft import citation_of
from .judged import Judged
from .orders import gives_orders
from .units import Unit
from .write_answer import pieces_of, write_span

MOST_PASSAGES = 3
WIDEST_GAP = 2.0  # how far the best unit of a further passage may rank below the best of all
_SCREEN = 700  # characters of the best passage that are shown
_LINE = 160  # of the best sentence of another one
_CELLS = re.compile(r"\s*\|\s*")
_MARKUP = re.compile(r"[*_`|\[\]]|^\W*(?:\d|#)")


@dataclass(frozen=True, slots=True)
class Closest:
    """A passage that comes close, and its best sentence, item or row."""

    hit: Hit
    best: Unit


def closest_passages(judged: Sequence[Judged], result: SearchResult) -> list[Closest]:
    """The hits of the best units, at most three.

    One that gives orders to whoever answers is left out, and one that another holds for the
    most part.

    Parameters
    ----------
    judged : sequence of Judged
        All units, best first.
    result : SearchResult
    """
    hits = {hit.rank: hit for hit in result.hits}
    found: list[Closest] = []
    for one in judged:
        hit = hits[one.unit.rank]
        if len(found) == MOST_PASSAGES or one.rank < judged[0].rank - WIDEST_GAP:
            break
        held = any(other.hit is hit or _holds(other.hit, hit) for other in found)
        if not held and not gives_orders(hit.text):
            found.append(Closest(hit, best_of(judged, one)))
    return found


def best_of(judged: Sequence[Judged], one: Judged) -> Unit:
    """The best sentence, item or row of a unit that several make up; else the unit itself."""
    if not one.unit.wide:
        return one.unit
    inside = (other.unit for other in judged if not other.unit.wide)
    return next((unit for unit in inside if unit.overlaps(one.unit)), one.unit)


def _holds(hit: Hit, other: Hit) -> bool:
    shared = min(hit.end, other.end) - max(hit.start, other.start)
    return hit.document == other.document and 2 * shared > other.end - other.start


def excerpt_of(
    found: Sequence[Closest], result: SearchResult
) -> tuple[str, str, tuple[Citation, ...]]:
    """The best passage as Markdown, a line for each of the others, and the citations of all."""
    lines = []
    citations = []
    for number, one in enumerate(found, 1):
        document = result.documents[one.hit.document]
        hit = one.hit
        words = _words(hit, result, document)
        citations.append(citation_of(number, document, hit.start, hit.end, words))
        if number > 1:
            said = shorten(_CELLS.sub(" · ", one.best.text.strip("| ")), _LINE, placeholder=" …")
            lines.append(f"- {_from(document, one.best)}: “{said}” [{number}]")
    first = found[0]
    document = result.documents[first.hit.document]
    over = _from(document, first.best)
    shown = f"{over}\n\n{_around(first, document)}"
    return shown, "\n".join(lines), tuple(citations)


def _around(one: Closest, document: Document) -> str:
    """A passage around its best sentence, as long as it fits a screen; the sentence is marked."""
    spans = []
    for piece in pieces_of(document, one.hit.start, one.hit.end):
        if piece.kind is BlockKind.HEADING:
            continue
        whole = (piece.start, piece.end)
        prose = piece.kind is BlockKind.PARAGRAPH
        spans += sentences(document.text, *whole) if prose else [whole]
    if not spans:  # a heading alone
        return write_span(document, one.hit.start, one.hit.end, 1)
    at = next((n for n, span in enumerate(spans) if span[1] > one.best.start), 0)
    low = high = at
    while True:
        size = spans[high][1] - spans[low][0]
        after = spans[high + 1][1] - spans[high][1] if high + 1 < len(spans) else _SCREEN
        before = spans[low][0] - spans[low - 1][0] if low else _SCREEN
        if size + after <= _SCREEN:
            high += 1
        elif size + before <= _SCREEN:
            low -= 1
        else:
            break
    start, end = spans[low][0], spans[high][1]
    text = write_span(document, start, end, 1)
    best = one.best.text
    if not _MARKUP.search(best) and best in text:
        text = text.replace(best, f"**{' '.join(best.split())}**", 1)
    more = ("…" if low else "", text, "…" if high + 1 < len(spans) else "")
    return "\n\n".join(filter(None, more))  # by themselves: a table or list must begin its line


def _from(document: Document, best: Unit) -> str:
    """The title and headings over the best sentence of a passage."""
    trail = (document.title, *location_of(document, best.start, best.end).heading)
    return " > ".join(dict.fromkeys(trail))


def _words(hit: Hit, result: SearchResult, document: Document) -> tuple[tuple[int, int], ...]:
    """Where the words of the question stand in a hit: start and end within it."""
    analyser = analyser_for(document.language)
    return tuple(
        (start, start + len(word))
        for start, word in zip(*word_spans(hit.text), strict=True)
        if any(term in result.terms for term in analyser.word_terms(word))
    )
