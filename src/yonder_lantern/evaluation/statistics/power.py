"""What a number of questions can show."""

from __future__ import annotations

import math
from statistics import NormalDist

_POWER = 0.8


def detectable_difference(
    deviation: float,
    count: int,
    *,
    step: float = 0.0,
    level: float = 0.05,
    power: float = _POWER,
) -> float:
    """The smallest difference that so many questions show with the given power.

    Parameters
    ----------
    deviation : float
        Standard deviation of the questions' differences.
    count : int
        Questions.
    step : float
        How far a question that differs does so: 1 for what is either right or wrong. Where few
        differ, this bounds the difference from below: some must, or no test can show anything.
        The result is corrected for continuity by it, as the test moves in such steps.
    level, power : float

    References
    ----------
    Cohen (1988), Statistical power analysis for the behavioral sciences, chapter 2; by the normal
    approximation. Sakai (2018), Laboratory experiments in information retrieval, chapter 6. Fleiss,
    Levin, Paik (2003), Statistical methods for rates and proportions, for the correction.

    Examples
    --------
    >>> round(detectable_difference(0.4, 100), 3), round(detectable_difference(0.1, 100, step=1), 3)
    (0.112, 0.083)
    """
    if not count:
        return math.nan
    z = _sum_of_quantiles(level, power)
    return max(z * deviation / math.sqrt(count), z * z * step / (count + z * z)) + step / count


def questions_needed(
    deviation: float,
    difference: float,
    *,
    step: float = 0.0,
    level: float = 0.05,
    power: float = _POWER,
) -> int:
    """How many questions show a difference with the given power.

    Parameters
    ----------
    deviation, difference, step, level, power
        As for `detectable_difference`, of which this is the inverse.

    Examples
    --------
    >>> questions_needed(0.4, 0.05), questions_needed(0.1, 0.083, step=1)
    (503, 100)
    """
    z = _sum_of_quantiles(level, power)
    spread = z * deviation
    root = (spread + math.sqrt(spread**2 + 4 * step * difference)) / (2 * difference)
    linear = z * z * (difference - step) - step
    few = (math.sqrt(linear**2 + 4 * difference * step * z * z) - linear) / (2 * difference)
    return math.ceil(max(root**2, few))


def _sum_of_quantiles(level: float, power: float) -> float:
    normal = NormalDist()
    return normal.inv_cdf(1 - level / 2) + normal.inv_cdf(power)
