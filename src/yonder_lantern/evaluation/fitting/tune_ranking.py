"""Fitting how passages are ranked, on judged questions, and proving that it helps.

References
----------
Metzler, Croft (2007), Linear feature-based models for information retrieval, for
coordinate ascent on the measure itself. Efron, Tibshirani (1993), An introduction
to the bootstrap, for the paired intervals.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from ...core import Progress, no_progress
from ...platform.storage import Array
from ..measures import Ranked, covers
from ..questions import Question, Span
from ..statistics import Difference, Interval, bootstrap_mean, paired_difference

DEPTH = 10
_DISCOUNTS = np.log2(np.arange(2, DEPTH + 2))
_ROUNDS = 4
_LEAST_GAIN = 1e-4  # of the mean, for a step to be taken
_SIMPLER = 0.01  # of a weight's size, taken off the mean: what does nothing should be nothing
_STAGES = ("lexical", "lexical, document", "vector", "vector, document", "reading")
_WEIGHTS = (0.0, 0.05, 0.1, 0.15, 0.2, 0.3)
_GRIDS: Mapping[str, Sequence[float]] = {
    "lexical_weight": (0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95),
    "document_share": (0.0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6),
    "reading_weight": (0.0, 0.2, 0.3, 0.5, 0.8, 1.2, 2.0),
    "weights.asking": (0.0, -0.1, -0.2, -0.3, -0.5),
}


@dataclass(frozen=True, slots=True)
class Candidates:
    """The passages that a question could find, with what is known of each.

    Attributes
    ----------
    places : tuple of Ranked
    values : mapping of str to float64 array, shape (passages,)
        For each part of the score, what its weight multiplies, 0 to 1.
    """

    places: tuple[Ranked, ...]
    values: Mapping[str, Array]


class Tunable(Protocol):
    """What tuning needs of a desk."""

    def candidates(self, question: Question) -> Candidates:
        """The passages that a question could find."""
        ...


@dataclass(frozen=True, slots=True)
class Case:
    """One judged question: its candidates' values, and what each gains of each group."""

    values: Array  # shape (passages, parts)
    gains: Array  # shape (passages, groups): the best grade of what it covers
    best: Array  # shape (groups,): the best grade there is, largest first


@dataclass(frozen=True, slots=True)
class Tuned:
    """What tuning found.

    Attributes
    ----------
    before, after : mapping of str to float
        The settings of ``[find]``, by dotted key.
    questions : int
        How many judged questions it was fitted on.
    old, new : Interval
        Mean nDCG@10 of both on questions that the weights were not fitted on.
    gain : Difference
        Between them, question by question.
    test : Difference or None
        The same on the `test` questions, if there are any.
    """

    before: Mapping[str, float]
    after: Mapping[str, float]
    questions: int
    old: Interval
    new: Interval
    gain: Difference
    test: Difference | None = None
    parts: Sequence[str] = field(default_factory=tuple)

    @property
    def better(self) -> bool:
        """Whether a gain is shown, by the paired randomisation test."""
        return self.gain.is_gain

    def patch(self) -> str:
        """The settings that would change, as a piece of ``yonder.toml``."""
        changed = {key: value for key, value in self.after.items() if value != self.before[key]}
        weights_lines = [f"{key} = {value:g}" for key, value in changed.items() if "." not in key]
        inner = [
            f"{key.partition('.')[2]} = {value:g}" for key, value in changed.items() if "." in key
        ]
        lines = ["[find]", *weights_lines] if weights_lines else []
        if inner:
            lines += [*([""] if lines else []), "[find.weights]", *inner]
        return "\n".join(lines)


