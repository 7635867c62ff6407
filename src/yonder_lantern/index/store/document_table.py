"""Documents by row and by id: append-only, with the generation that added and removed each."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

from ...core import OPEN_END, OPEN_START, Document, microseconds
from ...ingest.preparation import shape_of
from ...text import folded_words
from .packing import checksum_of, content_hash, linked_ids, packed, unpacked
from .sqlite_database import Database

_KEPT_DOCUMENTS = 256  # that are kept at hand, if they have no more than so many characters
_KEPT_CHARACTERS = 50_000
_DOCUMENTS_AT_ONCE = 100
_COLUMNS = (
    "row, id, source, key, version, title, language, format, text, blocks, origin, differences, "
    "marks, metadata, audience, valid_from, valid_until, checksum"
)
_SPANS_AT_ONCE = 200
_SUBSTRINGS = (
    "WITH spans (number, row, start, size) AS (VALUES {}) "
    "SELECT number, substr(text, start, size) FROM spans JOIN documents USING (row) "
    "JOIN contents USING (content)"
)
_JOINED = f"SELECT {_COLUMNS} FROM documents JOIN contents USING (content)"


class DocumentTable(Database):
    """The documents of an index.

    Attributes
    ----------
    agrees : callable or None
        Whether a row's document is for the people and the time that its segment says.
    """

    def __init__(self, folder: Path, *, writing: bool) -> None:
        self._kept: dict[int, Document] = {}
        self.agrees: Callable[[int, Document], bool] | None = None
        super().__init__(folder, writing=writing)

    def recover(self, generation: int) -> None:
        """Undo what an interrupted writer left behind after ``generation``."""
        self.begin()
        self._execute("DELETE FROM documents WHERE added > ?", generation)
        self._execute("UPDATE documents SET removed = NULL WHERE removed > ?", generation)
        self.commit()

    def add(
        self,
        document: Document,
        generation: int,
        shape: bytes | None = None,
        abbreviations: Iterable[tuple[str, str]] = (),
        key_terms: Iterable[str] = (),
    ) -> int:
        """Add a document row; its number.

        Parameters
        ----------
        document : Document
        generation : int
        shape : bytes, optional
            Its signature; worked out if it is not given.
        abbreviations : iterable of (short, long)
            What it explains.
        key_terms : iterable of str
            What it is about. All three are needed only where the text is new.
        """
        values = (
            document.id,
            document.source,
            document.key,
            document.version,
            document.title,
            document.language,
            document.format,
            self._content(document, shape, abbreviations, key_terms),
            json.dumps(dict(document.metadata), ensure_ascii=False, default=str),
            json.dumps(sorted(document.audience)),
            microseconds(document.valid_from, OPEN_START),
            microseconds(document.valid_until, OPEN_END),
            microseconds(document.valid_until, OPEN_END),
            generation,
        )
        return self._execute(
            "INSERT INTO documents (id, source, key, version, title, language, format, content, "
            "metadata, audience, valid_from, valid_until, stated_until, added) "
            "VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
            *values,
        )

    def _content(
        self,
        document: Document,
        shape: bytes | None,
        abbreviations: Iterable[tuple[str, str]],
        key_terms: Iterable[str],
    ) -> int:
        """The number under which a document's text is kept; once, however many have it."""
        parts = packed(document)
        digest = content_hash(document.text, parts)
        known = self._query("SELECT content FROM contents WHERE hash = ?", digest)
        if known:
            return int(known[0][0])
        content = self._execute(
            "INSERT INTO contents (hash, text, blocks, origin, differences, marks, checksum, "
            "shape, key_terms) VALUES (?,?,?,?,?,?,?,?,?)",
            digest,
            document.text,
            *parts,
            checksum_of(document.text, parts),
            shape_of(folded_words(document.text)) if shape is None else shape,
            json.dumps(list(key_terms), ensure_ascii=False),
        )
        for short, long in abbreviations:
            self._execute(
                "INSERT OR IGNORE INTO abbreviations VALUES (?,?,?,?)",
                content,
                short,
                long,
                long.casefold(),
            )
        return content

    def holds_text_of(self, row: int, document: Document) -> bool:
        """Whether a row has the text, outline, title and language of a document."""
        found = self._query(
            "SELECT hash, title, language, format FROM documents JOIN contents USING (content) "
            "WHERE row = ?",
            row,
        )
        content = content_hash(document.text, packed(document))
        return found == [(content, document.title, document.language, document.format)]

    def end_validity(self, row: int, until: int, generation: int) -> int:
        """Give a document another end of validity; the row that holds it from now on."""
        if self._query("SELECT 1 FROM documents WHERE row = ? AND added = ?", row, generation):
            self._execute("UPDATE documents SET valid_until = ? WHERE row = ?", until, row)
            return row
        columns = "id, source, key, version, title, language, format, content, metadata, audience"
        new = self._execute(
            f"INSERT INTO documents ({columns}, valid_from, valid_until, stated_until, added) "
            f"SELECT {columns}, valid_from, ?, stated_until, ? FROM documents WHERE row = ?",
            until,
            generation,
            row,
        )
        self._execute("UPDATE items SET row = ? WHERE row = ?", new, row)
        self.remove(row, generation)
        return new

    def remove(self, row: int, generation: int) -> None:
        """Mark a document row as gone from ``generation`` on."""
        self._execute("UPDATE documents SET removed = ? WHERE row = ?", generation, row)

    def sweep(self, generation: int) -> None:
        """Delete rows that no generation from this one on can see."""
        self._execute("DELETE FROM documents WHERE removed <= ?", generation)
        for table in ("contents", "abbreviations"):
            self._execute(
                f"DELETE FROM {table} WHERE content NOT IN (SELECT content FROM documents)"
            )

    def live(self) -> dict[str, tuple[int, str, str]]:
        """Documents not removed: id → row, version, source."""
        rows = self._query("SELECT id, row, version, source FROM documents WHERE removed IS NULL")
        return {row[0]: (row[1], row[2], row[3]) for row in rows}

    def superseding(self) -> list[tuple[int, str, str, dict[str, Any], frozenset[str], int]]:
        """Documents that supersede others: row, id, source, metadata, audience, valid from."""
        rows = self._query(
            "SELECT row, id, source, metadata, audience, valid_from FROM documents "
            "WHERE removed IS NULL AND metadata LIKE '%\"supersedes\"%' ORDER BY id"
        )
        return [
            (*row[:3], json.loads(row[3]), frozenset(json.loads(row[4])), row[5]) for row in rows
        ]

    def validity(self, besides: Iterable[int]) -> dict[int, tuple[int, int]]:
        """Where validity ends now, and where the document itself says it does.

        Of documents for which the two differ, and of those in the rows ``besides``.
        """
        query = "SELECT row, valid_until, stated_until FROM documents WHERE removed IS NULL AND "
        rows = self._query(f"{query} valid_until <> stated_until")
        for row in besides:
            rows += self._query(f"{query} row = ?", row)
        return {row[0]: (row[1], row[2]) for row in rows}

    def shapes(self) -> list[tuple[str, int, bytes]]:
        """The id, content number and shape (see `alike`) of every live document."""
        return self._query(
            "SELECT id, content, shape FROM documents JOIN contents USING (content) "
            "WHERE removed IS NULL ORDER BY id"
        )

    def audience(self, row: int) -> frozenset[str]:
        """The labels of a row's document."""
        rows = self._query("SELECT audience FROM documents WHERE row = ?", row)
        return frozenset(json.loads(rows[0][0])) if rows else frozenset()

    def languages(self) -> dict[str, int]:
        """How many documents there are in each language."""
        statement = (
            "SELECT language, COUNT(*) FROM documents WHERE removed IS NULL GROUP BY language"
        )
        return {row[0]: row[1] for row in self._query(statement)}

    def documents(self, rows: Iterable[int]) -> dict[int, Document]:
        """The documents of some rows, by row."""
        wanted = sorted(set(rows))
        found = {row: self._kept[row] for row in wanted if row in self._kept}
        wanted = [row for row in wanted if row not in found]
        for row in self._of_rows(_JOINED, wanted):
            found[row[0]] = self._keep(row[0], self._document(row))
        if missing := [row for row in wanted if row not in found]:
            raise self._damaged(sqlite3.DatabaseError(f"row {missing[0]} is missing"))
        return found

    def _document(self, row: tuple[Any, ...]) -> Document:
        """A document of its row, if it is as it was written."""
        try:
            if checksum_of(row[8], row[9:13]) != row[17]:
                raise ValueError("its text does not fit its checksum")
            document = unpacked(row)
            if self.agrees is not None and not self.agrees(int(row[0]), document):
                raise ValueError("who may see it is not what its segment says")
            return document
        except (ValueError, TypeError, KeyError, AttributeError, OverflowError) as error:
            raise self._damaged(
                sqlite3.DatabaseError(f"row {row[0]} cannot be read: {error}")
            ) from error

    def _keep(self, row: int, document: Document) -> Document:
        """Keep a document at hand, if only reading, as the same are often asked for again."""
        if not self._writing and len(document.text) <= _KEPT_CHARACTERS:
            while len(self._kept) >= _KEPT_DOCUMENTS:
                self._kept.pop(next(iter(self._kept)), None)
            self._kept[row] = document
        return document

    def versions(self, document: str, generation: int) -> list[Document]:
        """The document of this id that a generation sees (a list of none or one)."""
        rows = self._query(
            f"{_JOINED} WHERE id = ? AND added <= ? AND (removed IS NULL OR removed > ?)",
            document,
            generation,
            generation,
        )
        return [self._document(row) for row in rows]

    def beside(
        self, documents: Sequence[Document], generation: int
    ) -> dict[str, list[tuple[int, str]]]:
        """The rows and ids of the documents that belong with each of some, by id.

        They are those that its metadata names under ``linked``, and those of its name with
        another suffix.
        """
        found: dict[str, list[tuple[int, str]]] = {}
        for at in range(0, len(documents), _DOCUMENTS_AT_ONCE):
            found |= self._beside(documents[at : at + _DOCUMENTS_AT_ONCE], generation)
        return found

    def _beside(
        self, documents: Sequence[Document], generation: int
    ) -> dict[str, list[tuple[int, str]]]:
        named = {document.id: linked_ids(document) for document in documents}
        stems = {
            document.id: f"{document.id.rpartition('.')[0]}."
            for document in documents
            if "." in document.key
        }
        conditions: list[str] = []
        values: list[Any] = []
        if ids := sorted(frozenset().union(*named.values())):
            conditions.append(f"id IN ({', '.join('?' * len(ids))})")
            values += ids
        for stem in dict.fromkeys(stems.values()):
            conditions.append("(id > ? AND id < ?)")
            values += [stem, f"{stem[:-1]}/"]  # "/" comes right after "." among characters
        if not conditions:
            return {document.id: [] for document in documents}
        others = self._query(
            f"SELECT row, id FROM documents WHERE ({' OR '.join(conditions)}) "
            "AND added <= ? AND (removed IS NULL OR removed > ?) ORDER BY id",
            *values,
            generation,
            generation,
        )
        return {
            document.id: [
                (row, id_)
                for row, id_ in others
                if id_ != document.id
                and (
                    id_ in named[document.id]
                    or (document.id in stems and id_.startswith(stems[document.id]))
                )
            ]
            for document in documents
        }

    def each(self, rows: Iterable[int]) -> Iterator[tuple[int, Document]]:
        """The documents of many rows, a few at a time."""
        wanted = list(rows)
        for at in range(0, len(wanted), 100):
            yield from sorted(self.documents(wanted[at : at + 100]).items())

    def row(self, document: str, generation: int) -> int | None:
        """The row of a document that a generation sees."""
        rows = self._query(
            "SELECT row FROM documents WHERE id = ? AND added <= ? AND "
            "(removed IS NULL OR removed > ?)",
            document,
            generation,
            generation,
        )
        return int(rows[0][0]) if rows else None

    def ids(self, rows: Iterable[int]) -> dict[int, str]:
        """The documents' ids of some rows."""
        found = self._of_rows("SELECT row, id FROM documents", sorted(set(rows)))
        return {int(row): str(id_) for row, id_ in found}

    def texts(self, spans: Iterable[tuple[int, int, int]]) -> list[str]:
        """The words of spans, each given as document row, start and end; nothing else is read."""
        wanted = list(spans)
        found: dict[int, str] = {}
        for at in range(0, len(wanted), _SPANS_AT_ONCE):
            part = wanted[at : at + _SPANS_AT_ONCE]
            values = [
                value
                for number, (row, start, end) in enumerate(part, at)
                for value in (number, row, start + 1, end - start)
            ]
            rows = self._query(_SUBSTRINGS.format(", ".join(["(?,?,?,?)"] * len(part))), *values)
            found.update((int(number), str(text)) for number, text in rows)
        try:
            return [found[number] for number in range(len(wanted))]
        except KeyError as error:
            row = wanted[error.args[0]][0]
            raise self._damaged(sqlite3.DatabaseError(f"row {row} is missing")) from None
