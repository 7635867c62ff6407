"""Means and shares with their intervals."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

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


def wilson_interval(successes: int, count: int, level: float = 0.95) -> Interval:
    """A proportion with Wilson's score interval, which holds for shares near 0 and 1 too.

    Parameters
    ----------
    successes, count : int
    level : float

    References
    ----------
    Wilson (1927), Probable inference, the law of succession, and statistical inference. Brown,
    Cai, DasGupta (2001), Interval estimation for a binomial proportion.

    Examples
    --------
    >>> print(wilson_interval(10, 10))
    1.000 [0.722, 1.000]
    """
    if not count:
        return Interval(float("nan"), float("nan"), float("nan"), 0)
    z = NormalDist().inv_cdf(0.5 + level / 2)
    share = successes / count
    centre = (share + z * z / (2 * count)) / (1 + z * z / count)
    spread = z * math.sqrt(share * (1 - share) / count + z * z / (4 * count * count))
    spread /= 1 + z * z / count
    low, high = max(0.0, centre - spread), min(1.0, centre + spread)
    return Interval(share, min(low, share), max(high, share), count)


def mean_interval(
    values: Sequence[float], *, seed: int, resamples: int = 2000, level: float = 0.95
) -> Interval:
    """The mean of some values: Wilson's interval if each is 0 or 1, the bootstrap's otherwise.

    Parameters
    ----------
    values, seed, resamples, level
        As for `bootstrap_mean`.

    Examples
    --------
    >>> print(mean_interval([1.0, 0.0, 1.0, 1.0], seed=1))
    0.750 [0.301, 0.954]
    """
    if values and all(value in (0.0, 1.0) for value in values):
        return wilson_interval(int(sum(values)), len(values), level)
    return bootstrap_mean(values, seed=seed, resamples=resamples, level=level)
