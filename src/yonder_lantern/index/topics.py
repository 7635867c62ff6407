"""What the documents of an index are about: groups of them, each with a name.

References
----------
Dhillon, Modha (2001), Concept decompositions for large sparse text data using
clustering, for spherical k-means. Arthur, Vassilvitskii (2007), k-means++: the
advantages of careful seeding.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..embedding import unit_rows
from ..platform.storage import (
    Array,
    checked_array,
    private_folder,
    read_sealed,
    save_array,
    sealed,
    write_bytes,
)

_FEWEST = 8  # documents from which there are topics
_MOST = 40
_ROUNDS = 20
_SAMPLE = 20_000
_NAMED_BY = 3  # key terms


@dataclass(frozen=True, slots=True)
class Topics:
    """Topics by the centres of their documents' vectors, and their names.

    Attributes
    ----------
    centres : float32 array, shape (topics, dimensions)
    names : tuple of str
    middle : float32 array, shape (dimensions,)
        What all documents have in common, which tells none of them apart.
    """

    centres: Array
    names: tuple[str, ...]
    middle: Array

    @classmethod
    def learn(
        cls, vectors: Array, key_terms: Sequence[Sequence[str]], *, seed: int = 1
    ) -> Topics | None:
        """Learn topics of documents.

        Parameters
        ----------
        vectors : float32 array, shape (documents, dimensions)
            Unit vectors; zeros are left out.
        key_terms : sequence of sequence of str
            Of each document; the names are made of these.

        Returns
        -------
        Topics or None
            None for fewer than eight documents.
        """
        there = np.flatnonzero(vectors.any(axis=1))
        if len(there) < _FEWEST:
            return None
        generator = np.random.default_rng(seed)
        if len(there) > _SAMPLE:
            there = np.sort(generator.choice(there, _SAMPLE, replace=False))
        middle = vectors[there].mean(axis=0)
        centred = unit_rows(vectors[there] - middle)
        count = min(_MOST, max(2, round(math.sqrt(len(there) / 2))))
        centres = _spread_out(centred, count, generator)
        for _ in range(_ROUNDS):
            nearest = np.argmax(centred @ centres.T, axis=1)
            sums = np.zeros_like(centres)
            np.add.at(sums, nearest, centred)
            centres = np.where(np.any(sums, axis=1, keepdims=True), unit_rows(sums), centres)
        nearest = np.argmax(centred @ centres.T, axis=1)
        used = np.flatnonzero(np.bincount(nearest, minlength=count))
        groups = [[key_terms[at] for at in there[nearest == one].tolist()] for one in used]
        names = tuple(_names(groups))
        return cls(centres[used].astype(np.float32), names, middle.astype(np.float32))

    def of(self, vectors: Array) -> list[str]:
        """The topic of each document; empty for one without a vector."""
        nearest = np.argmax((vectors - self.middle) @ self.centres.T, axis=1).tolist()
        there: list[bool] = np.any(vectors, axis=1).tolist()
        return [
            self.names[at] if documents else ""
            for at, documents in zip(nearest, there, strict=True)
        ]

    def save(self, folder: Path) -> None:
        """Write them into a folder that must not exist yet."""
        private_folder(folder)
        save_array(folder / "centres.npy", self.centres)
        save_array(folder / "middle.npy", self.middle)
        write_bytes(folder / "names.json", sealed({"names": self.names}))

    @classmethod
    def load(cls, folder: Path) -> Topics:
        """Map them from their folder.

        Raises
        ------
        IndexStateError
            A file is missing or damaged.
        """
        names = read_sealed(folder / "names.json")["names"]
        centres, middle = (
            checked_array(folder / f"{n}.npy").whole() for n in ("centres", "middle")
        )
        return cls(centres, tuple(names), middle)


def _spread_out(vectors: Array, count: int, generator: np.random.Generator) -> Array:
    """First centres, far from each other."""
    chosen = [int(generator.integers(len(vectors)))]
    nearest = vectors @ vectors[chosen[0]]
    while len(chosen) < count:
        far = np.maximum(1.0 - nearest, 0.0).astype(np.float64) ** 2
        total = far.sum()
        if total <= 0:
            break
        chosen.append(int(generator.choice(len(vectors), p=far / total)))
        nearest = np.maximum(nearest, vectors @ vectors[chosen[-1]])
    return vectors[chosen].copy()


def _names(groups: Sequence[Sequence[Sequence[str]]]) -> list[str]:
    """For each group the key terms that it has and the others have not."""
    counts = [
        Counter(term.casefold() for terms in group for term in set(terms)) for group in groups
    ]
    total: Counter[str] = Counter()
    for group_counts in counts:
        total.update(group_counts)
    documents = sum(map(len, groups))
    names = []
    taken: set[str] = set()
    for group, group_counts in zip(groups, counts, strict=True):
        scores = _distinct(group_counts, total, len(group), documents)
        best = sorted(scores, key=lambda term: (-scores[term], term))[:_NAMED_BY]
        name = ", ".join(best) or "other"
        number = 2
        while name in taken:
            name = f"{', '.join(best) or 'other'} ({number})"
            number += 1
        taken.add(name)
        names.append(name)
    return names


def _distinct(
    counts: Mapping[str, int], total: Mapping[str, int], documents: int, all_documents: int
) -> dict[str, float]:
    """How far each term tells a group from the rest: its count times the log of its lift."""
    return {
        term: count * math.log((count / documents) / (total[term] / all_documents) + 1)
        for term, count in counts.items()
    }
