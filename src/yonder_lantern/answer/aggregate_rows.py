"""Aggregating the rows of a table: totals, averages, the most and the least."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import Enum

from ..core import BlockKind, Document, SearchResult
from ..search import analyser_for
from ..text import Analyser, cells_of, words
from .check import values_in
from .read_comparison import compares
from .units import Unit, document_units

_FITS = 0.6  # of the question's words must stand in a table, its heads, or what names its column
_OF_LABEL = 0.5  # of a row's label the question must say
_NAMED = 2  # rows that a question names, from which on it is about these alone
_MOST_ROWS = 60


class Aggregation(Enum):
    """What is to be worked out."""

    TOTAL = "total"
    AVERAGE = "average"
    MOST = "most"
    LEAST = "least"


_TOTAL = r"altogether|in total|in all|all together|total|sum of|together"
_ASKS = (
    (Aggregation.AVERAGE, re.compile(r"\baverage\b", re.I)),
    (Aggregation.TOTAL, re.compile(rf"\b(?:{_TOTAL})\b", re.I)),
    (
        Aggregation.MOST,
        re.compile(
            r"\b(?:longe(?:st|r)|large(?:st|r)|bigge(?:st|r)|deepe(?:st|r)|highe(?:st|r)"
            r"|heavie(?:st|r)|stronge(?:st|r)|wide(?:st|r)|dearest|dearer|newest|fastest|latest"
            r"|most(?! of)|greatest|tallest)\b",
            re.I,
        ),
    ),
    (
        Aggregation.LEAST,
        re.compile(
            r"\b(?:shorte(?:st|r)|smalle(?:st|r)|shallowe(?:st|r)|lowest|lower|lighte(?:st|r)"
            r"|cheape(?:st|r)|oldest|least|fewest|slowest|narrowe(?:st|r)|earliest|weakest)\b",
            re.I,
        ),
    ),
)
_COMPARES = re.compile(r"\bor\b|\bthan\b", re.I)  # "lower" alone is part of a name
_BETWEEN_TWO = re.compile(r"\bor\b")
_SUPERLATIVES = re.compile(r"\b(?:at (?:the )?(?:most|least)|most of|least of)\b", re.I)

# What a column is called that such a word asks for.
_COLUMNS = {
    "long": "length long", "short": "length long", "deep": "depth deep draught water",
    "shallow": "depth deep draught water", "water": "depth deep water", "high": "height high level",
    "low": "height low level", "heav": "weight load mass", "light": "weight load mass",
    "wide": "width beam", "narrow": "width beam", "old": "year since built replaced",
    "new": "year since built replaced", "fast": "speed knots", "slow": "speed knots",
    "strong": "load pull power engines carries", "weak": "load pull power engines carries",
    "cheap": "price fee charge cost crowns single rate rent",
    "dear": "price fee charge cost crowns rate rent",
    "cost": "price fee charge cost crowns rate rent",
    "expens": "price fee charge cost crowns rate rent",
    "pay": "price fee charge cost crowns rate rent",
    "fare": "single fare price", "long time": "notice",
    "large": "capacity size load length", "big": "capacity size load length",
    "small": "capacity size load length", "great": "capacity size load length",
    "lift": "load capacity", "carr": "load capacity people passengers",
    "draw": "draught depth water",
    "single": "single", "notice": "notice", "wait": "wait waiting people",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Row:
    """A row of a table, and its cells."""

    unit: Unit
    cells: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Table:
    """The rows under one header."""

    document: Document
    columns: tuple[str, ...]
    rows: tuple[Row, ...]


@dataclass(frozen=True, slots=True)
class Aggregate:
    """A value worked out from some rows.

    Attributes
    ----------
    what : Aggregation
    value : Decimal
    unit : str
        As the rows write it, empty where they write none.
    column : str
    rows : tuple of Row
        Those that it rests on.
    formula : str
    fits : float
        How much of the question stands in the table, 0 to 1.
    """

    what: Aggregation
    value: Decimal
    unit: str
    column: str
    rows: tuple[Row, ...]
    formula: str
    fits: float

    @property
    def text(self) -> str:
        """The result in words, without its citations."""
        unit = f" {self.unit}" if self.unit else ""
        if self.what is Aggregation.TOTAL:
            return f"{self.value:f}{unit} in all ({self.column}: {self.formula})"
        if self.what is Aggregation.AVERAGE:
            return f"{self.value:f}{unit} on average ({self.column}: {self.formula})"
        most = self.what is Aggregation.MOST
        named = ", ".join(row.cells[0] for row in self.rows)
        of = f"{'largest' if most else 'smallest'} of {self.formula}"
        which = "The most" if most else "The least"
        return f"{which} by {self.column}: {named}, {self.value:f}{unit} ({of})"


def asked_for(question: str) -> Aggregation | None:
    """What a question asks to be worked out.

    Examples
    --------
    >>> asked_for("Which of the craft is the longest?").value
    'most'
    >>> asked_for("What may a ship draw at most?") is None
    True
    >>> asked_for("What does the lower car park cost?") is None
    True
    >>> asked_for("How many berths are there altogether?").value
    'total'
    """
    bare = _SUPERLATIVES.sub(" ", question)
    compares = _COMPARES.search(question) is not None
    for what, pattern in _ASKS:
        found = pattern.search(bare)
        of_two = found is not None and found.group().casefold().endswith("er")
        if found and (compares or not of_two or what in (Aggregation.TOTAL, Aggregation.AVERAGE)):
            return what
    return None


def aggregate(result: SearchResult) -> Aggregate | None:
    """What the question asks to be worked out, from the table that fits it best.

    None when it asks for nothing of the kind, or no table fits.
    """
    what = asked_for(result.query.question)
    if what is None or compares(result.query.question):  # two are compared, and not all rows
        return None
    found = [
        fitted
        for table in tables_of(result)
        if (fitted := _of_table(what, table, result)) is not None and fitted.fits >= _FITS
    ]
    return max(found, key=lambda fitted: fitted.fits, default=None)


def tables_of(result: SearchResult) -> Iterator[Table]:
    """The tables that hits lie in, whole, each once."""
    seen: set[tuple[str, int]] = set()
    for hit in result.hits:
        document = result.documents[hit.document]
        for block in document.blocks:
            if block.kind is not BlockKind.ROW or block.header < 0:
                continue
            mark = (document.id, block.header)
            if block.end <= hit.start or block.start >= hit.end or mark in seen:
                continue
            seen.add(mark)
            yield _table(document, block.header)


def columns_above(unit: Unit) -> frozenset[str]:
    """The terms of what the columns over a row are called."""
    analyser = analyser_for(unit.document.language)
    return frozenset(analyser.terms(unit.document.header_of(unit.block)))


def _table(document: Document, header: int) -> Table:
    row_blocks = [
        number
        for number, block in enumerate(document.blocks)
        if block.kind is BlockKind.ROW and block.header == header
    ][:_MOST_ROWS]
    units = document_units(
        document, analyser_for(document.language), range(row_blocks[0], row_blocks[-1] + 1)
    )
    rows = tuple(Row(unit, cells_of(unit.text)) for unit in units if unit.block in set(row_blocks))
    return Table(document, cells_of(document.header_of(row_blocks[0])), rows)


def _of_table(what: Aggregation, table: Table, result: SearchResult) -> Aggregate | None:
    analyser = analyser_for(table.document.language)
    question = result.query.question
    column = column_of(what, table, question, analyser)
    if column is None:
        return None
    rows = _rows(table, result, analyser)
    if _BETWEEN_TWO.search(question) and len(rows) == len(table.rows):
        return None  # it compares two things that are not rows of this table
    valued = [
        (row, value)
        for row in rows
        if column < len(row.cells) and (value := number_in(row.cells[column])) is not None
    ]
    if len(valued) < 2:
        return None
    fits = fit(table, rows, result, analyser)
    name = table.columns[column]
    amounts = [value for _, (value, _) in valued]
    unit = next((unit for _, (_, unit) in valued if unit), "")
    chosen = tuple(row for row, _ in valued)
    if what is Aggregation.TOTAL or what is Aggregation.AVERAGE:
        total = sum(amounts, Decimal(0))
        plain = " + ".join(f"{amount:f}" for amount in amounts)
        if what is Aggregation.TOTAL:
            return Aggregate(what, total, unit, name, chosen, plain, fits)
        mean = (total / len(amounts)).quantize(Decimal("0.01")).normalize()
        return Aggregate(what, mean, unit, name, chosen, f"({plain}) / {len(amounts)}", fits)
    best = (max if what is Aggregation.MOST else min)(amounts)
    winners = tuple(row for row, (value, _) in valued if value == best)
    plain = ", ".join(f"{amount:f}" for amount in amounts)
    return Aggregate(what, best, unit, name, winners, plain, fits)


def number_in(cell: str) -> tuple[Decimal, str] | None:
    """The first number of a cell, and its unit as written."""
    for value in values_in(cell):
        if value.kind == "number" and isinstance(value.amount[0], Decimal):
            after = cell[value.start + len(value.words) :].strip()
            unit = after.split()[0].strip(".,;") if value.unit and after else ""
            return value.amount[0], unit
    return None


def column_of(what: Aggregation, table: Table, question: str, analyser: Analyser) -> int | None:
    """The column of numbers that a question is about."""
    answer_type = column_names(question, analyser)
    terms = frozenset(analyser.terms(question))
    near = _focus(what, question, analyser)
    best, best_score = None, 0.0
    for number, name in enumerate(table.columns):
        cells = [row.cells[number] for row in table.rows if number < len(row.cells)]
        numeric = sum(number_in(cell) is not None for cell in cells)
        if numeric < 2 or (number == 0 and what in (Aggregation.TOTAL, Aggregation.AVERAGE)):
            continue
        named = frozenset(analyser.terms(name))
        score = len(named & terms) * 1.5 + len(named & answer_type) + 3 * len(named & near)
        score -= 0.01 * number
        if number == 0:
            score -= 1.0
        if score > best_score:
            best, best_score = number, score
    return best


def _rows(table: Table, result: SearchResult, analyser: Analyser) -> tuple[Row, ...]:
    """The rows that a question names, if it names some; else all."""
    terms = frozenset(analyser.terms(result.query.question))
    common = frozenset.intersection(*(frozenset(row.unit.terms) for row in table.rows))
    common |= frozenset(analyser.terms(" ".join(table.columns)))
    shares = []
    for row in table.rows:
        labels = [frozenset(analyser.terms(cell)) - common for cell in row.cells[:2]]
        shares.append(max(_share(label, terms) for label in labels))
    named = tuple(row for row, share in zip(table.rows, shares, strict=True) if share >= _OF_LABEL)
    return named if _NAMED <= len(named) < len(table.rows) else table.rows


def _share(label: frozenset[str], terms: frozenset[str]) -> float:
    told = frozenset(term for term in label if not term.isdigit())
    return len(told & terms) / len(told) if told else 0.0


def _focus(what: Aggregation, question: str, analyser: Analyser) -> frozenset[str]:
    """What the columns are called that the words beside a superlative ask for."""
    pattern = dict(_ASKS)[what]
    match = pattern.search(question)
    if match is None or what in (Aggregation.TOTAL, Aggregation.AVERAGE):
        return frozenset()
    before = words(question[: match.start()])[-2:]
    beside = [*before, match.group(), *words(question[match.end() :])[:1]]
    return column_names(" ".join(beside), analyser)


def column_names(text: str, analyser: Analyser) -> frozenset[str]:
    """The terms of what columns are called that the words of a text ask for."""
    return frozenset(analyser.terms(column_words(text)))


def column_words(text: str) -> str:
    """What columns are called that the words of a text ask for.

    Examples
    --------
    >>> column_words("longer")
    'length long'
    """
    found = (
        names
        for word in words(text)
        for stem, names in _COLUMNS.items()
        if word.casefold().startswith(stem)
    )
    return " ".join(found)


def fit(
    table: Table, rows: Sequence[Row], result: SearchResult, analyser: Analyser, besides: str = ""
) -> float:
    """The weight of the question's words that the table, or what is said besides, accounts for."""
    here = frozenset(analyser.terms(f"{rows[0].unit.context_header} {table.document.title}"))
    here |= frozenset(term for row in rows for term in row.unit.terms)
    here |= frozenset(
        term
        for word in words(result.query.question)
        for stem in _COLUMNS
        if word.casefold().startswith(stem)
        for term in analyser.word_terms(word)
    )
    here |= frozenset(
        analyser.terms(f"altogether total sum average together expensive dear {besides}")
    )
    total = sum(result.terms.values()) or 1.0
    return sum(weight for term, weight in result.terms.items() if term in here) / total
