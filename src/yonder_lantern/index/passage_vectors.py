"""The vectors of a segment: how they are kept, and finding the nearest ones."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np

from ..platform.storage import Array, StoredArray, checked_array, save_array, whole_folder
from .clusters import Clusters

Form = Literal["float32", "float16", "int8"]
_BLOCK = 4096  # rows of a small form that are made large at a time: they stay in the cache
_DECIMALS = 6  # beyond these, sums in float32 depend on how the rows were grouped
_APART = 1e-5  # how far a scan may be from the exact score
_APART_SMALL = 2e-2  # and one of a small form
_FEW = 0.2  # of all passages, up to which the allowed ones are picked out instead of all scanned
_SCORED_AGAIN = 4  # times what is wanted are scored exactly after a scan of a small form
_GROUP = 512  # scores whose largest stands for them when the best are looked for


@dataclass(frozen=True, slots=True)
class _Bytes:
    """Vectors in whole numbers from -127 to 127, each with a scale of its own."""

    values: StoredArray
    scales: StoredArray


class PassageVectors:
    """The vectors of a segment's passages.

    Parameters
    ----------
    exact : float32 or float16 array, shape (passages, dimensions)
        In the order of the clusters, if there are any.
    small : _Bytes, optional
        A form that is scanned instead, in the same order; its best are then scored
        exactly.
    clusters : Clusters, optional
        Of a large segment: the nearest are looked into instead of a scan of everything.
    """

    def __init__(
        self, exact: StoredArray, small: _Bytes | None = None, clusters: Clusters | None = None
    ) -> None:
        self._exact = exact
        self._small = small
        self.clusters = clusters

    def __len__(self) -> int:
        return len(self._exact)

    @property
    def dimensions(self) -> int:
        """Of each vector."""
        return int(self._exact.shape[1])

    def rows(self, passages: Array) -> Array:
        """The vectors of some passages, float32."""
        positions = passages if self.clusters is None else self.clusters.positions[passages]
        return np.asarray(self._exact[positions], dtype=np.float32)

    def scores(self, question: Array, passages: Array) -> Array:
        """The cosines of some passages, float64, the same to the bit however many are asked for."""
        found = np.asarray((self.rows(passages) * question).sum(axis=1), dtype=np.float64)
        return np.asarray(np.round(found, _DECIMALS))

    def best(self, question: Array, limit: int, allowed: Array | None = None) -> Array:
        """The passages nearest to a question, or those of a small form likely to be; unordered.

        Parameters
        ----------
        question : float32 array, shape (dimensions,)
        limit : int
            How many at least, if there are so many; ties and near misses may come too.
        allowed : bool array, shape (passages,), optional
            Which passages count; all by default.

        Returns
        -------
        int64 array
        """
        if allowed is not None:
            here = np.flatnonzero(allowed)
            if len(here) <= _FEW * len(self):
                scores = self.rows(here) @ question
                return np.asarray(here[top(scores, limit)])
        wanted = limit if self._small is None else limit * _SCORED_AGAIN
        if self.clusters is not None:
            return self._by_clusters(self.clusters, question, wanted, allowed)
        scores = self.scan(question)
        if allowed is not None:
            scores[~allowed] = -np.inf
        return top(scores, wanted)

    def _by_clusters(
        self, clusters: Clusters, question: Array, wanted: int, allowed: Array | None
    ) -> Array:
        spans = clusters.near(question)
        found = np.concatenate([self._scanned(question, start, end) for start, end in spans])
        passages = np.concatenate([clusters.members[start:end] for start, end in spans])
        if allowed is not None:
            kept = allowed[passages]
            found, passages = found[kept], passages[kept]
        return np.asarray(passages[top(found, wanted)], dtype=np.int64)

    def count_above(self, question: Array, score: float, allowed: Array | None = None) -> int:
        """How many passages score more than this; what a scan leaves open is scored exactly."""
        found = self.scan(question)
        if allowed is not None:
            found[~allowed] = -np.inf
        apart = _APART if self._small is None else _APART_SMALL
        unsure = np.flatnonzero(np.abs(found - score) <= apart)
        sure = int(np.count_nonzero(found > score + apart))
        return sure + int(np.count_nonzero(self.scores(question, unsure) > score))

    def scan(self, question: Array) -> Array:
        """The cosines of all passages, float32; of a small form, nearly."""
        found = self._scanned(question, 0, len(self))
        return found if self.clusters is None else np.asarray(found[self.clusters.positions])

    def _scanned(self, question: Array, start: int, end: int) -> Array:
        """The cosines of a range, in the order in which they are kept."""
        if self._small is None and self._exact.dtype == np.float32:
            return np.asarray(self._exact[start:end] @ question)
        found = np.empty(end - start, dtype=np.float32)
        for at in range(start, end, _BLOCK):
            stop = min(at + _BLOCK, end)
            if self._small is not None:
                large = self._small.values[at:stop].astype(np.float32)
            else:
                large = _from_half(self._exact[at:stop])
            np.matmul(large, question, out=found[at - start : stop - start])
        if self._small is not None:
            found *= self._small.scales[start:end]
        return found


def _from_half(values: Array) -> Array:
    """Float16 as float32, several times faster than NumPy's own conversion.

    The bits of the exponent and the fraction are moved to where float32 has them; what
    is then missing is a factor of two to the difference of the exponents' offsets.

    Examples
    --------
    >>> own = np.array([1.5, -0.25, 0.0, 6e-8], dtype=np.float16)
    >>> bool((_from_half(own) == own.astype(np.float32)).all())
    True
    """
    bits = values.view(np.int16).astype(np.int32)
    bits <<= 13
    bits &= np.int32(-1879056384)  # the sign, and what was moved: 0x8fffe000
    large = bits.view(np.float32)
    large *= np.float32(2.0**112)
    return large


def top(scores: Array, limit: int) -> Array:
    """Where the largest scores are, with everything that ties with the last; unordered.

    Examples
    --------
    >>> top(np.array([0.1, 0.9, 0.4, 0.9]), 1).tolist()
    [1, 3]
    """
    if len(scores) <= limit:
        return np.flatnonzero(scores > -np.inf)
    whole = len(scores) // _GROUP * _GROUP
    if whole // _GROUP > 4 * limit:
        # The limit-th largest of the groups' maxima: so many scores at least are as large.
        maxima = scores[:whole].reshape(-1, _GROUP).max(axis=1)
        floor = np.partition(maxima, len(maxima) - limit)[len(maxima) - limit]
        here = np.flatnonzero(scores >= floor)
    else:
        here = np.arange(len(scores))
    scores_here = scores[here]
    threshold = np.partition(scores_here, len(scores_here) - limit)[len(scores_here) - limit]
    return np.asarray(here[(scores_here >= threshold) & (scores_here > -np.inf)])


def vectors_path(folder: Path, segment: str, embedding: str) -> Path:
    """Where a segment's vectors under an embedding are."""
    return folder / "vectors" / f"{segment}.{embedding}"


