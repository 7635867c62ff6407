"""The reading stage: how near question and passage are to the reading model."""

from __future__ import annotations

import numpy as np

from ..index import IndexReader
from ..platform.storage import Array

LEAST_COSINE = 0.3  # cosine up to which a passage may have nothing to do with the question
_DECIMALS = 6  # beyond these, sums in float32 depend on how the rows were grouped


class ReadingScores:
    """Cosines of passages with one question, by the reading model.

    Parameters
    ----------
    snapshot : IndexReader
    question : str
        Empty where the stage does not take part.
    """

    def __init__(self, snapshot: IndexReader, question: str) -> None:
        self.question = question
        self._reading = snapshot.reading if question else None
        self._vector = self._reading.question(question) if self._reading else None
        self._known: dict[int, float] = {}

    @property
    def works(self) -> bool:
        """Whether the model is there and the question is one that it reads."""
        return self._vector is not None

    def best(self, limit: int, allowed: Array | None) -> Array:
        """The passages nearest to the question, of those that were read; unordered."""
        if self._reading is None or self._vector is None:
            return np.zeros(0, dtype=np.int64)
        passages = self._reading.nearest(self._vector, limit, allowed)
        return np.asarray(passages[self.kept(passages) > LEAST_COSINE])

    def kept(self, passages: Array) -> Array:
        """The cosines of some passages, float64; 0 for those that were not read."""
        return self._cosines(passages, now=False)

    def scores(self, passages: Array) -> Array:
        """The cosines of some passages, float64, which are read now; 0 for other languages."""
        return self._cosines(passages, now=True)

    def _cosines(self, passages: Array, *, now: bool) -> Array:
        if self._reading is None or self._vector is None:
            return np.zeros(len(passages), dtype=np.float64)
        unknown = np.array([one for one in passages.tolist() if one not in self._known], np.int64)
        if len(unknown):
            rows = self._reading.read(unknown) if now else self._reading.kept(unknown)
            found = np.round((rows * self._vector).sum(axis=1).astype(np.float64), _DECIMALS)
            for passage, cosine in zip(unknown.tolist(), found.tolist(), strict=True):
                if now or cosine:
                    self._known[passage] = cosine
        return np.array([self._known.get(one, 0.0) for one in passages.tolist()], dtype=np.float64)
