"""The rows of a table in a file, with typed values."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator
from datetime import date, datetime
from pathlib import Path
from typing import Any

from ....core import FormatError, Limits, SourceError
from ....platform.archives import open_workbook
from ....text import cell_words, decode
from ..local import read_within

Row = dict[str, Any]
_WHOLE = re.compile(r"-?(?:0|[1-9]\d{0,17})")
_DECIMAL = re.compile(r"-?(?:0|[1-9]\d*)\.\d+")
_WORDS = {"true": True, "false": False, "yes": True, "no": False}


def rows_of_file(
    path: Path, sheet: str, limits: Limits, where: str
) -> Iterator[tuple[int, Row | FormatError]]:
    """The rows of a CSV, Excel or JSON Lines file, with their numbers in it.

    The header row of a sheet or of a CSV file is row 1. In a CSV file, where
    everything is text, a column is numbers, dates or yes and no if all that is in
    it is written so; one with leading zeros stays text, for those are codes. For a line
    that is no row, what is wrong with it.

    Raises
    ------
    SourceError
        The file is of no such kind, or the sheet does not exist.
    FormatError, LimitError
        The file is damaged or too large.
    """
    data = read_within(path, limits, where)
    kind = path.suffix.lower()
    if kind in (".jsonl", ".ndjson"):
        yield from _json_rows(decode(data), where)
    elif kind in (".xlsx", ".xlsm"):
        yield from _sheet_rows(data, sheet, limits, where)
    elif kind in (".csv", ".tsv"):
        yield from _csv_rows(decode(data), where)
    else:
        raise SourceError(
            f"a table cannot be read from a {kind or 'file without a suffix'}",
            where,
            "give a .csv, .tsv, .xlsx or .jsonl file, or a database's address",
        )


def _json_rows(text: str, where: str) -> Iterator[tuple[int, Row | FormatError]]:
    for number, line in enumerate(text.split("\n"), 1):
        if not line.strip():
            continue
        try:
            row = json.loads(line)
        except (ValueError, RecursionError) as error:
            yield number, FormatError(f"the line is not JSON: {error}", where, "fix it")
            continue
        if not isinstance(row, dict):
            yield number, FormatError("the line is not an object", where, "fix it")
            continue
        yield (
            number,
            {
                key: json.dumps(value) if isinstance(value, dict | list) else value
                for key, value in row.items()
            },
        )


def _csv_rows(text: str, where: str) -> Iterator[tuple[int, Row]]:
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t|", key=first.count)
    try:
        found = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as error:
        raise FormatError(f"the table is damaged: {error}", where, "fix it") from None
    header = [name.strip() for name in found[0]] if found else []
    body = [(number, row) for number, row in enumerate(found[1:], 2) if any(map(str.strip, row))]
    columns = []
    for at in range(len(header)):
        cells = [row[at].strip() if at < len(row) else "" for _, row in body]
        columns.append(_typed(cells))
    for location, (number, _) in enumerate(body):
        yield number, {name: columns[at][location] for at, name in enumerate(header) if name}


def _typed(cells: list[str]) -> list[Any]:
    """A column's cells as values of the one type that all of them are written in."""
    filled = [cell for cell in cells if cell]
    if filled and all(map(_WHOLE.fullmatch, filled)):
        return [int(cell) if cell else None for cell in cells]
    if filled and all(_WHOLE.fullmatch(cell) or _DECIMAL.fullmatch(cell) for cell in filled):
        return [float(cell) if cell else None for cell in cells]
    if filled and all(cell.lower() in _WORDS for cell in filled):
        return [_WORDS[cell.lower()] if cell else None for cell in cells]
    return [cell or None for cell in cells]


def _sheet_rows(data: bytes, sheet: str, limits: Limits, where: str) -> Iterator[tuple[int, Row]]:
    book, _ = open_workbook(data, limits)
    if sheet and sheet not in book.sheetnames:
        known = ", ".join(book.sheetnames)
        raise SourceError(f"there is no sheet {sheet!r}", where, f"the sheets are: {known}")
    header: list[str] = []
    for number, cells in enumerate((book[sheet] if sheet else book.worksheets[0]).values, 1):
        if not header:
            header = [cell_words(cell) for cell in cells]
            if not any(header):
                header = []
        elif any(cell is not None for cell in cells):
            pairs = zip(header, cells, strict=False)
            yield number, {name: cell for name, cell in pairs if name}


def kept(value: Any) -> Any:
    """A value as metadata keeps it: numbers and booleans as they are, dates as ISO 8601."""
    if value is None or isinstance(value, bool | int | float | str):
        return value
    if isinstance(value, datetime | date):
        return value.isoformat()
    return str(value)
