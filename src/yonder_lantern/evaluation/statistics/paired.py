"""Two states over the same questions: how far they differ, and whether that is chance."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .intervals import bootstrap_mean, format_figure
from .over_collections import paired_randomisation

_LEVEL = 0.05


@dataclass(frozen=True, slots=True)
class Difference:
    """The mean difference of two states over the same questions.

    Attributes
    ----------
    mean, low, high : float
        After less before, with its 95 % bootstrap interval.
    p : float
        Two-sided, of the paired randomisation test; corrected where several are compared.
    count : int
        Questions.
    deviation : float
        Standard deviation of the questions' differences.
    step : float
        How far the questions that differ do so, on average; NaN if none does.
    """

    mean: float
    low: float
    high: float
    p: float
    count: int
    deviation: float
    step: float = math.nan

    @property
    def is_shown(self) -> bool:
        """Whether a difference is shown at the level of 5 %."""
        return self.p < _LEVEL

    @property
    def is_gain(self) -> bool:
        """Whether it is shown, and above zero."""
        return self.is_shown and self.mean > 0

    def __str__(self) -> str:
        mean, low, high = (format_figure(one, sign="+") for one in (self.mean, self.low, self.high))
        return f"{mean} [{low}, {high}]"


def paired_difference(
    before: Sequence[float],
    after: Sequence[float],
    *,
    seed: int,
    resamples: int = 2000,
    rounds: int = 10_000,
) -> Difference:
    """How far two states differ over the same questions, and how likely that is by chance.

    Parameters
    ----------
    before, after : sequence of float
        One value a question, in the same order.
    seed : int
    resamples, rounds : int
        Of the interval's bootstrap and of the randomisation test.

    Raises
    ------
    ValueError
        They are not of the same number of questions.

    References
    ----------
    As for `paired_randomisation`.

    Examples
    --------
    >>> gain = paired_difference([0.0] * 20, [1.0] * 12 + [0.0] * 8, seed=1)
    >>> round(gain.mean, 2), gain.is_shown
    (0.6, True)
    """
    if len(before) != len(after):
        raise ValueError("the two states were not asked the same questions")
    gaps = np.asarray(after, dtype=np.float64) - np.asarray(before, dtype=np.float64)
    interval = bootstrap_mean(gaps.tolist(), seed=seed, resamples=resamples)
    if not gaps.any():  # nothing differs: no draw of signs could be further from 0
        p = 1.0 if len(gaps) else float("nan")
    else:
        generator = np.random.default_rng(seed)
        p = paired_randomisation({"": before}, {"": after}, generator=generator, rounds=rounds)[1]
    deviation = float(gaps.std(ddof=1)) if len(gaps) > 1 else float("nan")
    differing = np.abs(gaps[gaps != 0])
    step = float(differing.mean()) if len(differing) else math.nan
    return Difference(interval.mean, interval.low, interval.high, p, len(gaps), deviation, step)


def holm(differences: Sequence[Difference]) -> list[Difference]:
    """The same with p corrected for how many are compared, in their order.

    Parameters
    ----------
    differences : sequence of Difference
        Of one family: all that are looked at together.

    References
    ----------
    Holm (1979), A simple sequentially rejective multiple test procedure.

    Examples
    --------
    >>> two = [Difference(0.1, 0, 0.2, p, 50, 0.3) for p in (0.04, 0.01)]
    >>> [round(one.p, 2) for one in holm(two)]
    [0.04, 0.02]
    """
    order = sorted(range(len(differences)), key=lambda at: differences[at].p)
    corrected = list(differences)
    highest = 0.0
    for number, at in enumerate(order):
        p = differences[at].p
        if not math.isnan(p):  # it is of no question
            highest = max(highest, min(1.0, p * (len(order) - number)))
            corrected[at] = replace(differences[at], p=highest)
    return corrected
