"""Making a segment of documents and their passages."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...core import OPEN_END, OPEN_START, microseconds
from ...ingest.preparation import Prepared
from ...platform.storage import Array, TermTable, byte_order
from ..segment import Segment
from ..segment_words import SegmentWords


class SegmentBuilder:
    """Collects documents and makes a segment of them.

    Parameters
    ----------
    audiences : list of list of str
        The audiences known so far; new ones are appended.
    """

    def __init__(self, audiences: list[list[str]]) -> None:
        self.audiences = audiences
        self._numbers: dict[str, int] = {}
        self._flat: list[Array] = []
        self._counts: list[Array] = []
        self._leads: list[Array] = []
        self._sizes: list[Array] = []
        self._passages: list[tuple[int, ...]] = []
        self._lengths: list[Array] = []
        self._documents: list[tuple[int, int, int, int]] = []
        self._word_numbers: dict[str, int] = {}
        self._words: list[Array] = []
        self._word_sizes: list[Array] = []

    def __len__(self) -> int:
        return len(self._documents)

    def add(self, row: int, prepared: Prepared) -> None:
        """Add a document's passages; ``row`` is where the store keeps it."""
        ordinal = len(self._documents)
        document = prepared.document
        self._documents.append(
            (
                row,
                self.audience_number(document.audience),
                microseconds(document.valid_from, OPEN_START),
                microseconds(document.valid_until, OPEN_END),
            )
        )
        numbers = self._numbers
        numbers_here = [numbers.setdefault(term, len(numbers)) for term in prepared.terms]
        numbered = np.array(numbers_here, dtype=np.int32)
        self._flat.append(numbered[prepared.numbers])
        self._counts.append(prepared.counts)
        self._leads.append(prepared.leads)
        self._sizes.append(np.diff(prepared.bounds))
        sums = np.concatenate(([0], np.cumsum(prepared.counts)))
        self._lengths.append(np.diff(sums[prepared.bounds]))
        words = self._word_numbers
        words_here = [words.setdefault(word, len(words)) for word in prepared.words]
        self._words.append(np.array(words_here, dtype=np.int32)[prepared.word_numbers])
        self._word_sizes.append(np.diff(prepared.word_bounds))
        for passage, asking in zip(prepared.passages, prepared.asking.tolist(), strict=True):
            span = (passage.start, passage.end, passage.tokens, passage.block)
            self._passages.append((ordinal, *span, int(passage.divided), asking))

    @property
    def size(self) -> tuple[int, ...]:
        """How much has been added, to go back to."""
        return tuple(map(len, self._lists))

    def go_back(self, size: tuple[int, ...]) -> None:
        """Forget what was added since it was of this size."""
        for values, length in zip(self._lists, size, strict=True):
            del values[length:]

    @property
    def _lists(self) -> tuple[list[Any], ...]:
        return (
            self._flat,
            self._counts,
            self._leads,
            self._sizes,
            self._passages,
            self._lengths,
            self._documents,
            self._words,
            self._word_sizes,
        )

    def end_validity(self, row: int, until: int) -> bool:
        """Give a document that was added another end of validity; whether it is here."""
        for ordinal, (document_row, audience, start, _) in enumerate(self._documents):
            if document_row == row:
                self._documents[ordinal] = (row, audience, start, until)
                return True
        return False

    def audience_number(self, labels: frozenset[str]) -> int:
        ordered = sorted(labels)
        if ordered not in self.audiences:
            self.audiences.append(ordered)
        return self.audiences.index(ordered)

    def words(self) -> SegmentWords:
        """The words of all passages added."""
        bounds = np.concatenate(([0], np.cumsum(_joined(self._word_sizes))))
        return SegmentWords(list(self._word_numbers), bounds, _joined(self._words))

    def build(self, name: str) -> Segment:
        """The segment of everything added, in memory."""
        terms = sorted(self._numbers, key=byte_order)
        renumber = np.empty(len(terms), dtype=np.int64)
        for new, term in enumerate(terms):
            renumber[self._numbers[term]] = new
        flat = renumber[_joined(self._flat)]
        counts, leads, sizes = map(_joined, (self._counts, self._leads, self._sizes))
        passages = np.repeat(np.arange(len(sizes), dtype=np.int32), sizes)
        order = np.argsort(flat, kind="stable")  # by term; passages stay ascending within one
        offsets = np.zeros(len(terms) + 1, dtype=np.int64)
        np.cumsum(np.bincount(flat, minlength=len(terms)), out=offsets[1:])
        return Segment(
            name,
            TermTable.of(terms),
            offsets,
            passages[order],
            counts[order].astype(np.int32),
            leads[order].astype(np.uint8),
            _joined(self._lengths).astype(np.int32),
            np.array(self._passages, dtype=np.int64).reshape(-1, 7),
            np.array(self._documents, dtype=np.int64).reshape(-1, 4),
        )


def _joined(parts: list[Array]) -> Array:
    return np.concatenate(parts) if parts else np.zeros(0, dtype=np.int32)
