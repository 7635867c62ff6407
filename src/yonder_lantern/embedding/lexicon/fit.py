"""Fits vectors of words so that their sums come close to given vectors of texts."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

import numpy as np

from ...core import Cancel, CancelledError, NeverCancel
from ...platform.storage import Array
from ..spherical import centres_of, nearest_centres

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_TOGETHER = 128  # texts about the same, which a batch holds side by side
_GROUPS = 4  # such groups of a batch
_SHARP = 0.05  # the temperature at which texts of a batch are compared
_RECALL = 0.9, 0.99  # of the mean and of the mean square of the slope
_WARM = 50  # steps until the rate is reached
_ITERATIONS = 12
_SEEDS = 40_000  # texts the groups are found among
_MOST_KINDS = 400


def fit_sums(
    counts: csr_matrix,
    wanted: Array,
    vectors: Array,
    *,
    strength: float,
    iterations: int = _ITERATIONS,
) -> Array:
    """Vectors whose sums are nearest to what is wanted, and which stay near to given ones.

    Ridge regression towards a prior, by conjugate gradients on the normal equations
    (Hestenes, Stiefel 1952), all dimensions at once.

    Parameters
    ----------
    counts : sparse float32 matrix, shape (texts, units)
        What each unit counts in each text.
    wanted : array, shape (texts, dimensions)
    vectors : float32 array, shape (units, dimensions)
        The prior.
    strength : float
        How much staying near to the prior is worth.
    iterations : int, default 12

    Returns
    -------
    float32 array, shape (units, dimensions)
    """
    back = counts.T.tocsr()
    residual = np.asarray(back @ (wanted.astype(np.float32) - counts @ vectors))
    change = np.zeros_like(vectors)
    direction = residual.copy()
    squares = (residual * residual).sum(axis=0)
    for _ in range(iterations):
        through = back @ (counts @ direction) + np.float32(strength) * direction
        step = squares / np.maximum((direction * through).sum(axis=0), 1e-12)
        change += step * direction
        residual -= step * through
        now = (residual * residual).sum(axis=0)
        direction = residual + now / np.maximum(squares, 1e-12) * direction
        squares = now
    return np.asarray(vectors + change)


def refine(
    vectors: Array,
    counts: csr_matrix,
    wanted: Array,
    *,
    epochs: int,
    rate: float,
    likeness: float = 0.03,
    seed: int = 0,
    told: Callable[[int, float], None] | None = None,
    cancel: Cancel | None = None,
) -> Array:
    """Vectors whose sums point where they should, and are near to each other as they should be.

    Steps by Adam (Kingma, Ba 2015) along the slope of two losses over batches of
    texts, a quarter of which is about the same: one less the cosine of a text's sum
    and its wanted vector; and, ``likeness`` times, the divergence between how the
    texts of a batch resemble each other and how they should (Park et al. 2019,
    Relational knowledge distillation; Passalis, Tefas 2018, Learning deep
    representations with probabilistic knowledge transfer).

    Parameters
    ----------
    vectors : float32 array, shape (units, dimensions)
        Where to begin.
    counts : sparse float32 matrix, shape (texts, units)
    wanted : array, shape (texts, dimensions)
        Unit vectors.
    epochs : int
        How often each text is looked at.
    rate : float
        The length of a step at first; it falls to zero.
    likeness : float, default 0.03
    seed : int, default 0
    told : callable, optional
        Told after each epoch its number and the mean of one less the cosine.
    cancel : Cancel, optional
    """
    chance = np.random.default_rng(seed)
    cancel = cancel or NeverCancel()
    found = vectors.astype(np.float32).copy()
    slopes, curves = np.zeros_like(found), np.zeros_like(found)
    groups = _groups(wanted, seed)
    steps = epochs * max(1, len(wanted) // (_TOGETHER * _GROUPS))
    step = 0
    for epoch in range(epochs):
        losses = []
        for batch in _batches(groups, chance):
            if cancel.is_set():
                raise CancelledError("interrupted while fitting")
            batch_counts = counts[batch]
            loss, slope = _slope(batch_counts @ found, wanted[batch].astype(np.float32), likeness)
            losses.append(loss)
            columns = batch_counts.tocsc()
            used = np.flatnonzero(np.diff(columns.indptr))
            gradient = np.asarray(columns[:, used].T.tocsr() @ slope, dtype=np.float32)
            step += 1
            first, second = _RECALL
            slopes[used] = first * slopes[used] + (1 - first) * gradient
            curves[used] = second * curves[used] + (1 - second) * gradient**2
            mean = slopes[used] / (1 - first**step)
            size = np.sqrt(curves[used] / (1 - second**step))
            now = rate * max(0.0, 1 - step / steps) * min(1.0, step / _WARM)
            found[used] -= now * mean / (size + 1e-8)
        if told:
            told(epoch, float(np.mean(losses)))
    return found


def _slope(sums: Array, wanted: Array, likeness: float) -> tuple[float, Array]:
    """One less the mean cosine, and how the whole loss falls with each of the sums."""
    lengths = np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-6)
    means = sums / lengths
    downhill = -wanted
    if likeness:
        should = _resemblance(wanted, wanted)
        across = _resemblance(means, wanted) - should
        among = _resemblance(means, means) - should
        slope = across @ wanted / 2 + (among + among.T) @ means
        downhill = downhill + likeness / _SHARP * slope
    downhill = downhill - (downhill * means).sum(axis=1, keepdims=True) * means
    loss = 1 - float((means * wanted).sum()) / len(means)
    return loss, downhill / lengths / len(means)


def _resemblance(rows: Array, others: Array) -> Array:
    """How likely each row is to be taken for each of the others but its own."""
    near = rows @ others.T / np.float32(_SHARP)
    np.fill_diagonal(near, -np.inf)
    near -= near.max(axis=1, keepdims=True)
    np.exp(near, out=near)
    near /= near.sum(axis=1, keepdims=True)
    return np.asarray(near)


def _groups(wanted: Array, seed: int) -> Array:
    """Of each text the number of a group of texts that are about the same."""
    chance = np.random.default_rng(seed)
    count = max(1, min(_MOST_KINDS, len(wanted) // _TOGETHER))
    some = wanted[chance.permutation(len(wanted))[:_SEEDS]].astype(np.float32)
    return nearest_centres(wanted, centres_of(some, count, chance))


def _batches(groups: Array, chance: np.random.Generator) -> Iterator[Array]:
    order = np.lexsort((chance.random(len(groups)), groups))
    parts = np.array_split(order, max(1, len(order) // _TOGETHER))
    positions = chance.permutation(len(parts))
    for start in range(0, max(1, len(parts) - _GROUPS + 1), _GROUPS):
        yield np.concatenate([parts[location] for location in positions[start : start + _GROUPS]])
