"""Vectors in two dimensions, so that what is alike lies together.

References
----------
van der Maaten, Hinton (2008), Visualizing data using t-SNE.
"""

from __future__ import annotations

import numpy as np

from ..platform.storage import Array

_NEIGHBOURS = 20.0
_ROUNDS = 400
_EARLY = 100  # rounds in which what is alike is drawn together more strongly
_STRONGER = 8.0


def on_a_plane(vectors: Array, *, seed: int = 1) -> Array:
    """Points in the plane for vectors, near to each other where these are.

    Parameters
    ----------
    vectors : float32 array, shape (n, dimensions)
        Unit vectors; a few thousand at most, as all pairs are looked at.
    seed : int

    Returns
    -------
    float64 array, shape (n, 2)
        Centred; the farthest point lies at distance 1.

    Examples
    --------
    >>> far_apart = np.eye(4, dtype=np.float32).repeat(5, axis=0)
    >>> points = on_a_plane(far_apart)
    >>> bool(np.abs(points[0] - points[1]).max() < np.abs(points[0] - points[19]).max())
    True
    """
    count = len(vectors)
    if count < 3:
        line = np.zeros((count, 2))
        line[:, 0] = np.linspace(-1, 1, count)
        return line
    near = _nearness(vectors)
    centred = vectors - vectors.mean(axis=0)
    _, _, axes = np.linalg.svd(centred[:: max(1, count // 1000)], full_matrices=False)
    points: Array = np.asarray(centred @ axes[:2].T, dtype=np.float32)
    points *= 1e-2 / max(float(points.std()), 1e-9)
    noise = np.random.default_rng(seed).standard_normal(points.shape, dtype=np.float32)
    points += np.float32(1e-4) * noise
    moved = np.zeros_like(points)
    gains = np.ones_like(points)
    step = np.float32(max(count / 48, 10.0))
    for turn in range(_ROUNDS):
        strength = np.float32(_STRONGER if turn < _EARLY else 1.0)
        squares = (points**2).sum(axis=1)
        apart = points @ points.T
        apart *= -2
        apart += squares[:, None]
        apart += squares
        apart += 1
        np.reciprocal(apart, out=apart)
        np.fill_diagonal(apart, 0.0)
        pull = strength * near - apart / apart.sum()
        pull *= apart
        slope = 4 * (pull.sum(axis=1)[:, None] * points - pull @ points)
        same = np.sign(slope) == np.sign(moved)
        gains = np.maximum(np.where(same, gains * 0.8, gains + 0.2), 0.01).astype(np.float32)
        moved = np.float32(0.5 if turn < _EARLY else 0.8) * moved - step * gains * slope
        points = points + moved
    points = points - points.mean(axis=0)
    farthest = float(np.linalg.norm(points, axis=1).max())
    return np.asarray(points / max(farthest, 1e-12), dtype=np.float64)


def _nearness(vectors: Array) -> Array:
    """For each pair, how likely one is to be taken for the other; all sum to one."""
    count = len(vectors)
    apart = np.maximum(2 - 2 * (vectors @ vectors.T), 0).astype(np.float64)
    np.fill_diagonal(apart, np.inf)
    wanted = np.log(min(_NEIGHBOURS, (count - 1) / 3) + 1e-9)
    low, high = np.full(count, 1e-6), np.full(count, 1e6)
    sharpness = np.full(count, 1.0)
    for _ in range(40):  # by halving, until each has about so many neighbours
        weights = np.exp(-apart * sharpness[:, None])
        sums = np.maximum(weights.sum(axis=1), 1e-300)
        finite = np.where(np.isinf(apart), 0.0, apart)
        entropy = np.log(sums) + sharpness * (finite * weights).sum(axis=1) / sums
        many = entropy > wanted
        low = np.where(many, sharpness, low)
        high = np.where(many, high, sharpness)
        sharpness = np.where(high >= 1e6, sharpness * 2, np.sqrt(low * high))
    weights /= sums[:, None]
    return np.asarray((weights + weights.T) / (2 * count), dtype=np.float32)
