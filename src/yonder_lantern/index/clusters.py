"""An approximate index of vectors: clusters, of which a question looks into the nearest.

References
----------
Jégou, Douze, Schmid (2011), Product quantization for nearest neighbor search, for
the inverted file of clusters.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from ..embedding import centres_of, nearest_centres
from ..platform.storage import (
    Array,
    checked_array,
    private_folder,
    read_sealed,
    save_array,
    sealed,
    write_bytes,
)

_ARRAYS = ("centres", "bounds", "members", "positions")
_PASSAGES_PER_CLUSTER = 400
_SAMPLE_PER_CLUSTER = 40
_TRIALS = 200  # vectors asked for when the recall is measured
_WANTED = 10
_LEAST_RECALL = 0.97
_FIRST_PROBED = 4
_BLOCK = 16_384


@dataclass(frozen=True, slots=True)
class Clusters:
    """Which passages of a segment lie together.

    Attributes
    ----------
    centres : float32 array, shape (clusters, dimensions)
    bounds : int64 array, shape (clusters + 1,)
        Where each cluster begins, in the order of the clusters.
    members : int32 array, shape (passages,)
        The passages in that order.
    positions : int32 array, shape (passages,)
        Where each passage is in it.
    probed : int
        How many clusters a question looks into.
    recall : float
        Of the ten nearest by the exact scan, the share found, measured when this was
        built: with passages of the segment as questions, themselves left out.
    """

    centres: Array
    bounds: Array
    members: Array
    positions: Array
    probed: int
    recall: float

    @classmethod
    def build(cls, vectors: Array, *, seed: int = 1) -> Clusters:
        """Cluster the vectors of a segment, and measure how many clusters must be looked into."""
        generator = np.random.default_rng(seed)
        count = max(1, len(vectors) // _PASSAGES_PER_CLUSTER)
        sample = min(len(vectors), count * _SAMPLE_PER_CLUSTER)
        chosen = np.sort(generator.choice(len(vectors), sample, replace=False))
        centres = centres_of(np.asarray(vectors[chosen], dtype=np.float32), count, generator)
        nearest = nearest_centres(vectors, centres)
        members = np.argsort(nearest, kind="stable").astype(np.int32)
        positions = np.empty(len(members), dtype=np.int32)
        positions[members] = np.arange(len(members), dtype=np.int32)
        bounds = np.zeros(count + 1, dtype=np.int64)
        np.cumsum(np.bincount(nearest, minlength=count), out=bounds[1:])
        whole = cls(centres, bounds, members, positions, count, 1.0)
        return whole._measured(vectors, nearest, generator)

    def _measured(self, vectors: Array, nearest: Array, generator: np.random.Generator) -> Clusters:
        """With the fewest clusters to look into that find enough."""
        trials = generator.choice(len(vectors), min(_TRIALS, len(vectors)), replace=False)
        questions = np.asarray(vectors[trials], dtype=np.float32)
        exact = _exact(vectors, questions, trials)
        order = np.argsort(-(questions @ self.centres.T), axis=1)
        ranks = np.empty_like(order)
        np.put_along_axis(ranks, order, np.arange(order.shape[1])[None, :], axis=1)
        # For each of the nearest, how many clusters must be looked into to meet it.
        needed = np.concatenate(
            [rank[nearest[exact_ids]] + 1 for rank, exact_ids in zip(ranks, exact, strict=True)]
        )
        probed = min(_FIRST_PROBED, len(self.centres))
        while (recall := float(np.mean(needed <= probed))) < _LEAST_RECALL:
            probed = min(len(self.centres), probed + max(1, probed // 4))
        return replace(self, probed=probed, recall=recall)

    def near(self, question: Array) -> list[tuple[int, int]]:
        """The ranges, in the order of the clusters, of those nearest to a question."""
        cosines = self.centres @ question
        first = len(cosines) - self.probed
        chosen = np.argpartition(cosines, first)[first:] if first > 0 else np.arange(len(cosines))
        return [(int(self.bounds[one]), int(self.bounds[one + 1])) for one in np.sort(chosen)]

    def save(self, folder: Path) -> None:
        """Write it into a folder that must not exist yet."""
        private_folder(folder)
        for name in _ARRAYS:
            save_array(folder / f"{name}.npy", getattr(self, name))
        told = {"probed": self.probed, "recall": self.recall}
        write_bytes(folder / "measured.json", sealed(told))

    @classmethod
    def load(cls, folder: Path) -> Clusters:
        """Map it from its folder.

        Raises
        ------
        IndexStateError
            A file is missing or damaged.
        """
        told = read_sealed(folder / "measured.json")
        centres, bounds, members, positions = (
            checked_array(folder / f"{name}.npy").whole() for name in _ARRAYS
        )
        probed, recall = int(told["probed"]), float(told["recall"])
        return cls(centres, bounds, members, positions, probed, recall)


def _exact(vectors: Array, questions: Array, own_number: Array) -> Sequence[Array]:
    """The ten nearest of each question by a scan of everything, without itself."""
    best = np.full((len(questions), _WANTED), -np.inf, dtype=np.float32)
    where = np.zeros((len(questions), _WANTED), dtype=np.int64)
    for at in range(0, len(vectors), _BLOCK):
        scores = questions @ np.asarray(vectors[at : at + _BLOCK], dtype=np.float32).T
        here = np.flatnonzero((own_number >= at) & (own_number < at + _BLOCK))
        scores[here, own_number[here] - at] = -np.inf
        wanted = min(_WANTED, scores.shape[1])
        top = np.argpartition(scores, -wanted, axis=1)[:, -wanted:]
        together = np.concatenate([best, np.take_along_axis(scores, top, axis=1)], axis=1)
        positions = np.concatenate([where, top + at], axis=1)
        kept = np.argpartition(together, -_WANTED, axis=1)[:, -_WANTED:]
        best = np.take_along_axis(together, kept, axis=1)
        where = np.take_along_axis(positions, kept, axis=1)
    return list(where)
