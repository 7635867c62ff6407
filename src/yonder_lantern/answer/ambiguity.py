"""When what was found does not settle a question: rows that fit alike, units that contradict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..core import BlockKind, SearchResult
from ..search import analyser_for
from ..text import cells_of, words
from .answer_type import AnswerType, has_answer_type
from .check import Value, unit_of, values_in
from .judged import Judged, wanted_by
from .units import Unit, document_units

_TIE = 0.05  # how far apart rows that fit alike may be in words that are like the question's
_MOST_CHOICES = 8
_NEAR = 2.0  # how far below the best one a unit that contradicts it may rank
_AS_SURE = 0.4  # of the best one's support, which counts how far it leads, too
_SHARED = 0.75  # of the question's weight in the best unit that must stand in the other
_AFTER = 20  # characters after a number that tell what it is of
_MEASURED = frozenset(
    {
        AnswerType.DURATION,
        AnswerType.MONEY,
        AnswerType.LENGTH,
        AnswerType.WEIGHT,
        AnswerType.SPEED,
        AnswerType.WARMTH,
    }
)


def equal_rows(judged: Sequence[Judged], result: SearchResult) -> list[Judged]:
    """The rows of the best one's table that fit the question as well as it does.

    Empty where a row alone fits best, where a list of them is asked for, and where so many fit that
    to ask which would help nobody.
    """
    best = judged[0]
    if best.unit.kind is not BlockKind.ROW or wanted_by(result) is AnswerType.LIST:
        return []
    asked = frozenset(result.terms)
    document = best.unit.document
    header = document.blocks[best.unit.block].header
    if header < 0:
        return []  # nothing says which rows are of one table
    known = {
        one.unit.block: one
        for one in judged
        if one.unit.document.id == document.id
        and document.blocks[one.unit.block].header == header
        and one.unit.kind is BlockKind.ROW
    }
    fitting = [one for one in known.values() if _fits_as(one, best, asked)]
    if len(fitting) < 2:
        return []
    if len(fitting) == len(known):  # the rows that no hit holds do not differ from these
        blocks = [n for n, one in enumerate(document.blocks) if one.header == header]
        units = document_units(
            document, analyser_for(document.language), range(blocks[0], blocks[-1] + 1)
        )
        for unit in units:
            if unit.block in blocks and unit.block not in known:
                one = replace(best, unit=unit)
                if asked & frozenset(unit.terms) == asked & frozenset(best.unit.terms):
                    fitting.append(one)
    return sorted(fitting, key=lambda one: one.unit.start) if len(fitting) <= _MOST_CHOICES else []


def _fits_as(one: Judged, best: Judged, asked: frozenset[str]) -> bool:
    """Whether the question has as much in one row as in another."""
    a, b = one.features, best.features
    told = asked & frozenset(one.unit.terms) == asked & frozenset(best.unit.terms)
    same = (a.form, a.range, a.figures) == (b.form, b.range, b.figures)
    return told and same and abs(a.near - b.near) <= _TIE


def labels_of(units: Sequence[Unit]) -> tuple[str, ...]:
    """What rows are called: their first cells."""
    return tuple(dict.fromkeys(cells_of(unit.text)[0].strip(" *_`") for unit in units))


def contradicting(judged: Sequence[Judged], result: SearchResult) -> list[Judged]:
    """Units of other documents that answer a question for an amount with another one.

    They must speak of the same as the best unit does, as far as the question goes,
    and be about as good an answer.
    """
    small = [one for one in judged if not one.unit.wide]
    best = next((one for one in small if one.unit.overlaps(judged[0].unit)), judged[0])
    kind = wanted_by(result)
    if kind not in _MEASURED or best.unit.kind is BlockKind.ROW:
        return []
    amounts = _amounts(best.unit, kind)
    if not amounts:
        return []
    about = result.terms.keys() & (frozenset(best.unit.terms) | best.unit.above)
    whole = sum(result.terms[term] for term in about)
    found: list[Judged] = []
    for one in small:
        unit = one.unit
        if one.rank < best.rank - _NEAR:
            break
        if one.support < _AS_SURE * best.support or unit.kind is BlockKind.ROW:
            continue
        if unit.document.id == best.unit.document.id:
            continue
        there = about & (frozenset(unit.terms) | unit.above)
        others = _amounts(unit, kind)
        if whole and sum(result.terms[term] for term in there) < _SHARED * whole:
            continue
        if (
            others
            and {v.unit for v in others} == {v.unit for v in amounts}
            and not _agree(amounts, others)
        ):
            found.append(one)
            break
    return found


def _amounts(unit: Unit, kind: AnswerType) -> list[Value]:
    """The amounts of a unit that are of the kind asked for, "ten working days" among them."""
    found = []
    for value in values_in(unit.text):
        after = unit.text[value.start + len(value.words) :]
        if value.kind != "number" or not has_answer_type(kind, f"{value.words}{after[:_AFTER]}"):
            continue
        measured_in = value.unit or next(filter(None, map(unit_of, words(after)[:2])), "")
        if measured_in:
            found.append(replace(value, unit=measured_in))
    return found


def _agree(values: Sequence[Value], others: Sequence[Value]) -> bool:
    return any(one.agrees(other) for one in values for other in others)
