"""A table as a source: each row a document, made by a template."""

from __future__ import annotations

import difflib
import hashlib
import json
import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from ....core import Block, BlockKind, FormatError, Item, Mark, Parsed, SourceError, Stamp
from ....settings import TableSettings
from ....text import cell_words as shown
from ..source import SourceContext
from .database import QueryBounds, rows_of_query
from .rows import Row, kept, rows_of_file

_COLUMN = re.compile(r"\{([^{}]+)\}")


class TableSource:
    """The rows of a file or of a query; the key column names the documents.

    The text is made by the ``text`` template, in which ``{column}`` stands for the
    row's value; without one it is a line ``column: value`` for each column. With
    ``match_column`` and ``answer_column``, the text is the answer and the matching
    column its title, which is searched with it and never cited. Every column is a
    metadata field. A row is read anew when its values change, or, with
    ``updated_column``, when that one does.
    """

    def __init__(self, settings: TableSettings, context: SourceContext) -> None:
        self._settings = settings
        self._context = context
        self._where = f"[[source]] {settings.name!r}, table"

    @property
    def _path(self) -> Path | None:
        """The file, if it is one."""
        table = self._settings.table
        return None if "://" in table else self._context.desk / table

    def check(self) -> None:
        """Raise a `SourceError` when the file does not exist."""
        if self._path is not None and not self._path.is_file():
            raise SourceError("the table's file does not exist", self._where, "fix the path")

    def items(self) -> Iterator[Item]:
        """The rows, in the order of the table."""
        numbered = self._path is not None
        settings = self._settings
        template = self._template()
        checked = False
        seen: dict[str, int] = {}
        for number, row in self._rows():
            if isinstance(row, FormatError):
                yield self._failing(f"(row {number})", row.what)
                continue
            if not checked:
                self._check_columns(row)
                checked = True
            key = shown(row.get(settings.key)).strip("/ ")
            if not key:
                yield self._failing(f"(row {number})", f"its key column {settings.key!r} is empty")
                continue
            if key in seen:
                reason = f"its key stands in row {seen[key]} too"
                yield self._failing(f"{key} (row {number})", reason)
                continue
            seen[key] = number
            metadata = {name: kept(value) for name, value in row.items() if value is not None}
            basis: Any = metadata
            if settings.updated_column:
                basis = metadata.get(settings.updated_column)
            location = number if numbered else None
            written = json.dumps([template, basis, location], sort_keys=True, default=str)
            yield Item(
                settings.name,
                key,
                partial(self._document, row, location),
                Stamp(0, 0, hashlib.sha256(written.encode()).hexdigest()),
                frozenset(settings.audience),
                metadata,
                made=True,
            )

    def _rows(self) -> Iterator[tuple[int, Row | FormatError]]:
        if self._path is not None:
            yield from rows_of_file(
                self._path, self._settings.sheet, self._context.limits, self._where
            )
            return
        settings = self._settings
        rows = rows_of_query(
            settings.table,
            settings.query,
            self._where,
            folder=self._context.desk,
            bounds=QueryBounds(settings.max_seconds, settings.max_rows, self._context.cancel),
            notice=self._context.notice,
        )
        yield from enumerate(rows, 1)

    def _template(self) -> list[str]:
        settings = self._settings
        return [settings.text, settings.title, settings.match_column, settings.answer_column]

    def _check_columns(self, row: Row) -> None:
        """Raise when the settings name a column that is not there."""
        settings = self._settings
        named: list[tuple[str, str]] = [("key", settings.key)]
        for setting in ("updated_column", "match_column", "answer_column"):
            if getattr(settings, setting):
                named.append((setting, getattr(settings, setting)))
        for setting in ("text", "title"):
            named += [(setting, column) for column in _COLUMN.findall(getattr(settings, setting))]
        for setting, column in named:
            if column not in row:
                close = difflib.get_close_matches(column, row, n=1)
                known = f"did you mean {close[0]!r}?" if close else f"there are: {', '.join(row)}"
                raise SourceError(
                    f"the table has no column {column!r}", f"{self._where}, {setting}", known
                )

    def _document(self, row: Row, number: int | None) -> Parsed:
        """A row as text."""
        settings = self._settings
        title = self._filled(settings.title, row)
        if settings.match_column:
            text = shown(row.get(settings.answer_column))
            title = title or shown(row.get(settings.match_column))
        elif settings.text:
            text = self._filled(settings.text, row)
        else:
            text = "\n".join(f"{name}: {shown(v)}" for name, v in row.items() if shown(v))
        if not text.strip():
            raise FormatError("the row makes no text", remedy="fix the template or the row")
        named = f"{settings.key} {shown(row[settings.key])}"
        return as_lines(text, title or named, Mark(0, 0, row=number, part="" if number else named))

    def _filled(self, template: str, row: Row) -> str:
        return _COLUMN.sub(lambda match: shown(row.get(match[1])), template).strip()

    def _failing(self, key: str, reason: str) -> Item:
        fail: Callable[[], bytes] = partial(_fail, reason)
        audience = frozenset(self._settings.audience)
        return Item(self._settings.name, key, fail, Stamp(0, 0), audience, {}, "row.txt")


def as_lines(text: str, title: str, location: Mark) -> Parsed:
    """Text whose every line is a block, all of it standing in one place."""
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    blocks = []
    at = 0
    for line in text.split("\n"):
        if line.strip():
            blocks.append(Block(BlockKind.PARAGRAPH, at, at + len(line)))
        at += len(line) + 1
    return Parsed(text, tuple(blocks), title, marks=(replace(location, end=len(text)),))


def _fail(reason: str) -> bytes:
    raise SourceError(reason, remedy="fix the table, or choose another key column")