def save_vectors(path: Path, vectors: Array, form: Form, approximate_from: int) -> float | None:
    """Write a segment's vectors into a folder, in one step.

    Parameters
    ----------
    path : Path
    vectors : float32 array, shape (passages, dimensions)
    form : {"float32", "float16", "int8"}
    approximate_from : int
        From how many passages on they are clustered; 0 is never.

    Returns
    -------
    float or None
        The measured recall of the clusters, if there are any.
    """
    recall = None
    with whole_folder(path) as beside:
        if approximate_from and len(vectors) >= approximate_from:
            clusters = Clusters.build(vectors)
            clusters.save(beside / "clusters")
            vectors = vectors[clusters.members]
            recall = clusters.recall
        stored = vectors.astype(np.float16) if form == "float16" else vectors
        save_array(beside / "exact.npy", stored)
        if form == "int8":
            scales = np.abs(vectors).max(axis=1, initial=0.0) / 127
            safe = np.where(scales > 0, scales, 1.0)[:, None]
            save_array(beside / "small.npy", np.round(vectors / safe).astype(np.int8))
            save_array(beside / "scales.npy", scales.astype(np.float32))
    return recall


def load_vectors(path: Path) -> PassageVectors:
    """Map a segment's vectors from their folder.

    Raises
    ------
    IndexStateError
        A file is missing or damaged.
    """
    small = clusters = None
    if (path / "small.npy").exists():
        small = _Bytes(checked_array(path / "small.npy"), checked_array(path / "scales.npy"))
    if (path / "clusters").exists():
        clusters = Clusters.load(path / "clusters")
    return PassageVectors(checked_array(path / "exact.npy"), small, clusters)
