"""Fitting the support from which an answer is given, and measuring its effect."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ..grading import Grades
from ..statistics import Interval, wilson_interval

_ATTEMPTS = 4


@dataclass(frozen=True, slots=True)
class AtThreshold:
    """What becomes of the questions at one threshold.

    Attributes
    ----------
    min_support : float
    wrong : Interval
        Of the answers given, those that are not right: to questions that the documents
        do not answer, or without every span that is expected.
    right : Interval
        Of the answerable questions, those answered rightly.
    excerpt_holds : Interval
        Of the answerable questions, those whose excerpt holds every span that is expected.
    not_answered : Interval
        Of the answerable questions, those not answered.
    not_answered_rightly : Interval
        Of the others, those not answered.
    """

    min_support: float
    wrong: Interval
    right: Interval
    excerpt_holds: Interval
    not_answered: Interval
    not_answered_rightly: Interval


@dataclass(frozen=True, slots=True)
class FittedThreshold:
    """A threshold fitted on the ``fit`` questions, and its effect on the ``test`` ones.

    Attributes
    ----------
    max_error_rate : float
        The share of wrong answers that was allowed.
    reached : bool
        Whether any threshold keeps to that on the ``fit`` questions.
    fit : AtThreshold
        On the questions it was fitted on.
    before, after : AtThreshold
        On the `test` questions, as it is and as proposed; on the `fit` ones if there are none.
    """

    max_error_rate: float
    reached: bool
    fit: AtThreshold
    before: AtThreshold
    after: AtThreshold

    def patch(self) -> str:
        """The settings to write, as TOML."""
        return f"[answer]\nmin_support = {self.after.min_support:g}"


def fit_threshold(
    graded: Callable[[float, str], Grades], *, now: float, max_error_rate: float
) -> FittedThreshold:
    """Fit the threshold for answering.

    The questions for fitting are asked once with nothing declined. The lowest threshold
    is taken at which no more than the allowed share of the answers given is wrong; where
    there is none, that with the smallest share. Its effect is measured by asking again: the
    questions for fitting, since a threshold also declines parts of a question and may so
    make an answer wrong (it is then raised, a few times at most), and those of the test split.

    Parameters
    ----------
    graded : callable
        The grades of a split's questions at a threshold.
    now : float
        The threshold as it is.
    max_error_rate : float
        Of the answers given, 0 to 1.

    References
    ----------
    El-Yaniv, Wiener (2010), On the foundations of noise-free selective classification:
    risk against coverage.
    """
    everything = graded(0.0, "fit")
    support = [one.support for one in everything.questions]
    right = [one.right for one in everything.questions]
    allowed = max_error_rate
    for _ in range(_ATTEMPTS):
        threshold, reached = threshold_for(support, right, allowed)
        fit = _at(threshold, graded(threshold, "fit"))
        excess = fit.wrong.mean - max_error_rate
        if not reached or not excess > 0:
            break
        allowed -= excess
        reached = False
    test = graded(threshold, "test")
    split = "test" if test.questions else "fit"
    after = _at(threshold, test) if test.questions else fit
    return FittedThreshold(max_error_rate, reached, fit, _at(now, graded(now, split)), after)


def threshold_for(
    support: Sequence[float], right: Sequence[bool], max_error_rate: float
) -> tuple[float, bool]:
    """The lowest threshold at which few enough answers are wrong, to two digits.

    Parameters
    ----------
    support : sequence of float
        One a question, with nothing declined.
    right : sequence of bool
    max_error_rate : float

    Returns
    -------
    threshold : float
    reached : bool

    Examples
    --------
    >>> threshold_for([0.9, 0.6, 0.2], [True, True, False], 0.1)
    (0.21, True)
    """
    grid = np.round(np.arange(0.0, 1.0, 0.01), 2)
    wrong = ~np.asarray(right, dtype=bool)
    given = np.asarray(support, dtype=np.float64)[None, :] >= grid[:, None]
    counts = given.sum(axis=1)
    shares = np.where(counts > 0, (given & wrong).sum(axis=1) / np.maximum(counts, 1), 1.0)
    able = np.flatnonzero(shares <= max_error_rate)
    if len(able):
        return float(grid[able[0]]), True
    return float(grid[int(np.argmin(shares))]), False


def _at(threshold: float, grades: Grades) -> AtThreshold:
    wrong = [not one.right for one in grades.questions if one.answered]
    left = [not one.answered for one in grades.questions if one.answerable]
    return AtThreshold(
        threshold,
        wilson_interval(sum(wrong), len(wrong)),
        grades.measure("right"),
        grades.measure("excerpt holds it"),
        wilson_interval(sum(left), len(left)),
        grades.measure("not answered rightly"),
    )
