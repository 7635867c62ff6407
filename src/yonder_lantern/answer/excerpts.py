"""The excerpt: the passages that come closest, shown whole where no answer is sure enough."""

from __future__ import annotations

from collections.abc import Sequence

from ..core import Citation, Document, Hit, SearchResult, location_of
from ..search import analyser_for
from ..text import word_spans
from .draft import citation_of
from .judged import Judged
from .orders import gives_orders
from .write_answer import write_span

MOST_PASSAGES = 3
WIDEST_GAP = 2.0  # how far the best unit of a further passage may rank below the best of all


def closest_passages(judged: Sequence[Judged], result: SearchResult) -> list[Hit]:
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
    found: list[Hit] = []
    for one in judged:
        hit = hits[one.unit.rank]
        if len(found) == MOST_PASSAGES or one.rank < judged[0].rank - WIDEST_GAP:
            break
        held = hit in found or any(_holds(other, hit) for other in found)
        if not held and not gives_orders(hit.text):
            found.append(hit)
    return found


def _holds(hit: Hit, other: Hit) -> bool:
    shared = min(hit.end, other.end) - max(hit.start, other.start)
    return hit.document == other.document and 2 * shared > other.end - other.start


def excerpt_of(hits: Sequence[Hit], result: SearchResult) -> tuple[str, tuple[Citation, ...]]:
    """Passages as Markdown, each under what it is from, and the citations of them."""
    parts: list[str] = []
    citations: list[Citation] = []
    for number, hit in enumerate(hits, 1):
        document = result.documents[hit.document]
        citation = citation_of(number, document, hit.start, hit.end, _words(hit, result, document))
        parts += filter(None, [_from(document, hit)])
        parts.append(write_span(document, hit.start, hit.end, number))
        citations.append(citation)
    return "\n\n".join(parts), tuple(citations)


def _from(document: Document, hit: Hit) -> str:
    """The title and headings over a passage; its own heading stands in it."""
    trail = (document.title, *location_of(document, hit.start, hit.end).heading)
    begins = hit.text.lstrip("# ")
    return " > ".join(trail[:-1] if begins.startswith(trail[-1]) else trail)


def _words(hit: Hit, result: SearchResult, document: Document) -> tuple[tuple[int, int], ...]:
    """Where the words of the question stand in a hit: start and end within it."""
    analyser = analyser_for(document.language)
    return tuple(
        (start, start + len(word))
        for start, word in zip(*word_spans(hit.text), strict=True)
        if any(term in result.terms for term in analyser.word_terms(word))
    )
