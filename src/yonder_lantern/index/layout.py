"""How the passages of all segments of a generation are numbered, one after another."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from ..platform.storage import Array, distinct
from .open_segment import OpenSegment
from .passage_columns import PassageColumns

_COLUMNS = 7  # of a passage in its segment: the document there, and those of `PassageColumns`


class Layout:
    """Passages and documents of a generation under one numbering.

    Attributes
    ----------
    passages, documents : int64 array, shape (segments + 1,)
        The number of each segment's first passage and first document.
    """

    def __init__(self, opened: Sequence[OpenSegment]) -> None:
        self._opened = opened
        sizes = [len(one.segment.lengths) for one in opened]
        self.passages = np.concatenate(([0], np.cumsum(sizes))).astype(np.int64)
        counts = [len(one.segment.documents) for one in opened]
        self.documents = np.concatenate(([0], np.cumsum(counts))).astype(np.int64)
        firsts = [
            one.segment.first_passages()[:-1] + start
            for one, start in zip(opened, self.passages.tolist(), strict=False)
        ]
        self._first = np.concatenate([*firsts, self.passages[-1:]]).astype(np.int64)
        lengths = [np.asarray(one.segment.lengths) for one in opened]
        self._length_sums = np.concatenate(
            ([0], np.cumsum(np.concatenate(lengths) if lengths else []))
        ).astype(np.int64)
        rows = [np.asarray(one.segment.documents[:, 0]) for one in opened]
        self.rows = np.concatenate(rows) if rows else np.zeros(0, np.int64)
        self._order: Array | None = None

    def __len__(self) -> int:
        return int(self.passages[-1])

    def document_of(self, passages: Array) -> Array:
        """The documents' numbers of some passages."""
        return np.searchsorted(self._first, passages, side="right") - 1

    def bounds_of(self, documents: Array) -> tuple[Array, Array]:
        """The first passage of each of some documents, and the one after its last."""
        return self._first[documents], self._first[documents + 1]

    def passages_of(self, documents: Array) -> Array:
        """Which passages are of some documents; both are masks of all."""
        return np.repeat(documents, np.diff(self._first))

    def by_segment(self, passages: Array) -> list[Array]:
        """A mask of all passages, segment by segment."""
        return np.split(passages, self.passages[1:-1])[: len(self._opened)]

    def passage_at(self, document: int, offset: int) -> int | None:
        """The first passage of a document that ends after an offset, or its last."""
        first, last = int(self._first[document]), int(self._first[document + 1])
        if first == last:
            return None
        ends = self.columns(np.arange(first, last)).end
        return first + min(int(np.searchsorted(ends, offset, side="right")), len(ends) - 1)

    def lengths_of(self, documents: Array) -> Array:
        """How many terms the passages of each of some documents have together."""
        first, last = self.bounds_of(documents)
        return np.asarray(self._length_sums[last] - self._length_sums[first])

    def columns(self, passages: Array) -> PassageColumns:
        """What is kept of some passages, column by column."""
        found = np.empty((len(passages), _COLUMNS), dtype=np.int64)
        number = np.searchsorted(self.passages, passages, side="right") - 1
        for segment_number in distinct(number).tolist():
            here = number == segment_number
            found[here] = self._opened[segment_number].segment.passages[
                passages[here] - self.passages[segment_number]
            ]
        return PassageColumns(self.document_of(passages), *found.T[1:])

    def numbers_of_rows(self, rows: Array) -> Array:
        """The documents' numbers of some rows of the store; -1 for those not here."""
        if self._order is None:
            self._order = np.argsort(self.rows, kind="stable")
        at = np.searchsorted(self.rows, rows, sorter=self._order)
        at = np.minimum(at, max(len(self.rows) - 1, 0))
        if not len(self.rows):
            return np.full(len(rows), -1, dtype=np.int64)
        found = self._order[at]
        return np.where(self.rows[found] == rows, found, -1)


def put_aside(folder: Path) -> Path:
    """Where an index is for the moment in which a rebuilt one takes its place."""
    return folder.with_name(folder.name + ".old")
