"""Units with what is thought of them, and how they compare with each other."""

from __future__ import annotations

from dataclasses import dataclass

from ..core import SearchResult
from .answer_type import AnswerType, answer_type, codes_in
from .check import values_in
from .support import Signs
from .unit_features import UnitFeatures
from .units import Unit

_ALIKE = 0.7  # units that share this much of their terms say the same


@dataclass(frozen=True, slots=True)
class Judged:
    """A unit with its features, its two scores, and what its support was told by."""

    unit: Unit
    features: UnitFeatures
    rank: float
    support: float
    signs: Signs


def wanted_by(result: SearchResult) -> AnswerType:
    """What the question asks for, or what the one it leans on did."""
    expected = answer_type(result.query.question)
    return expected if expected is not AnswerType.ANYTHING else answer_type(result.query.background)


def alike(one: Unit, other: Unit) -> bool:
    """Whether two units say the same, with the same figures and codes."""
    a, b = frozenset(one.terms), frozenset(other.terms)
    if not a or not b or len(a & b) < _ALIKE * min(len(a), len(b)):
        return False
    return _figures(one) == _figures(other)


def _figures(unit: Unit) -> frozenset[object]:
    values = {(value.kind, value.amount) for value in values_in(unit.text)}
    return frozenset(values | codes_in(unit.text))
