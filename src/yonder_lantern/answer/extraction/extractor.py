"""Filling a schema without a model: from rows, metadata, lists and sentences."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ...core import BlockKind, Citation, Document, Extracted, ExtractedField, SearchResult
from ...search import analyser_for
from ...text import Analyser, words
from ..aggregate_rows import Row, Table, tables_of
from ..check import unit_of, values_in
from ..composer import Composer, whole_list
from ..draft import citation_of
from ..judged import Judged
from ..units import Unit, document_units
from .field_values import from_cell, from_unit, plain
from .schema import Field, Shape

_OF_SUBJECT = 0.6  # of the weight of the question's words must stand in a row, or over it
_OF_NAME = 0.6  # of a field's name and a column's must be the same
_TRIED = 3  # best units that a value is looked for in
_MOST_ROWS = 200
_ANY_LIST = "steps items list things points entries order"  # names that fit any list


@dataclass(frozen=True, slots=True)
class _Candidate:
    value: Any
    units: tuple[Unit, ...]
    support: float


class Citations:
    """Numbers the units that fields rest on, each once."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, int, int], Citation] = {}

    def of(self, units: Sequence[Unit]) -> tuple[Citation, ...]:
        """The citations of some units."""
        found = []
        for unit in units:
            mark = (unit.document.id, unit.start, unit.end)
            if mark not in self._known:
                self._known[mark] = citation_of(
                    len(self._known) + 1, unit.document, unit.start, unit.end
                )
            found.append(self._known[mark])
        return tuple(found)


class Extractor:
    """Fills the fields of a shape, each by a search of its own.

    Parameters
    ----------
    composer : Composer
        Judges sentences.
    search : callable
        What finding gives for a question.
    min_support : float
        How sure a sentence has to be.
    """

    def __init__(
        self, composer: Composer, search: Callable[[str], SearchResult], min_support: float
    ) -> None:
        self._composer = composer
        self._search = search
        self._min_support = min_support

    def fill(self, question: str, shape: Shape) -> Extracted:
        """The object that the documents give for a question."""
        citations = Citations()
        value: dict[str, Any] = {}
        fields: dict[str, ExtractedField] = {}
        for field in shape.fields:
            found = self._candidate(question, field)
            if found is not None and shape.faults(placed({}, field.path, found.value)):
                found = None  # it is of the kind, but not as the schema wants it
            empty: list[Any] | None = [] if field.kind in ("list", "rows") else None
            placed(value, field.path, empty if found is None else found.value)
            fields[field.pointer] = (
                ExtractedField(empty)
                if found is None
                else ExtractedField(found.value, citations.of(found.units), found.support)
            )
        return Extracted(question, value, fields, make=shape.make)

    def _candidate(self, question: str, field: Field) -> _Candidate | None:
        result = self._search(f"{question} {field.label}")
        about = _About(question, field, result)
        if field.kind == "rows":
            return about.rows()
        found = about.cell() or about.metadata_field()
        if found is not None and field.kind != "list":
            return found
        judged = [one for one in self._composer.judge(result) if not one.unit.wide]
        if field.kind == "list":
            return about.listed(judged, self._min_support)
        for one in judged[:_TRIED]:
            if one.support < self._min_support or not about.named_by(one.unit):
                continue
            analyser = analyser_for(one.unit.document.language)
            value = from_unit(one.unit, field.schema, field.label, analyser, about.subject)
            if value is not None:
                return _Candidate(value, (one.unit,), one.support)
        return None


def placed(value: dict[str, Any], path: Sequence[str], inner: Any) -> dict[str, Any]:
    """An object with a value put where a path leads."""
    at = value
    for step in path[:-1]:
        at = at.setdefault(step, {})
    at[path[-1]] = inner
    return value


