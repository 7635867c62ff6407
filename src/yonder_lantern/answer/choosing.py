"""Choosing among the rows of a table by what is asked of them: limits, and words."""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

from ..core import SearchResult
from ..search import analyser_for
from ..text import Analyser, words
from .aggregate_rows import Row, Table, column_names, fit, tables_of
from .check import unit_of, values_in
from .draft import Draft

_ASKS = re.compile(
    r"^\s*which\b"
    r"|^\s*(?:what|who)\s+(?!(?:is|are|was|were|does|do|did|has|have|had|will|would|must|should)\b)"
    r"|\b(?:recommend|suggest|suitable|choose|pick|best for)\b",
    re.I,
)
_LEAST = re.compile(
    r"\b(?:at least|no less than|not less than|more than|over|above|from|minimum|deeper than|longer"
    r" than|larger than|bigger than|heavier than|stronger than|wider than)\W*(?:\w+\W+)?$",
    re.I,
)
_MOST = re.compile(
    r"\b(?:at most|up to|under|less than|below|within|no more than|not more than|cheaper than"
    r"|shorter than|smaller than|lighter than|maximum|for no more than)\W*(?:\w+\W+)?$",
    re.I,
)
_STRICT = re.compile(
    r"\b(?:\w+er|more|less) than\W*(?:\w+\W+)?$|\b(?:over|above|under|below)\W*$", re.I
)
_MONEY = frozenset("crown euro pound dollar cent".split())
_RECOMMENDING = "recommend suggest suit suitable choose pick best less more most least"
_FITS = 0.6  # of the question's words must stand in the table, or be what its column is asked by
_BEGINNING = 40  # characters before an amount that say which way it limits
_SHOWN = 4  # rows
_NAMED = 0.5  # a column must be called what is asked, or what such amounts usually are; money tells
_VERBS = re.compile(
    r"\b(?:can|could|may|will|would|is|are|has|have|takes?|lifts?|carr(?:y|ies)|holds?|fits?|suits?|costs?"
    r"|do|does|should|with|under|over|for|at|up|needs?)\b",
    re.I,
)
_KINDS = {  # what an amount with a unit is compared with, where no column is named
    "m": "length long longest vessel boat", "t": "load weight", "kg": "load weight",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Limit:
    """An amount that a cell must reach, or must not exceed."""

    amount: Decimal
    unit: str
    way: Literal["least", "most"]
    strict: bool
    words: str

    def holds(self, amount: Decimal) -> bool:
        """Whether an amount keeps to it."""
        if amount == self.amount:
            return not self.strict
        return (amount > self.amount) is (self.way == "least")

    def __str__(self) -> str:
        how = {("least", False): "at least", ("least", True): "over"}
        how |= {("most", False): "at most", ("most", True): "under"}
        return f"{how[self.way, self.strict]} {self.words}"


def limits_in(question: str) -> list[Limit]:
    """The limits that a question sets.

    Examples
    --------
    >>> [str(limit) for limit in limits_in("Which crane can lift 1.4 tonnes?")]
    ['at least 1.4 tonnes']
    >>> [str(limit) for limit in limits_in("What can I hire for less than 30 crowns?")]
    ['under 30 crowns']
    """
    found = []
    for value in values_in(question):
        if value.kind != "number" or not value.unit or not isinstance(value.amount[0], Decimal):
            continue
        before = question[max(0, value.start - _BEGINNING) : value.start]
        after = question[value.start + len(value.words) :]
        way: Literal["least", "most"] = "most" if value.unit in _MONEY else "least"
        if _MOST.search(before):
            way = "most"
        elif _LEAST.search(before) or re.match(r"\W*\w*\W*or more\b", after, re.I):
            way = "least"
        unit_word = next((w for w in words(after)[:1] if unit_of(w) == value.unit), "")
        said = f"{value.words} {unit_word}".strip()
        strict = bool(_STRICT.search(before))
        found.append(Limit(value.amount[0], value.unit, way, strict, said))
    return found


def choose(result: SearchResult) -> Draft | None:
    """The rows that keep to the limits of a question, with the amounts that say so.

    None when the question sets no limit, or no table fits it.
    """
    question = result.query.question
    limits = limits_in(question) if _ASKS.search(question) else []
    if not limits:
        return None
    drafts = [
        chosen for table in tables_of(result) if (chosen := _of_table(table, limits, result))
    ]  # fmt: skip
    return max(drafts, key=lambda chosen: chosen.support, default=None)


def _of_table(table: Table, limits: list[Limit], result: SearchResult) -> Draft | None:
    analyser = analyser_for(table.document.language)
    question = result.query.question
    columns = []
    for limit in limits:
        column = _column(table, limit, question, analyser)
        if column is None:
            return None
        columns.append(column)
    rows = _of_thing(table, question, analyser)
    said = " ".join([_RECOMMENDING, *(limit.words for limit in limits)])
    support = fit(table, rows, result, analyser, said)
    if support < _FITS or not rows:
        return None
    kept = []
    for row in rows:
        amounts = [_amount(row, at, limit.unit) for at, limit in zip(columns, limits, strict=True)]
        if all(a is not None and lim.holds(a) for a, lim in zip(amounts, limits, strict=True)):
            kept.append((abs((amounts[0] or limits[0].amount) - limits[0].amount), row))
    kept.sort(key=lambda one: one[0])
    besides = _besides(question, limits, analyser)
    chosen = _liked([row for _, row in kept], rows, besides)
    by = "; ".join(
        f"{table.columns[at]} {limit}" for at, limit in zip(columns, limits, strict=True)
    )
    shown = chosen[:_SHOWN] or list(rows)[: 2 * _SHOWN]
    told = ", ".join(
        f"{row.cells[0]} ({', '.join(row.cells[at] for at in dict.fromkeys(columns))})"
        for row in shown
    )
    if chosen:
        more = f", and {len(chosen) - _SHOWN} more" if len(chosen) > _SHOWN else ""
        head = f"{by}: {told}{more}"
    elif len(rows) <= 2 * _SHOWN:
        head = f"None has {by}: {told}"
    else:
        return None
    units = tuple(row.unit for row in shown)
    return Draft(units, (support,) * len(units), support, head, formula=told)


def _column(table: Table, limit: Limit, question: str, analyser: Analyser) -> int | None:
    """The column that holds amounts in the limit's unit, and is most like what is asked."""
    asked = frozenset(analyser.terms(question)) | column_names(question, analyser)
    usual = frozenset(analyser.terms(_KINDS.get(limit.unit, "price fee charge rate")))
    best, best_score = None, _NAMED
    for at, name in enumerate(table.columns):
        in_unit = sum(_amount(row, at, limit.unit) is not None for row in table.rows)
        if in_unit < 2 or any(
            "up to" in row.cells[at] for row in table.rows if at < len(row.cells)
        ):
            continue
        named = frozenset(analyser.terms(name))
        score = 2.0 * len(named & asked) + len(named & usual) - 0.01 * at
        score += 1.0 if limit.unit in _MONEY else 0.0
        if score > best_score:
            best, best_score = at, score
    return best


def _amount(row: Row, at: int, unit: str) -> Decimal | None:
    """The first amount of a cell, if it is in a unit."""
    if at >= len(row.cells):
        return None
    for value in values_in(row.cells[at]):
        if value.kind == "number":
            same = value.in_unit(unit)
            return Decimal(same.amount[0]) if same is not None else None
    return None


def _of_thing(table: Table, question: str, analyser: Analyser) -> tuple[Row, ...]:
    """The rows that are of the kind asked for: those that say it, if not the table does."""
    named = re.split(r"\b(?:which|what|who)\b", question, maxsplit=1, flags=re.I)[-1]
    thing = frozenset(analyser.terms(_VERBS.split(named, maxsplit=1)[0]))
    saying = tuple(row for row in table.rows if thing & frozenset(row.unit.terms))
    return saying or table.rows


def _besides(question: str, limits: list[Limit], analyser: Analyser) -> frozenset[str]:
    """What a question asks for besides its limits."""
    return frozenset(
        term
        for term in analyser.terms(question)
        if not term[:1].isdigit() and all(term not in analyser.terms(one.words) for one in limits)
    )


def _liked(kept: list[Row], rows: tuple[Row, ...], asked: frozenset[str]) -> list[Row]:
    """Of the rows that keep to the limits, those that say most of what else is asked for."""
    told = [asked & frozenset(row.unit.terms) for row in rows]
    telling = frozenset().union(*told) - frozenset.intersection(*told)
    most = max((len(telling & frozenset(row.unit.terms)) for row in kept), default=0)
    return [row for row in kept if len(telling & frozenset(row.unit.terms)) == most]
