"""Answering only when sure enough: how much is wrong at each share of questions answered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...platform.storage import Array


@dataclass(frozen=True, slots=True)
class RiskCoverage:
    """The risk–coverage curve of answers ordered by support, the surest first.

    Attributes
    ----------
    coverage : array, shape (questions,)
        Share of the questions answered, rising to 1.
    risk : array, shape (questions,)
        Mean loss of those answered.
    """

    coverage: Array
    risk: Array

    @property
    def area(self) -> float:
        """The mean risk over all coverages: 0 is best."""
        return float(self.risk.mean()) if len(self.risk) else float("nan")

    def risk_at(self, coverage: float) -> float:
        """The risk where at least a share of the questions is answered."""
        at = int(np.searchsorted(self.coverage, coverage - 1e-12))
        return float(self.risk[min(at, len(self.risk) - 1)]) if len(self.risk) else float("nan")


def risk_coverage(support: Sequence[float], loss: Sequence[float]) -> RiskCoverage:
    """How wrong the surest answers are, for every number of them.

    Answers with the same support are taken in any order: each counts their mean loss.

    Parameters
    ----------
    support : sequence of float
        One for each question, with nothing declined.
    loss : sequence of float
        0 for a right answer, 1 for a wrong one.

    References
    ----------
    El-Yaniv, Wiener (2010), On the foundations of noise-free selective classification.
    Geifman, Uziel, El-Yaniv (2019), Bias-reduced uncertainty estimation for deep neural
    classifiers, for the area.

    Examples
    --------
    >>> curve = risk_coverage([0.9, 0.8, 0.3, 0.2], [0, 0, 1, 1])
    >>> curve.risk.round(2).tolist(), round(curve.area, 3)
    ([0.0, 0.0, 0.33, 0.5], 0.208)
    """
    sure = np.asarray(support, dtype=np.float64)
    order = np.argsort(-sure, kind="stable")
    losses = np.asarray(loss, dtype=np.float64)[order]
    _, first, counts = np.unique(-sure[order], return_index=True, return_counts=True)
    means = np.add.reduceat(losses, first) / counts if len(losses) else losses
    even = np.repeat(means, counts)
    taken = np.arange(1, len(even) + 1)
    return RiskCoverage(taken / max(1, len(even)), np.cumsum(even) / taken)