def tune(
    desk: Tunable,
    questions: Sequence[Question],
    located: Sequence[Sequence[Sequence[Span]]],
    settings: Mapping[str, float],
    *,
    folds: int = 5,
    seed: int = 1,
    resamples: int = 2000,
    progress: Progress = no_progress,
) -> Tuned:
    """Fit how passages are ranked on the ``fit`` questions, and measure what that gains.

    Each fold's questions are ranked with weights fitted on the other folds, so
    that no question is judged with weights it helped to choose. What is proposed
    in the end is fitted on all of them.

    Parameters
    ----------
    desk : Tunable
    questions : sequence of Question
    located : sequence
        For each question, its groups of expected spans; none if it has no answer.
    settings : mapping of str to float
        As they are now: ``lexical_weight``, ``document_share``, ``reading_weight``,
        ``weights.NAME``.
    folds : int
    seed, resamples : int
        For the folds and the intervals.
    progress : Progress
    """
    judged = [
        (question, groups)
        for question, groups in zip(questions, located, strict=True)
        if groups and question.split in ("fit", "test")
    ]
    parts = [*_STAGES, *(key.partition(".")[2] for key in settings if "." in key)]
    cases: dict[str, list[Case]] = {"fit": [], "test": []}
    for done, (question, groups) in enumerate(judged):
        progress("looking at candidates", done, len(judged))
        cases[question.split].append(case_of(desk.candidates(question), groups, parts))
    fit_cases = cases["fit"]
    order = np.random.default_rng(seed).permutation(len(fit_cases))
    old = np.array([ndcg_of(case, _vector(settings, parts)) for case in fit_cases])
    new = np.zeros(len(fit_cases))
    folds = max(2, min(folds, len(fit_cases)))
    for fold in range(folds):
        progress("fitting", fold, folds + 1)
        left_out = order[fold::folds]
        rest = [fit_cases[at] for at in np.setdiff1d(order, left_out)]
        fitted = _vector(_ascend(rest, settings, parts), parts)
        for at in left_out.tolist():
            new[at] = ndcg_of(fit_cases[at], fitted)
    progress("fitting", folds, folds + 1)
    after = _ascend(fit_cases, settings, parts)

    def interval(values: Array) -> Interval:
        return bootstrap_mean(values.tolist(), seed=seed, resamples=resamples)

    def gain(before: Sequence[float], then: Sequence[float]) -> Difference:
        return paired_difference(before, then, seed=seed, resamples=resamples)

    test = None
    if cases["test"]:
        a, b = _vector(settings, parts), _vector(after, parts)
        test = gain(*([ndcg_of(one, each) for one in cases["test"]] for each in (a, b)))
    return Tuned(
        dict(settings),
        after,
        len(fit_cases),
        interval(old),
        interval(new),
        gain(old.tolist(), new.tolist()),
        test,
    )


def case_of(found: Candidates, groups: Sequence[Sequence[Span]], parts: Sequence[str]) -> Case:
    """A question's candidates as arrays: their parts' values, and what each gains."""
    size = len(found.places)
    values = np.zeros((size, len(parts)))
    for column, name in enumerate(parts):
        if name in found.values:
            values[:, column] = found.values[name]
    gains = [
        [
            max((span.grade for span in group if covers(location, span)), default=0)
            for group in groups
        ]
        for location in found.places
    ]
    best = sorted((max(span.grade for span in group) for group in groups), reverse=True)
    return Case(values, np.array(gains).reshape(size, len(groups)), np.array(best))


def _vector(settings: Mapping[str, float], parts: Sequence[str]) -> Array:
    """The weight of each part of the score."""
    weight, share = settings["lexical_weight"], settings["document_share"]
    stages = (
        weight * (1 - share),
        weight * share,
        (1 - weight) * (1 - share),
        (1 - weight) * share,
        settings["reading_weight"],
    )
    stage_weights = dict(zip(_STAGES, stages, strict=True))
    return np.array(
        [stage_weights.get(name, settings.get(f"weights.{name}", 0.0)) for name in parts]
    )


def ndcg_of(case: Case, weights: Array) -> float:
    """nDCG@10 of a question's candidates under some weights, as `rank_measures` has it.

    Here in arrays: it is worked out a hundred thousand times.
    """
    order = np.argsort(-(case.values @ weights), kind="stable")[:DEPTH]
    gains = case.gains[order]
    first = np.argmax(gains > 0, axis=0) if len(gains) else np.zeros(len(case.best), dtype=int)
    met = gains[first, np.arange(gains.shape[1])] if len(gains) else np.zeros(len(case.best))
    ideal = float((case.best[:DEPTH] / _DISCOUNTS[: len(case.best)]).sum())
    return min(1.0, float((met / _DISCOUNTS[first]).sum()) / ideal)


def _ascend(
    cases: Sequence[Case], settings: Mapping[str, float], parts: Sequence[str]
) -> dict[str, float]:
    """One setting after another to the value that is best, until none gains any more."""

    def worth(point: Mapping[str, float]) -> float:
        weights = _vector(point, parts)
        size = sum(abs(value) for key, value in point.items() if "." in key)
        return float(np.mean([ndcg_of(case, weights) for case in cases])) - _SIMPLER * size

    point = dict(settings)
    best = worth(point)
    for _ in range(_ROUNDS):
        before = best
        for key in point:
            for value in _GRIDS.get(key, _WEIGHTS):
                tried = {**point, key: value}
                reached = worth(tried)
                if reached > best + _LEAST_GAIN:
                    best, point = reached, tried
        if best - before < _LEAST_GAIN:
            break
    return point
