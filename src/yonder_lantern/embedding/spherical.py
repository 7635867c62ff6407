"""Vectors on the unit sphere: scaled to it, and grouped by their directions.

References
----------
Dhillon, Modha (2001), Concept decompositions for large sparse text data using
clustering, for spherical k-means.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from ..platform.storage import Array

_BLOCK = 16_384  # vectors that are compared at once
_ROUNDS = 8
_BAGS = 128  # of words, whose sums are made at once; a bound on memory


def unit_rows(rows: Array) -> Array:
    """Rows scaled to length one; zeros stay.

    Examples
    --------
    >>> unit_rows(np.array([[3.0, 4.0], [0.0, 0.0]])).tolist()
    [[0.6, 0.8], [0.0, 0.0]]
    """
    lengths = np.linalg.norm(rows, axis=1, keepdims=True)
    return np.asarray(np.divide(rows, lengths, out=np.zeros_like(rows), where=lengths > 1e-12))


def weighted_sums(
    counts: Sequence[Mapping[str, float]],
    vector_of: Callable[[str], Array | None],
    damped: Callable[[Array], Array],
    dimensions: int,
) -> Array:
    """For each bag of words the sum of their vectors, each times its damped count.

    Parameters
    ----------
    counts : sequence of mapping of str to float
    vector_of : callable
        A word's vector; None if it has none.
    damped : callable
        What counts become, all at once.
    dimensions : int

    Returns
    -------
    float32 array, shape (counts, dimensions)

    Examples
    --------
    >>> sea = {"wave": np.array([1.0, 0.0]), "wind": np.array([0.0, 1.0])}
    >>> weighted_sums([{"wave": 4, "wind": 1}, {"oar": 1}], sea.get, np.sqrt, 2).tolist()
    [[2.0, 1.0], [0.0, 0.0]]
    """
    found = np.zeros((len(counts), dimensions), dtype=np.float32)
    for start in range(0, len(counts), _BAGS):
        part = counts[start : start + _BAGS]
        columns: dict[str, int] = {}
        positions = [
            (row, columns.setdefault(word, len(columns)), count)
            for row, row_values in enumerate(part)
            for word, count in row_values.items()
        ]
        if not positions:
            continue
        vectors = np.zeros((len(columns), dimensions), dtype=np.float32)
        for word, column in columns.items():
            own_vector = vector_of(word)
            if own_vector is not None:
                vectors[column] = own_vector
        rows, own_columns, numbers = map(np.array, zip(*positions, strict=True))
        weights = np.zeros((len(part), len(columns)), dtype=np.float32)
        weights[rows, own_columns] = damped(numbers)
        found[start : start + len(part)] = weights @ vectors
    return found


def nearest_centres(vectors: Array, centres: Array) -> Array:
    """For each vector the number of the centre in whose direction it lies."""
    found = np.empty(len(vectors), dtype=np.int64)
    for at in range(0, len(vectors), _BLOCK):
        block = np.asarray(vectors[at : at + _BLOCK], dtype=np.float32)
        found[at : at + _BLOCK] = np.argmax(block @ centres.T, axis=1)
    return found


def centres_of(sample: Array, count: int, generator: np.random.Generator) -> Array:
    """Centres of groups of unit vectors, by spherical k-means.

    Parameters
    ----------
    sample : float32 array, shape (vectors, dimensions)
    count : int
        How many groups.
    generator : numpy.random.Generator
    """
    centres = sample[np.sort(generator.choice(len(sample), count, replace=False))].copy()
    for _ in range(_ROUNDS):
        nearest = nearest_centres(sample, centres)
        order = np.argsort(nearest, kind="stable")
        sizes = np.bincount(nearest, minlength=count)
        starts = np.cumsum(sizes) - sizes
        filled = sizes > 0
        centres[filled] = unit_rows(np.add.reduceat(sample[order], starts[filled], axis=0))
        empty = np.flatnonzero(~filled)  # an empty one begins anew at some vector
        centres[empty] = sample[generator.choice(len(sample), len(empty))]
    return centres
