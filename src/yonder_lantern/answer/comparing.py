"""Comparing two things by one of their amounts: "Which is longer, the tug or the pilot cutter?"."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal

from ..core import SearchResult
from ..search import analyser_for
from .aggregate_rows import (
    Aggregation,
    Row,
    asked_for,
    column_of,
    column_words,
    number_in,
    tables_of,
)
from .check import Value, values_in
from .draft import Draft
from .read_comparison import pair_in

_OF_THING = 0.6  # of the words of a thing must stand in a row's first cells
_ARTICLE = re.compile(r"^\s*(?:the|a|an|our|your)\s+", re.I)


@dataclass(frozen=True, slots=True)
class Comparison:
    """Two things, and the word that compares them."""

    one: str
    other: str
    more: str
    what: Aggregation


@dataclass(frozen=True, slots=True)
class _Measured:
    row: Row
    label: str
    column: str
    value: Value
    said: str


def comparison_of(question: str) -> Comparison | None:
    """What a question compares; None if it compares nothing.

    Examples
    --------
    >>> found = comparison_of("Which is longer, the tug or the pilot cutter?")
    >>> found.one, found.other, found.more
    ('tug', 'pilot cutter', 'longer')
    """
    pair, what = pair_in(question), asked_for(question)
    if pair is None or not pair.comparative or what not in (Aggregation.MOST, Aggregation.LEAST):
        return None
    one, other = (_ARTICLE.sub("", thing).strip() for thing in (pair.one, pair.other))
    return Comparison(one, other, pair.comparative, what)


def compare(
    comparison: Comparison, result: SearchResult, search: Callable[[str], SearchResult]
) -> Draft | None:
    """Both amounts, and which is the greater or the smaller; None unless both are found."""
    size = " ".join(column_words(comparison.more).split()[:1])
    measured = []
    for thing in (comparison.one, comparison.other):
        measured_one = _measured(comparison, thing, result)
        measured_one = measured_one or _measured(comparison, thing, search(f"{thing} {size}"))
        if measured_one is None:
            return None
        measured.append(measured_one)
    one, other = measured
    second = other.value.in_unit(one.value.unit)
    if second is None or one.row.unit == other.row.unit:
        return None
    first_amount, second_amount = Decimal(one.value.amount[0]), Decimal(second.amount[0])
    told = " and ".join(f"{measured_one.label} {measured_one.said}" for measured_one in measured)
    if first_amount == second_amount:
        verdict = "both are the same"
    else:
        most = comparison.what is Aggregation.MOST
        first = (first_amount > second_amount) is most
        verdict = f"{(one if first else other).label} is the {comparison.more}"
        if comparison.more in ("more", "less"):
            verdict = f"{comparison.more} is {(one if first else other).label}"
    columns = " and ".join(dict.fromkeys(measured_one.column for measured_one in measured))
    formula = ", ".join(measured_one.said for measured_one in measured)
    units = tuple(measured_one.row.unit for measured_one in measured)
    return Draft(units, (1.0, 1.0), 1.0, f"{columns}: {told}; {verdict}", formula)


def _measured(comparison: Comparison, thing: str, result: SearchResult) -> _Measured | None:
    for table in tables_of(result):
        analyser = analyser_for(table.document.language)
        answer_type = frozenset(analyser.terms(thing))
        column = column_of(comparison.what, table, f"which is {comparison.more}", analyser)
        if column is None or not answer_type:
            continue
        for row in table.rows:
            label = frozenset(analyser.terms(" ".join(row.cells[:2])))
            if len(answer_type & label) < _OF_THING * len(answer_type) or column >= len(row.cells):
                continue
            numbers = [v for v in values_in(row.cells[column]) if v.kind == "number"]
            if numbers:
                name, (amount, unit) = (
                    row.cells[0].strip("*_ "),
                    number_in(row.cells[column]) or (Decimal(0), ""),
                )
                said = f"{amount:f} {unit}".strip()
                return _Measured(row, name, table.columns[column], numbers[0], said)
    return None
