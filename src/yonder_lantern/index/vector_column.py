"""Vectors of the passages of a generation, segment by segment, under one numbering."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..platform.storage import Array, distinct
from .layout import Layout
from .passage_vectors import PassageVectors


class VectorColumn:
    """A vector for each passage of a generation.

    Parameters
    ----------
    layout : Layout
    vectors : sequence of PassageVectors or None
        Of each segment; None where it has none.
    """

    def __init__(self, layout: Layout, vectors: Sequence[PassageVectors | None]) -> None:
        self._layout = layout
        self._vectors = vectors

    def rows(self, passages: Array) -> Array | None:
        """The vectors of passages, float32; None if a segment among theirs has none."""
        found: Array | None = None
        for number, here, own in self._by_segment(passages):
            vectors = self._vectors[number]
            if vectors is None:
                return None
            if found is None:
                found = np.zeros((len(passages), vectors.dimensions), dtype=np.float32)
            found[here] = vectors.rows(own)
        return found

    def rows_or_zeros(self, passages: Array, dimensions: int) -> Array:
        """The vectors of passages, float32; zeros where there is none."""
        found = np.zeros((len(passages), dimensions), dtype=np.float32)
        for number, here, own in self._by_segment(passages):
            vectors = self._vectors[number]
            if vectors is not None:
                found[here] = vectors.rows(own)
        return found

    def nearest(self, vector: Array, limit: int, allowed: Array | None) -> Array:
        """At least so many of the allowed passages nearest to a vector; unordered."""
        masks = None if allowed is None else self._layout.by_segment(allowed)
        found = [np.zeros(0, dtype=np.int64)]
        for number, vectors in enumerate(self._vectors):
            if vectors is not None:
                mask = None if masks is None else masks[number]
                nearest = vectors.best(vector, limit, mask)
                found.append(nearest + int(self._layout.passages[number]))
        return np.concatenate(found)

    def cosines(self, vector: Array, passages: Array) -> Array:
        """How near passages are to a vector, float64; 0 where they have none."""
        found = np.zeros(len(passages), dtype=np.float64)
        for number, here, own in self._by_segment(passages):
            vectors = self._vectors[number]
            if vectors is not None:
                found[here] = vectors.scores(vector, own)
        return found

    def count_above(self, vector: Array, cosine: float, allowed: Array | None) -> int:
        """How many of the allowed passages are nearer to a vector than a cosine."""
        masks = None if allowed is None else self._layout.by_segment(allowed)
        return sum(
            vectors.count_above(vector, cosine, None if masks is None else masks[number])
            for number, vectors in enumerate(self._vectors)
            if vectors is not None
        )

    def _by_segment(self, passages: Array) -> list[tuple[int, Array, Array]]:
        """For each segment among those of passages: where they stand, and their numbers there."""
        number = np.searchsorted(self._layout.passages, passages, side="right") - 1
        return [
            (one, number == one, passages[number == one] - self._layout.passages[one])
            for one in distinct(number).tolist()
        ]
