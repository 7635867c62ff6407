"""Metadata of documents, field by field."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from .sqlite_database import Database

_RESERVED_METADATA = {
    "document": "id",
    "source": "source",
    "key": "key",
    "title": "title",
    "language": "language",
    "format": "format",
}


class MetadataTable(Database):
    """The metadata of documents as columns."""

    def column(self, name: str, generation: int) -> list[tuple[int, Any]]:
        """A metadata field of every document of a generation that has it: row and value.

        A value is a string, a number, or a list of them. ``document``, ``source``,
        ``key``, ``title``, ``language`` and ``format`` are metadata of every document.
        """
        alive = "added <= ? AND (removed IS NULL OR removed > ?)"
        if name in _RESERVED_METADATA:
            reserved = _RESERVED_METADATA[name]
            return self._query(
                f"SELECT row, {reserved} FROM documents WHERE {alive}", generation, generation
            )
        path = '$."' + name.replace('"', "") + '"'
        rows = self._query(
            "SELECT row, json_extract(metadata, ?) AS value, json_type(metadata, ?) FROM documents "
            f"WHERE {alive} AND value IS NOT NULL",
            path,
            path,
            generation,
            generation,
        )
        return [
            (row, json.loads(value) if kind in ("array", "object") else value)
            for row, value, kind in rows
        ]

    def key_terms(self, rows: Sequence[int]) -> dict[int, list[str]]:
        """The key terms of the documents of some rows."""
        found = self._of_rows(
            "SELECT row, key_terms FROM documents JOIN contents USING (content)", rows
        )
        return {int(row): json.loads(terms) for row, terms in found}

    def metadata_names(self, generation: int) -> list[str]:
        """The names of all metadata of the documents of a generation."""
        rows = self._query(
            "SELECT DISTINCT json_each.key FROM documents, json_each(documents.metadata) "
            "WHERE added <= ? AND (removed IS NULL OR removed > ?) ORDER BY 1",
            generation,
            generation,
        )
        return [*_RESERVED_METADATA, *(str(row[0]) for row in rows)]

    def metadata(self, row: int) -> str:
        """A row's metadata, audience and validity as one string, to compare."""
        rows = self._query(
            "SELECT metadata, audience, valid_from, stated_until, title, language FROM documents "
            "WHERE row = ?",
            row,
        )
        return json.dumps(rows[0] if rows else None)
