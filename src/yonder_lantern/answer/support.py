"""How good a unit is among those of a question, and how likely an answer with it is right."""

from __future__ import annotations

import math
import operator
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields

from ..core import SearchResult
from .fitted_weights import EXCERPT, EXCERPT_INTERCEPT, RANKING, SUPPORT, SUPPORT_INTERCEPT
from .unit_features import FEATURE_NAMES, UnitFeatures
from .units import Unit
from .unread_weights import (
    UNREAD_EXCERPT,
    UNREAD_EXCERPT_INTERCEPT,
    UNREAD_RANKING,
    UNREAD_SUPPORT,
    UNREAD_SUPPORT_INTERCEPT,
)

_WIDEST_GAP = 5.0  # of two ranking scores: what is further apart is as good as alone


@dataclass(frozen=True, slots=True)
class Signs:
    """What tells whether a unit answers, each between 0 and 1.

    What a heading says is not among them: on questions whose own heading was hidden, support went
    to whatever stood under another one that shared their words.

    Attributes
    ----------
    beside, passage, near, meaning, form, unknown, first, reading, lead
        As in `UnitFeatures`.
    found : float
        How well the first hit fits, see `SearchResult.strength`.
    gap : float
        How far the unit ranks above the best one of any other document; negative where below.
    peak : float
        The unit's share of all units, by a softmax over their ranking scores.
    """

    beside: float
    passage: float
    near: float
    meaning: float
    form: float
    unknown: float
    first: float
    reading: float
    lead: float
    found: float
    gap: float
    peak: float


SIGN_NAMES = tuple(field.name for field in fields(Signs))
_OF_UNIT = SIGN_NAMES[: SIGN_NAMES.index("found")]
_features = operator.attrgetter(*FEATURE_NAMES)
_signs = operator.attrgetter(*SIGN_NAMES)
_unread = operator.attrgetter(*UNREAD_SUPPORT)
_unread_features = operator.attrgetter(*UNREAD_RANKING)


def rankings(features: Sequence[UnitFeatures]) -> list[float]:
    """How good each unit is among those of one question."""
    if any(own.reading for own in features):
        return [_dot(_features(own), RANKING) for own in features]
    return [_dot(_unread_features(own), UNREAD_RANKING) for own in features]


def signs_of(
    units: Sequence[Unit],
    features: Sequence[UnitFeatures],
    scores: Sequence[float],
    result: SearchResult,
) -> list[Signs]:
    """What tells whether each unit answers, from how all of them rank."""
    if not units:
        return []
    best: dict[str, float] = {}
    for unit, score in zip(units, scores, strict=True):
        best[unit.document.id] = max(score, best.get(unit.document.id, score))
    highest = max(scores)
    total = math.fsum(math.exp(score - highest) for score in scores)
    found = result.strength
    signs = []
    for unit, own, score in zip(units, features, scores, strict=True):
        others = [other for id_, other in best.items() if id_ != unit.document.id]
        apart = score - max(others, default=score - _WIDEST_GAP)
        gap = min(max(apart / _WIDEST_GAP, -1.0), 1.0)
        peak = math.exp(score - highest) / total
        of_unit = {name: getattr(own, name) for name in _OF_UNIT}
        signs.append(Signs(**of_unit, found=found, gap=gap, peak=peak))
    return signs


def support(signs: Signs) -> float:
    """The estimated probability that an answer beginning with a unit is right."""
    if not signs.reading:
        return _logistic(UNREAD_SUPPORT_INTERCEPT + _dot(_unread(signs), UNREAD_SUPPORT))
    return _logistic(SUPPORT_INTERCEPT + _dot(_signs(signs), SUPPORT))


def excerpt_support(signs: Signs) -> float:
    """The estimated probability that one of the passages of the best units holds the answer."""
    if not signs.reading:
        return _logistic(UNREAD_EXCERPT_INTERCEPT + _dot(_unread(signs), UNREAD_EXCERPT))
    return _logistic(EXCERPT_INTERCEPT + _dot(_signs(signs), EXCERPT))


def _dot(numbers: Sequence[float], weights: Mapping[str, float]) -> float:
    return math.fsum(map(operator.mul, numbers, weights.values()))


def _logistic(odds: float) -> float:
    return 1 / (1 + math.exp(-odds))
