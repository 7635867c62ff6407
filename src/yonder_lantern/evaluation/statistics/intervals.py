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
        if not self.count:
            return "none"
        return f"{format_figure(self.mean)} [{format_figure(self.low)}, {format_figure(self.high)}]"


def format_figure(value: float, digits: int = 3, sign: str = "") -> str:
    """A figure as it is shown: what rounds to nothing has no minus.

    Examples
    --------
    >>> format_figure(-0.0004), format_figure(0.25, 2, "+"), format_figure(-0.0004, sign="+")
    ('0.000', '+0.25', '+0.000')
    """
    return f"{round(value, digits) + 0.0:{sign}.{digits}f}"


def bootstrap_mean(
    values: Sequence[float], *, seed: int, resamples: int = 2000, level: float = 0.95
) -> Interval:
    """The mean of some values with its bootstrap interval, corrected for bias and skew (BCa).

    Measures of rankings are skewed: most questions are at 1, a few far below. There the plain
    percentiles of the resampled means are too narrow.

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
    Efron (1987), Better bootstrap confidence intervals. Efron, Tibshirani (1993), An introduction
    to the bootstrap, chapter 14.

    Examples
    --------
    >>> print(bootstrap_mean([1.0, 0.5, 1.0, 1.0, 0.2], seed=1))
    0.740 [0.382, 1.000]
    """
    data = np.asarray(values, dtype=np.float64)
    if not len(data):
        return Interval(float("nan"), float("nan"), float("nan"), 0)
    mean = float(data.mean())
    gaps = data - mean
    spread = float((gaps**2).sum())
    if spread <= 1e-24 * len(data):
        return Interval(mean, mean, mean, len(data))
    generator = np.random.default_rng(seed)
    means = data[generator.integers(0, len(data), size=(resamples, len(data)))].mean(axis=1)
    means = mean + (means - mean) * math.sqrt(len(data) / (len(data) - 1))
    below = float(((means < mean).sum() + 0.5 * (means == mean).sum()) / resamples)
    normal = NormalDist()
    bias = normal.inv_cdf(min(max(below, 1 / resamples), 1 - 1 / resamples))
    skew = float((gaps**3).sum()) / (6 * spread**1.5)
    reach = normal.inv_cdf(0.5 + level / 2)
    ends = [normal.cdf(bias + (bias + z) / (1 - skew * (bias + z))) for z in (-reach, reach)]
    low, high = (float(end) for end in np.quantile(means, ends))
    low, high = max(low, float(data.min())), min(high, float(data.max()))
    return Interval(mean, min(low, mean), max(high, mean), len(data))


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
