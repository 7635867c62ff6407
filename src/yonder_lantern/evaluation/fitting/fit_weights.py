"""Fitting the answerer's weights on judged questions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...platform.storage import Array


@dataclass(frozen=True, slots=True)
class RankingCase:
    """The units of one question: a row of features each, and which are right."""

    features: Array
    right: Array


@dataclass(frozen=True, slots=True)
class FittedSupport:
    """Weights and intercept of a logistic model."""

    weights: Array
    intercept: float

    def probability(self, features: Array) -> Array:
        """The probability that an answer is right, for rows of features."""
        odds = self.intercept + features @ self.weights
        return np.asarray(1 / (1 + np.exp(-odds)))


def fit_ranking(
    cases: Sequence[RankingCase], *, start: Array, penalty: float, bounds: Sequence[tuple[Any, Any]]
) -> Array:
    """Weights under which right units come first.

    Maximises the probability, by a softmax over the units of each question, that
    a right one is drawn, less ``penalty`` times the squared distance to ``start``.

    References
    ----------
    Cao, Qin, Liu, Tsai, Li (2007), Learning to rank: from pairwise approach to
    listwise approach.
    """
    from scipy.optimize import minimize

    def loss(weights: Array) -> tuple[float, Array]:
        total = penalty * float(((weights - start) ** 2).sum())
        slope = 2 * penalty * (weights - start)
        for case in cases:
            scores = case.features @ weights
            exponents = np.exp(scores - scores.max())
            drawn = exponents / exponents.sum()
            among_right = np.where(case.right, exponents, 0.0)
            mass = among_right.sum()
            total -= float(np.log(max(mass, 1e-300) / exponents.sum())) / len(cases)
            slope -= ((among_right / mass) - drawn) @ case.features / len(cases)
        return total, slope

    found = minimize(loss, start, jac=True, bounds=bounds, method="L-BFGS-B")
    return np.asarray(found.x)


def fit_support(
    features: Array,
    right: Array,
    *,
    weights: Array,
    penalty: float,
    bounds: Sequence[tuple[Any, Any]],
) -> FittedSupport:
    """A logistic model of whether an answer that begins with a unit is right.

    Parameters
    ----------
    features : array, shape (questions, features)
        Of the best unit of each question.
    right : bool array, shape (questions,)
    weights : array, shape (questions,)
        How much each question counts.
    penalty : float
        On the squared weights, not on the intercept.
    bounds : sequence of pairs
        For each weight.
    """
    from scipy.optimize import minimize

    signs = np.where(right, 1.0, -1.0)
    share = weights / weights.sum()

    def loss(point: Array) -> tuple[float, Array]:
        slopes, intercept = point[:-1], point[-1]
        margins = signs * (features @ slopes + intercept)
        total = float(share @ np.logaddexp(0, -margins)) + penalty * float((slopes**2).sum())
        pull = -signs / (1 + np.exp(margins)) * share
        slope = np.append(pull @ features + 2 * penalty * slopes, pull.sum())
        return total, slope

    start = np.zeros(features.shape[1] + 1)
    found = minimize(loss, start, jac=True, bounds=[*bounds, (None, None)], method="L-BFGS-B")
    return FittedSupport(np.asarray(found.x[:-1]), float(found.x[-1]))
