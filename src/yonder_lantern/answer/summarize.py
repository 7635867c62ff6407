"""Summing a document up: of each section the sentence that is most of what it says."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence

from ..core import BlockKind, Document, SearchResult
from ..search import analyser_for
from ..text import words
from .draft import Draft
from .judged import Judged
from .lead_in import stands_alone
from .units import Unit, document_units

_OF_TITLE = 0.6  # of the topic's weight must stand in a document's title
_MOST = 6  # sentences
_FEWEST = 3  # terms of a sentence that says something
_OPENING = 1.5  # how much more a section's first sentence counts


def summary(judged: Sequence[Judged], result: SearchResult) -> Draft | None:
    """The sentences that say most of a document; None where none is called as is asked.

    In each section the sentence whose terms are the section's most frequent ones, set against
    how common they are in the document, as in Luhn (1958), The automatic creation of
    literature abstracts; the first of the sections of a long document.

    Parameters
    ----------
    judged : sequence of Judged
        The units found for it, best first.
    result : SearchResult
    """
    document = _called(judged, result)
    if document is None:
        return None
    sections: dict[int, list[Unit]] = {}
    for unit in document_units(document, analyser_for(document.language)):
        if unit.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
            sections.setdefault(document.blocks[unit.block].under, []).append(unit)
    best = [found for units in sections.values() if (found := _telling(units)) is not None]
    if not best:
        return None
    step = max(1, math.ceil(len(best) / _MOST))
    chosen = tuple(best[::step][:_MOST])
    return Draft(chosen, (1.0,) * len(chosen), 1.0)


def _called(judged: Sequence[Judged], result: SearchResult) -> Document | None:
    for one in judged:
        document = one.unit.document
        title = frozenset(analyser_for(document.language).terms(document.title))
        whole = sum(result.terms.values())
        here = sum(weight for term, weight in result.terms.items() if term in title)
        if whole and here >= _OF_TITLE * whole:
            return document
    return None


def _is_title(unit: Unit) -> bool:
    return words(unit.text) == words(unit.document.title)


def _telling(units: Sequence[Unit]) -> Unit | None:
    """The sentence of a section whose terms stand in it most often; that it begins with counts."""
    counts = Counter(term for unit in units for term in set(unit.terms))
    able = [
        unit
        for unit in units
        if stands_alone(unit) and len(unit.terms) >= _FEWEST and not _is_title(unit)
    ]

    def worth(unit: Unit) -> float:
        opens = _OPENING if unit is units[0] else 1.0
        return opens * sum(counts[term] for term in set(unit.terms)) / math.sqrt(len(unit.terms))

    return max(able, key=lambda unit: (round(worth(unit), 6), -unit.start), default=None)