class _About:
    """What rows, metadata and lists say of a question's subject."""

    def __init__(self, question: str, field: Field, result: SearchResult) -> None:
        self._field = field
        self._result = result
        self._analyser: Analyser = analyser_for(result.language)
        named = frozenset(self._analyser.terms(field.label))
        self._subject = {
            term: weight
            for term, weight in result.terms.items()
            if term in frozenset(self._analyser.terms(question)) and term not in named
        }

    @property
    def subject(self) -> frozenset[str]:
        """The terms of what the question is about."""
        return frozenset(self._subject)

    def named_by(self, unit: Unit) -> bool:
        """Whether a sentence or item speaks of the subject and says the field's own name."""
        if unit.kind in (BlockKind.ROW, BlockKind.CODE):
            return False  # of a row, its cells are read
        terms = frozenset(unit.terms)
        name_terms = frozenset(self._analyser.terms(self._field.name))
        return bool(name_terms & terms) and self._share(terms | unit.above) >= _OF_SUBJECT

    def _names_list(self, units: Sequence[Unit]) -> bool:
        """Whether what stands over a list, or most of its items, say what the field is called."""
        name_terms = frozenset(self._analyser.terms(self._field.name))
        name_terms -= frozenset(self._analyser.terms(_ANY_LIST))
        told = sum(bool(name_terms & frozenset(unit.terms)) for unit in units)
        return not name_terms or bool(name_terms & units[0].above) or 2 * told > len(units)

    def _share(self, terms: frozenset[str]) -> float:
        whole = sum(self._subject.values())
        if not whole:
            return 1.0
        return sum(weight for term, weight in self._subject.items() if term in terms) / whole

    def _fit(self, name: str, other: Field | None = None) -> float:
        """How much of a field's own name a column's or a metadata field's says."""
        field = other or self._field
        if words(name.replace("_", " ").casefold()) == words(field.name.casefold()):
            return 1.0  # "What it is" has no word that is looked for
        name_terms = frozenset(self._analyser.terms(field.name))
        bare = " ".join(word for word in words(name.replace("_", " ")) if not unit_of(word))
        theirs = frozenset(self._analyser.terms(bare))
        if theirs and theirs <= frozenset(self._analyser.terms(field.label)):
            return 1.0  # a description may name the column
        return len(name_terms & theirs) / len(name_terms | theirs) if name_terms and theirs else 0.0

    def _column(self, table: Table, field: Field | None = None) -> int | None:
        fits = [(self._fit(name, field), -at) for at, name in enumerate(table.columns)]
        best, at = max(fits, default=(0.0, 0))
        return -at if best >= _OF_NAME else _of_unit(table, field or self._field)

    def _read(self, cell: str) -> Any:
        return from_cell(cell, self._field.schema, self._field.label)

    def _rows_of(self, table: Table) -> list[tuple[float, Row]]:
        found = []
        for row in table.rows:
            terms = frozenset(row.unit.terms)
            share = self._share(terms | row.unit.above)
            if share >= _OF_SUBJECT and (terms & self._subject.keys() or not self._subject):
                found.append((share, row))
        return sorted(found, key=lambda one: -one[0])

    def cell(self) -> _Candidate | None:
        """The cell of the one row that the question names; None where several do as well."""
        for table in tables_of(self._result):
            column = self._column(table)
            rows = self._rows_of(table)
            if column is None or not rows:
                continue
            best = [row for share, row in rows if share == rows[0][0]]
            values = {
                repr(value): (value, row)
                for row in best
                if column < len(row.cells) and (value := self._read(row.cells[column])) is not None
            }
            if len(values) == 1:
                value, row = next(iter(values.values()))
                return _Candidate(value, (row.unit,), rows[0][0])
        return None

    def metadata_field(self) -> _Candidate | None:
        """A metadata field of a document that is about the subject."""
        for hit in self._result.hits:
            document = self._result.documents[hit.document]
            terms = frozenset(self._analyser.terms(f"{document.title} {hit.text}"))
            share = self._share(terms)
            if share < _OF_SUBJECT:
                continue
            for key, raw in document.metadata.items():
                if isinstance(raw, list | dict) or self._fit(str(key)) < 1.0:
                    continue
                value = self._read(str(raw))
                unit = _saying(document, str(raw))
                if value is not None and unit is not None:
                    return _Candidate(value, (unit,), share)
        return None

    def listed(self, judged: Sequence[Judged], least: float) -> _Candidate | None:
        """The items of the list that fits best."""
        schema: Mapping[str, Any] = self._field.schema["items"]
        column = self._listed_cells(schema)
        if column is not None:
            return column
        first = next(
            (one for one in judged[:_TRIED] if one.unit.kind is BlockKind.ITEM), None
        )  # fmt: skip
        if first is None or first.support < least:
            return None
        units, values = [], []
        whole = [one.unit for one in whole_list([first], judged)]
        if not self._names_list(whole):
            return None
        for unit in whole:
            value = from_cell(unit.text, schema)
            if value is not None:
                units.append(unit)
                values.append(value)
        return _Candidate(values, tuple(units), first.support) if values else None

    def _listed_cells(self, schema: Mapping[str, Any]) -> _Candidate | None:
        for table in tables_of(self._result):
            column = self._column(table)
            rows = self._rows_of(table)
            if column is None or not rows:
                continue
            pairs = [
                (from_cell(row.cells[column], schema), row.unit)
                for _, row in rows
                if column < len(row.cells)
            ]
            told = [(value, unit) for value, unit in pairs if value is not None]
            if told:
                return _Candidate(
                    [value for value, _ in told], tuple(unit for _, unit in told), rows[0][0]
                )
        return None

    def rows(self) -> _Candidate | None:
        """The rows of the table whose columns fit the fields best, as objects."""
        best: tuple[int, float, _Candidate] | None = None
        for table in tables_of(self._result):
            columns = {
                field.path: at
                for field in self._field.inner
                if (at := self._column(table, field)) is not None
            }
            context_header = (
                f"{table.rows[0].unit.context_header} {table.document.title}" if table.rows else ""
            )
            share = self._share(
                frozenset(self._analyser.terms(context_header)).union(
                    *(frozenset(row.unit.terms) for row in table.rows)
                )
            )
            if not columns or share < _OF_SUBJECT:
                continue
            values, units = [], []
            for row in table.rows[:_MOST_ROWS]:
                row_values: dict[str, Any] = {}
                for field in self._field.inner:
                    at = columns.get(field.path, len(row.cells))
                    cell = row.cells[at] if at < len(row.cells) else ""
                    placed(row_values, field.path, from_cell(cell, field.schema, field.label))
                values.append(row_values)
                units.append(row.unit)
            if best is None or (len(columns), share) > best[:2]:
                best = len(columns), share, _Candidate(values, tuple(units), share)
        return best[2] if best else None


def _of_unit(table: Table, field: Field) -> int | None:
    """The only column whose cells are in the unit that a field's name ends with."""
    unit = unit_of(words(field.label)[-1]) if words(field.label) else ""
    if not unit or field.kind not in ("number", "integer"):
        return None
    found = [
        at
        for at in range(len(table.columns))
        if any(at < len(row.cells) and _in_unit(row.cells[at], unit) for row in table.rows)
    ]
    return found[0] if len(found) == 1 else None


def _in_unit(cell: str, unit: str) -> bool:
    return any(value.kind == "number" and value.unit == unit for value in values_in(cell))


def _saying(document: Document, words: str) -> Unit | None:
    """The unit of a document that says some words; its first where none does."""
    first = None
    for unit in document_units(document, analyser_for(document.language)):
        first = first or unit
        if plain(words).casefold() in plain(unit.text).casefold():
            return unit
    return first
