"""How good a path is, whether several steps are needed, and how likely the best one is right."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields

from ...answer import Judged
from .follow_chain import Path
from .link_signs import SIGN_NAMES
from .path_weights import NEEDS, NEEDS_INTERCEPT, PATH, SUPPORT, SUPPORT_INTERCEPT
from .read_question import Way

_GAP = 2.0  # of two scores: what is further ahead is as good as alone


@dataclass(frozen=True, slots=True)
class PlainSigns:
    """What tells, before any further search, whether a question needs several steps.

    Attributes
    ----------
    support : float
        Of the best unit that one search found.
    context : float
        Share of the question that stands in that unit or above it.
    peak : float
        Its share of all units.
    by_clause, by_whoever, by_amount, by_of, by_described : float
        How the question tells of a thing.
    """

    support: float
    context: float
    peak: float
    by_clause: float
    by_whoever: float
    by_amount: float
    by_of: float
    by_described: float


PLAIN_NAMES = tuple(field.name for field in fields(PlainSigns))


@dataclass(frozen=True, slots=True)
class ChosenSigns:
    """What tells whether the best path is right.

    Attributes
    ----------
    score : float
        Of the path.
    ahead : float
        How far it is ahead of the best that ends elsewhere.
    needs : float
        How likely the question needs several steps.
    plain : float
        The support of the best unit that one search found.
    last_form, both, rare, first_support, first_context, last_support, rest : float
        The lowest of its links.
    sure, cell, loose : float
        The same: how surely each name was found.
    """

    score: float
    ahead: float
    needs: float
    plain: float
    last_form: float
    both: float
    rare: float
    first_support: float
    first_context: float
    last_support: float
    rest: float
    sure: float
    cell: float
    loose: float


CHOSEN_NAMES = tuple(field.name for field in fields(ChosenSigns))


def score_of(path: Path) -> float:
    """How good a path is: the mean over its links."""
    return math.fsum(_weighed(one, PATH) for one in path.signs) / len(path.signs)


def plain_signs(judged: Sequence[Judged], way: Way) -> PlainSigns:
    """The signs of a question of which one search is known."""
    best = judged[0] if judged else None
    ways = {name: float(name == f"by_{way}") for name in PLAIN_NAMES if name.startswith("by_")}
    return PlainSigns(
        support=best.support if best else 0.0,
        context=max((one.features.context for one in judged[:5]), default=0.0),
        peak=best.signs.peak if best else 0.0,
        **ways,
    )


def needs_steps(signs: PlainSigns) -> float:
    """How likely a question is not answered by any one passage."""
    return _logistic(NEEDS_INTERCEPT + _weighed(signs, NEEDS))


def chosen_signs(
    path: Path, score: float, others: Sequence[tuple[float, Path]], needs: float, plain: float
) -> ChosenSigns:
    """The signs of the best path, beside all the others."""
    last = path.steps[-1].judged.unit
    elsewhere = [one for one, other in others if not other.steps[-1].judged.unit.overlaps(last)]
    ahead = min(_GAP, score - max(elsewhere, default=score - _GAP)) / _GAP
    return ChosenSigns(
        score=score,
        ahead=max(0.0, ahead),
        needs=needs,
        plain=plain,
        **{name: min(getattr(one, name) for one in path.signs) for name in _LOWEST},
    )


def support_of(signs: ChosenSigns) -> float:
    """How likely a path is right."""
    return _logistic(SUPPORT_INTERCEPT + _weighed(signs, SUPPORT))


_LOWEST = tuple(name for name in CHOSEN_NAMES if name in SIGN_NAMES)


def _weighed(signs: object, weights: Mapping[str, float]) -> float:
    return math.fsum(weight * getattr(signs, name) for name, weight in weights.items())


def _logistic(odds: float) -> float:
    return 1 / (1 + math.exp(-odds))
