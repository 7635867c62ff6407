"""What of a document goes into a segment, worked out apart from all others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..passages import lead_of
from ..records import Document, Passage
from ..storage import Array
from ..text import Analyser
from .alike import shape_of


@dataclass(frozen=True, slots=True)
class Prepared:
    """A document with its passages and their terms, ready to be added to an index.

    Attributes
    ----------
    document : Document
    passages : tuple of Passage
    terms : tuple of str
        Each once.
    postings : tuple of (int32 array, int32 array)
        For each passage, the numbers of its terms in ``terms``, and how often each
        stands in it or in its lead.
    shape : bytes
        The signature of the text, see `alike`.
    """

    document: Document
    passages: tuple[Passage, ...]
    terms: tuple[str, ...]
    postings: tuple[tuple[Array, Array], ...]
    shape: bytes


class Preparer:
    """Works out the terms of documents; remembers those of words it has met."""

    def __init__(self) -> None:
        self._analysers: dict[str, Analyser] = {}

    def prepare(self, document: Document, passages: Sequence[Passage]) -> Prepared:
        """A document with the terms of its passages and its signature."""
        analyser = self._analysers.get(document.language)
        if analyser is None:
            analyser = self._analysers[document.language] = Analyser(document.language)
        numbers: dict[str, int] = {}

        def numbered(terms: Sequence[str]) -> Array:
            return np.array([numbers.setdefault(term, len(numbers)) for term in terms], np.int32)

        starts, terms = analyser.placed_terms(document.text)
        own_terms = numbered(terms)
        places = np.array(starts, dtype=np.int64)
        leads: dict[str, Array] = {}
        postings = []
        for passage in passages:
            lead = lead_of(document, passage.block, passage.start)
            if lead not in leads:
                leads[lead] = numbered(analyser.terms(lead))
            low, high = np.searchsorted(places, (passage.start, passage.end))
            own = np.concatenate((own_terms[low:high], leads[lead]))
            distinct, counts = np.unique(own, return_counts=True)
            postings.append((distinct.astype(np.int32), counts.astype(np.int32)))
        shape = shape_of(document.text)
        return Prepared(document, tuple(passages), tuple(numbers), tuple(postings), shape)
