"""Intervals by the bootstrap."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, slots=True)
class Interval:
    """A mean, the interval around it, and how many values it is of."""

    mean: float
    low: float
    high: float
    count: int

    def __str__(self) -> str:
        return f"{self.mean:.3f} [{self.low:.3f}, {self.high:.3f}]"


def bootstrap_mean(
    values: Sequence[float], *, seed: int, resamples: int = 2000, level: float = 0.95
) -> Interval:
    """The mean of some values with its percentile bootstrap interval.

    Parameters
    ----------
    values : sequence of float
        One a question. None gives NaN for everything.
    seed : int
        The same seed gives the same interval.
    resamples : int
    level : float

    References
    ----------
    Efron, Tibshirani (1993), An introduction to the bootstrap, chapter 13.

    Examples
    --------
    >>> print(bootstrap_mean([1.0, 0.0, 1.0, 1.0], seed=1))
    0.750 [0.250, 1.000]
    """
    data = np.asarray(values, dtype=np.float64)
    if not len(data):
        return Interval(float("nan"), float("nan"), float("nan"), 0)
    generator = np.random.default_rng(seed)
    means = data[generator.integers(0, len(data), size=(resamples, len(data)))].mean(axis=1)
    low, high = np.quantile(means, [(1 - level) / 2, (1 + level) / 2])
    return Interval(float(data.mean()), float(low), float(high), len(data))
