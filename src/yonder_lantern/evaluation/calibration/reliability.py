"""Whether a support of 0.8 is right eight times in ten."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...platform.storage import Array


@dataclass(frozen=True, slots=True)
class Bin:
    """Answers of about the same support: the mean of it, the share right, and how many."""

    support: float
    right: float
    count: int


@dataclass(frozen=True, slots=True)
class Calibration:
    """How far support is from the share that is right.

    Attributes
    ----------
    brier : float
        Mean squared difference between support and outcome.
    error : float
        Mean distance of a bin's support from its share right, by the questions in it.
    by_chance : float
        The same error of answers that are right exactly as often as they say, simulated:
        what is left of it with so few questions.
    bins : tuple of Bin
        With the same number of questions each, rising.
    """

    brier: float
    error: float
    by_chance: float
    bins: tuple[Bin, ...]


def brier_score(support: Sequence[float], right: Sequence[bool]) -> float:
    """The mean squared difference between support and outcome.

    Examples
    --------
    >>> round(brier_score([0.9, 0.2], [True, False]), 3)
    0.025
    """
    sure, hit = np.asarray(support, dtype=np.float64), np.asarray(right, dtype=np.float64)
    return float(((sure - hit) ** 2).mean()) if len(sure) else float("nan")


def calibration_of(
    support: Sequence[float],
    right: Sequence[bool],
    *,
    generator: np.random.Generator,
    bins: int = 10,
    draws: int = 200,
) -> Calibration:
    """Brier score and calibration error in bins of equal mass.

    Parameters
    ----------
    support : sequence of float
        Between 0 and 1, one a question, with nothing declined.
    right : sequence of bool
    generator : numpy.random.Generator
        For the simulation.
    bins : int
    draws : int
        Simulations.

    References
    ----------
    Brier (1950), Verification of forecasts expressed in terms of probability. Kumar, Liang,
    Ma (2019), Verified uncertainty calibration, for bins of equal mass and for what is left
    of the error by chance.

    Examples
    --------
    >>> own = calibration_of([0.9] * 10, [True] * 9 + [False], generator=np.random.default_rng(1))
    >>> round(own.error, 3), round(own.brier, 3)
    (0.0, 0.09)
    """
    sure = np.asarray(support, dtype=np.float64)
    hit = np.asarray(right, dtype=np.float64)
    if not len(sure):
        return Calibration(float("nan"), float("nan"), float("nan"), ())
    order = np.argsort(sure, kind="stable")
    # Answers of the same support stay together: a bin ends where support changes.
    edges = [0]
    for number in range(1, bins):
        at = round(number * len(order) / bins)
        while 0 < at < len(order) and sure[order[at]] == sure[order[at - 1]]:
            at += 1
        if edges[-1] < at < len(order):
            edges.append(at)
    parts = np.split(order, edges[1:])
    found = tuple(Bin(float(sure[p].mean()), float(hit[p].mean()), len(p)) for p in parts)
    simulated = [
        _error(sure, (generator.random(len(sure)) < sure).astype(np.float64), parts)
        for _ in range(draws)
    ]
    return Calibration(
        brier=brier_score(support, right),
        error=_error(sure, hit, parts),
        by_chance=float(np.mean(simulated)),
        bins=found,
    )


def _error(sure: Array, hit: Array, parts: Sequence[Array]) -> float:
    return sum(len(p) * abs(float(sure[p].mean() - hit[p].mean())) for p in parts) / len(sure)
