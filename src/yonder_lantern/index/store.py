"""Document rows and what is known of every item, in SQLite."""

from __future__ import annotations

import hashlib
import json
import logging
import sqlite3
import threading
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from ..core import (
    OPEN_END,
    OPEN_START,
    Block,
    BlockKind,
    Caller,
    ClosedError,
    Difference,
    Document,
    FormatError,
    IndexStateError,
    Mark,
    Origin,
    OriginRun,
    YonderError,
    microseconds,
    visible,
)
from ..ingest.preparation import shape_of
from ..platform.storage import REBUILD, open_private
from .page_sums import PageSums

_LOG = logging.getLogger("yonder_lantern.index")
DATABASE = "documents.sqlite"
_NO_ROOM = ("readonly", "unable to open", "disk is full", "disk I/O")
_KEPT_DOCUMENTS = 256  # that are kept at hand, if they have no more than so many characters
_KEPT_CHARACTERS = 50_000
_DOCUMENTS_AT_ONCE = 100
_ROWS_AT_ONCE = 500  # that one query asks for
_SCHEMA = """
CREATE TABLE IF NOT EXISTS documents (
    row INTEGER PRIMARY KEY, id TEXT NOT NULL, source TEXT NOT NULL, key TEXT NOT NULL,
    version TEXT NOT NULL, title TEXT NOT NULL, language TEXT NOT NULL, format TEXT NOT NULL,
    content INTEGER NOT NULL, details TEXT NOT NULL, audience TEXT NOT NULL,
    valid_from INTEGER NOT NULL, valid_until INTEGER NOT NULL, stated_until INTEGER NOT NULL,
    added INTEGER NOT NULL, removed INTEGER);
CREATE INDEX IF NOT EXISTS documents_by_id ON documents (id);
CREATE INDEX IF NOT EXISTS documents_by_content ON documents (content);
CREATE TABLE IF NOT EXISTS contents (
    content INTEGER PRIMARY KEY, hash TEXT NOT NULL UNIQUE, text TEXT NOT NULL,
    blocks BLOB NOT NULL, origin BLOB NOT NULL, differences TEXT NOT NULL, marks TEXT NOT NULL,
    checksum INTEGER NOT NULL, shape BLOB NOT NULL, key_terms TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS abbreviations (
    content INTEGER NOT NULL, short TEXT NOT NULL, long TEXT NOT NULL, long_key TEXT NOT NULL,
    PRIMARY KEY (content, short, long)) WITHOUT ROWID;
CREATE INDEX IF NOT EXISTS abbreviations_by_short ON abbreviations (short);
CREATE INDEX IF NOT EXISTS abbreviations_by_long ON abbreviations (long_key);
CREATE TABLE IF NOT EXISTS items (
    source TEXT NOT NULL, key TEXT NOT NULL, size INTEGER NOT NULL, modified_ns INTEGER NOT NULL,
    seen_ns INTEGER NOT NULL, mark TEXT NOT NULL, hash TEXT NOT NULL, reading TEXT NOT NULL,
    problem TEXT NOT NULL, remedy TEXT NOT NULL, row INTEGER NOT NULL,
    PRIMARY KEY (source, key)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS sources (
    name TEXT PRIMARY KEY, kind TEXT NOT NULL, settings TEXT NOT NULL, checked_ns INTEGER NOT NULL,
    tried_ns INTEGER NOT NULL, problem TEXT NOT NULL) WITHOUT ROWID;
"""
_COLUMNS = (
    "row, id, source, key, version, title, language, format, text, blocks, origin, differences, "
    "marks, details, audience, valid_from, valid_until, checksum"
)
_SUBSTRING = "SELECT substr(text, ?, ?) FROM documents JOIN contents USING (content) WHERE row = ?"
_RESERVED_METADATA = {
    "document": "id",
    "source": "source",
    "key": "key",
    "title": "title",
    "language": "language",
    "format": "format",
}
_JOINED = f"SELECT {_COLUMNS} FROM documents JOIN contents USING (content)"


@dataclass(frozen=True, slots=True)
class Seen:
    """Who may see something and when: labels, and a half-open range in microseconds since 1970."""

    audience: frozenset[str]
    start: int
    end: int

    def by(self, caller: Caller, moment: int) -> bool:
        """Whether a caller may see it at a moment."""
        return bool(visible(caller.sees(self.audience), self.start, self.end, moment))


@dataclass(frozen=True, slots=True)
class KnownItem:
    """What the last gather knew of an item.

    ``mark`` is what its place keeps for it (see `Stamp`). ``reading`` identifies
    everything besides its bytes that its document depends on; ``problem`` is why
    it could not be read, empty if it could, and ``remedy`` what to do about it;
    ``row`` is its document's row, 0 when it has none.
    """

    source: str
    key: str
    size: int
    modified_ns: int
    seen_ns: int
    mark: str
    hash: str
    reading: str
    problem: str = ""
    remedy: str = ""
    row: int = 0


@dataclass(frozen=True, slots=True)
class KnownSource:
    """What the last gather knew of a source.

    ``settings`` identifies its section of the settings; ``checked_ns`` is when it
    was last read to its end, ``tried_ns`` when that was last tried; ``problem`` is why
    it could not be, empty if it could.
    """

    name: str
    kind: str
    settings: str
    checked_ns: int
    tried_ns: int
    problem: str = ""


class DocumentStore:
    """The store of one index folder; safe to use from several threads.

    Parameters
    ----------
    folder : Path
        The index folder.
    writing : bool
        Whether rows will be added; the database is then made when missing.

    Attributes
    ----------
    agrees : callable or None
        Whether a row's document is for the people and the time that its segment says.
    """

    def __init__(self, folder: Path, *, writing: bool) -> None:
        self._path = folder / DATABASE
        self._lock = threading.Lock()
        self._writing = writing
        self._kept: dict[int, Document] = {}
        self.agrees: Callable[[int, Document], bool] | None = None
        self._sums = PageSums(self._path)
        self._closed = False
        self._connection = self._open(writing)

    def _open(self, writing: bool) -> sqlite3.Connection:
        if self._path.exists():
            self._sums.verify(always=writing)
        elif not writing:
            raise self._damaged(sqlite3.OperationalError("the file is missing"))
        try:
            return self._open_writing() if writing else self._open_reading()
        except sqlite3.Error as error:
            raise self._damaged(error) from error

    def _open_writing(self) -> sqlite3.Connection:
        open_private(self._path, "ab").close()  # SQLite gives the files beside it the same mode
        connection = sqlite3.connect(self._path, isolation_level=None, check_same_thread=False)
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
        connection.execute("PRAGMA wal_autocheckpoint=0")  # see `_settle`
        connection.executescript(_SCHEMA)
        return connection

    def _open_reading(self) -> sqlite3.Connection:
        address = self._path.absolute().as_uri()
        connection = sqlite3.connect(
            f"{address}?mode=ro", uri=True, isolation_level=None, check_same_thread=False
        )
        try:
            connection.execute("SELECT 1 FROM documents LIMIT 1").fetchone()
        except sqlite3.OperationalError as error:
            if not any(word in str(error) for word in _NO_ROOM):
                raise
            # No room, or no leave, for the file that readers and a writer share: then nobody
            # writes, and the database can be read as it lies there.
            connection.close()
            connection = sqlite3.connect(
                f"{address}?mode=ro&immutable=1",
                uri=True,
                isolation_level=None,
                check_same_thread=False,
            )
            connection.execute("SELECT 1 FROM documents LIMIT 1").fetchone()
        return connection

    def _damaged(self, error: sqlite3.Error) -> YonderError:
        text = str(error)
        if self._closed:
            return ClosedError(
                "this generation of the index was closed",
                str(self._path),
                "open the desk again, or close it after the last question",
            )
        if isinstance(error, sqlite3.DataError):
            return FormatError("it is too large to be kept", remedy="split it, or exclude it")
        if "disk is full" in text or "disk I/O" in text:
            return IndexStateError(
                f"the disk cannot take the index: {text}", str(self._path), "make room on the disk"
            )
        if "readonly" in text:
            return IndexStateError(
                "the index may not be written", str(self._path), "give this user leave to write it"
            )
        return IndexStateError(
            f"the store of documents is damaged: {text}", str(self._path), REBUILD
        )

    def close(self) -> None:
        """Close the database; what was written is put in its place first."""
        with self._lock:
            if self._closed:
                return
            self._closed = True
            try:
                if self._writing:
                    self._settle()
            finally:
                self._connection.close()

    def _settle(self) -> None:
        """Move what was committed from the log into the database, and take its checksums.

        Nothing else ever changes the database's own file, so between two gatherings its pages
        can be compared with their checksums. Without room it is left to the next gather.
        """
        log = self._path.with_name(f"{self._path.name}-wal")
        try:
            if self._sums.there() and not (log.exists() and log.stat().st_size):
                return
            self._sums.drop()
            (busy, _, _) = self._connection.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()
            if not busy:
                self._sums.take()
        except (OSError, sqlite3.Error) as error:
            _LOG.warning("the store's checksums could not be taken: %s", error)

    # -- writing

    def begin(self) -> None:
        """Begin a transaction."""
        self._execute("BEGIN IMMEDIATE")

    def commit(self) -> None:
        """Make everything since `begin` lasting."""
        self._execute("COMMIT")

    def roll_back(self) -> None:
        """Undo everything since `begin`, if anything was begun."""
        if self._connection.in_transaction:
            self._connection.execute("ROLLBACK")

    def mark(self) -> None:
        """Remember this point of the transaction."""
        self._execute("SAVEPOINT document")

    def keep(self) -> None:
        """Keep what was done since `mark`."""
        self._execute("RELEASE document")

    def go_back(self) -> None:
        """Undo what was done since `mark`."""
        self._execute("ROLLBACK TO document")
        self._execute("RELEASE document")

    def recover(self, generation: int) -> None:
        """Undo what an interrupted writer left behind after ``generation``."""
        self.begin()
        self._execute("DELETE FROM documents WHERE added > ?", generation)
        self._execute("UPDATE documents SET removed = NULL WHERE removed > ?", generation)
        self.commit()

    def forget_items_without_documents(self) -> None:
        """Drop what is known of items whose document is not there."""
        self._execute(
            "DELETE FROM items WHERE row > 0 AND row NOT IN "
            "(SELECT row FROM documents WHERE removed IS NULL)"
        )

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
            "details, audience, valid_from, valid_until, stated_until, added) "
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
        packed = _packed(document)
        digest = _content_hash(document.text, packed)
        known = self._query("SELECT content FROM contents WHERE hash = ?", digest)
        if known:
            return int(known[0][0])
        content = self._execute(
            "INSERT INTO contents (hash, text, blocks, origin, differences, marks, checksum, "
            "shape, key_terms) VALUES (?,?,?,?,?,?,?,?,?)",
            digest,
            document.text,
            *packed,
            _checksum(document.text, packed),
            shape_of(document.text) if shape is None else shape,
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
        content = _content_hash(document.text, _packed(document))
        return found == [(content, document.title, document.language, document.format)]

    def end_validity(self, row: int, until: int, generation: int) -> int:
        """Give a document another end of validity; the row that holds it from now on."""
        if self._query("SELECT 1 FROM documents WHERE row = ? AND added = ?", row, generation):
            self._execute("UPDATE documents SET valid_until = ? WHERE row = ?", until, row)
            return row
        columns = "id, source, key, version, title, language, format, content, details, audience"
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

    def remember(self, item: KnownItem) -> None:
        """Note what is known of an item now."""
        self._execute(
            "INSERT OR REPLACE INTO items VALUES (?,?,?,?,?,?,?,?,?,?,?)",
            item.source,
            item.key,
            item.size,
            item.modified_ns,
            item.seen_ns,
            item.mark,
            item.hash,
            item.reading,
            item.problem,
            item.remedy,
            item.row,
        )

    def remember_source(self, source: KnownSource) -> None:
        """Note what is known of a source now."""
        self._execute(
            "INSERT OR REPLACE INTO sources VALUES (?,?,?,?,?,?)",
            source.name,
            source.kind,
            source.settings,
            source.checked_ns,
            source.tried_ns,
            source.problem,
        )

    def forget_source(self, name: str) -> None:
        """Drop what is known of a source."""
        self._execute("DELETE FROM sources WHERE name = ?", name)

    def forget(self, source: str, key: str) -> None:
        """Drop what is known of an item."""
        self._execute("DELETE FROM items WHERE source = ? AND key = ?", source, key)

    def sweep(self, generation: int) -> None:
        """Delete rows that no generation from this one on can see."""
        self._execute("DELETE FROM documents WHERE removed <= ?", generation)
        for table in ("contents", "abbreviations"):
            self._execute(
                f"DELETE FROM {table} WHERE content NOT IN (SELECT content FROM documents)"
            )

    # -- reading

    def items(self, source: str, keys: Iterable[str] | None = None) -> dict[str, KnownItem]:
        """What is known of a source's items, or of those with some keys, by key."""
        if keys is None:
            rows = self._query("SELECT * FROM items WHERE source = ?", source)
        else:
            one = "SELECT * FROM items WHERE source = ? AND key = ?"
            rows = [row for key in keys for row in self._query(one, source, key)]
        return {row[1]: KnownItem(*row) for row in rows}

    def live(self) -> dict[str, tuple[int, str, str]]:
        """Documents not removed: id → row, version, source."""
        rows = self._query("SELECT id, row, version, source FROM documents WHERE removed IS NULL")
        return {row[0]: (row[1], row[2], row[3]) for row in rows}

    def sources(self) -> dict[str, KnownSource]:
        """What is known of every source, by name."""
        return {row[0]: KnownSource(*row) for row in self._query("SELECT * FROM sources")}

    def superseding(self) -> list[tuple[int, str, str, dict[str, Any], frozenset[str], int]]:
        """Documents that supersede others: row, id, source, details, audience, valid from."""
        rows = self._query(
            "SELECT row, id, source, details, audience, valid_from FROM documents "
            "WHERE removed IS NULL AND details LIKE '%\"supersedes\"%' ORDER BY id"
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

    def newest(self) -> dict[str, int]:
        """When the newest item of each source was changed, in nanoseconds since 1970."""
        statement = "SELECT source, MAX(modified_ns) FROM items WHERE row > 0 GROUP BY source"
        return {row[0]: row[1] for row in self._query(statement)}

    def problems(self) -> list[KnownItem]:
        """Items that could not be read last time."""
        rows = self._query("SELECT * FROM items WHERE problem <> '' ORDER BY source, key")
        return [KnownItem(*row) for row in rows]

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
            if _checksum(row[8], row[9:13]) != row[17]:
                raise ValueError("its text does not fit its checksum")
            document = _document(row)
            if self.agrees is not None and not self.agrees(int(row[0]), document):
                raise ValueError("who may see it is not what its segment says")
            return document
        except (ValueError, TypeError, KeyError, AttributeError, OverflowError) as error:
            raise self._damaged(
                sqlite3.DatabaseError(f"row {row[0]} cannot be read: {error}")
            ) from error

    def _of_rows(self, select: str, rows: Sequence[int]) -> Iterator[tuple[Any, ...]]:
        """What a query gives for some rows, of which SQLite takes only so many at once."""
        for at in range(0, len(rows), _ROWS_AT_ONCE):
            part = rows[at : at + _ROWS_AT_ONCE]
            marks = ",".join("?" * len(part))
            yield from self._query(f"{select} WHERE row IN ({marks})", *part)

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

    def beside(self, documents: Sequence[Document], generation: int) -> dict[str, list[Document]]:
        """The documents that belong with each of some, by id.

        They are those that its metadata names under ``linked``, and those of its name with
        another suffix.
        """
        found: dict[str, list[Document]] = {}
        for at in range(0, len(documents), _DOCUMENTS_AT_ONCE):
            found |= self._beside(documents[at : at + _DOCUMENTS_AT_ONCE], generation)
        return found

    def _beside(self, documents: Sequence[Document], generation: int) -> dict[str, list[Document]]:
        named = {document.id: _linked(document) for document in documents}
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
        rows = self._query(
            f"SELECT row FROM documents WHERE ({' OR '.join(conditions)}) "
            "AND added <= ? AND (removed IS NULL OR removed > ?)",
            *values,
            generation,
            generation,
        )
        others = sorted(self.documents(row for (row,) in rows).values(), key=lambda one: one.id)
        return {
            document.id: [
                other
                for other in others
                if other.id != document.id
                and (
                    other.id in named[document.id]
                    or (document.id in stems and other.id.startswith(stems[document.id]))
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
        return [
            str(self._query(_SUBSTRING, start + 1, end - start, row)[0][0])
            for row, start, end in spans
        ]

    def explained(self, short: str, generation: int) -> list[tuple[str, Seen]]:
        """What a short form stands for, by the documents of a generation that explain it."""
        return self._abbreviations("short", short, "long", generation)

    def shortened(self, long: str, generation: int) -> list[tuple[str, Seen]]:
        """The short forms of a long one, by the documents of a generation that explain it."""
        return self._abbreviations("long_key", long.casefold(), "short", generation)

    def _abbreviations(
        self, key: str, value: str, wanted: str, generation: int
    ) -> list[tuple[str, Seen]]:
        rows = self._query(
            f"SELECT {wanted}, audience, valid_from, valid_until FROM abbreviations "
            f"JOIN documents USING (content) WHERE {key} = ? AND added <= ? AND "
            f"(removed IS NULL OR removed > ?) ORDER BY {wanted}, row",
            value,
            generation,
            generation,
        )
        return [
            (str(found), Seen(frozenset(json.loads(audience)), start, end))
            for found, audience, start, end in rows
        ]

    def column(self, name: str, generation: int) -> list[tuple[int, Any]]:
        """A detail of every document of a generation that has it: row and value.

        A value is a string, a number, or a list of them. ``document``, ``source``,
        ``key``, ``title``, ``language`` and ``format`` are details of every one.
        """
        alive = "added <= ? AND (removed IS NULL OR removed > ?)"
        if name in _RESERVED_METADATA:
            reserved = _RESERVED_METADATA[name]
            return self._query(
                f"SELECT row, {reserved} FROM documents WHERE {alive}", generation, generation
            )
        path = '$."' + name.replace('"', "") + '"'
        rows = self._query(
            "SELECT row, json_extract(details, ?) AS value, json_type(details, ?) FROM documents "
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
        """The names of all details of the documents of a generation."""
        rows = self._query(
            "SELECT DISTINCT json_each.key FROM documents, json_each(documents.details) "
            "WHERE added <= ? AND (removed IS NULL OR removed > ?) ORDER BY 1",
            generation,
            generation,
        )
        return [*_RESERVED_METADATA, *(str(row[0]) for row in rows)]

    def metadata(self, row: int) -> str:
        """A row's details, audience and validity as one string, to compare."""
        rows = self._query(
            "SELECT details, audience, valid_from, stated_until, title, language FROM documents "
            "WHERE row = ?",
            row,
        )
        return json.dumps(rows[0] if rows else None)

    def _query(self, statement: str, *values: object) -> list[tuple[Any, ...]]:
        """All rows of a query.

        The lock is held until they are fetched: statements are shared between the
        cursors of a connection, and another thread's query would cut this one off.
        """
        try:
            with self._lock:
                return self._connection.execute(statement, values).fetchall()
        except sqlite3.Error as error:
            raise self._damaged(error) from error

    def _execute(self, statement: str, *values: object) -> int:
        """Run a statement that gives no rows; the row it added, if it added one."""
        try:
            with self._lock:
                return self._connection.execute(statement, values).lastrowid or 0
        except sqlite3.Error as error:
            raise self._damaged(error) from error

    def __del__(self) -> None:
        if getattr(self, "_connection", None) is not None:
            self.close()


def metadata_of(document: Document) -> str:
    """What `DocumentStore.details` would give for a document."""
    return json.dumps(
        [
            json.dumps(dict(document.metadata), ensure_ascii=False, default=str),
            json.dumps(sorted(document.audience)),
            microseconds(document.valid_from, OPEN_START),
            microseconds(document.valid_until, OPEN_END),
            document.title,
            document.language,
        ]
    )


def _pack_blocks(blocks: tuple[Block, ...]) -> bytes:
    rows = [(int(b.kind), b.start, b.end, b.level, b.under, b.header) for b in blocks]
    return np.array(rows, dtype=np.int64).reshape(-1, 6).astype("<i4").tobytes()


def _pack_runs(origin: Origin) -> bytes:
    rows = [(r.start, r.end, r.original_start, r.original_end) for r in origin.runs]
    return np.array(rows, dtype=np.int64).reshape(-1, 4).astype("<i4").tobytes()


def _packed(document: Document) -> tuple[bytes, bytes, str, str]:
    """A document's outline, runs, differences and marks, as they are kept."""
    return (
        _pack_blocks(document.blocks),
        _pack_runs(document.origin),
        json.dumps([[d.start, d.end, d.words] for d in document.origin.differences]),
        json.dumps(
            [
                [m.start, m.end, m.row, m.seconds, m.page, m.part, m.lines, m.anchor]
                for m in document.marks
            ]
        ),
    )


def _content_hash(text: str, packed: tuple[bytes, bytes, str, str]) -> str:
    digest = hashlib.sha256(text.encode("utf-8", "surrogatepass"))
    for part in packed:
        digest.update(b"\0")
        digest.update(part if isinstance(part, bytes) else part.encode())
    return digest.hexdigest()


def _linked(document: Document) -> frozenset[str]:
    """The ids that a document's metadata names as belonging with it."""
    named = document.metadata.get("linked") or []
    return frozenset(str(one) for one in ([named] if isinstance(named, str) else named))


def _checksum(text: str, packed: Sequence[bytes | str]) -> int:
    """The CRC-32 of a text and its outline, which is worked out faster than their hash."""
    found = zlib.crc32(text.encode("utf-8", "surrogatepass"))
    for part in packed:
        found = zlib.crc32(part if isinstance(part, bytes) else part.encode(), found)
    return found


def _mark(
    start: int, end: int, row: Any, seconds: Any, page: Any, part: str, lines: Any, anchor: str
) -> Mark:
    return Mark(
        start,
        end,
        row,
        tuple(seconds) if seconds else None,
        page,
        part,
        tuple(lines) if lines else None,
        anchor,
    )


def _moment(value: int) -> datetime | None:
    if value in (OPEN_START, OPEN_END):
        return None
    return datetime.fromtimestamp(value / 1_000_000, UTC)


def _document(row: tuple[object, ...]) -> Document:
    (_, id_, source, key, version, title, language, format_, text, blocks, origin) = row[:11]
    differences, marks, metadata, audience, valid_from, valid_until = row[11:17]
    packed = np.frombuffer(blocks, dtype="<i4").reshape(-1, 6).tolist()  # type: ignore[call-overload]
    runs = np.frombuffer(origin, dtype="<i4").reshape(-1, 4).tolist()  # type: ignore[call-overload]
    kinds = {int(kind): kind for kind in BlockKind}
    return Document(
        id=str(id_),
        source=str(source),
        key=str(key),
        version=str(version),
        title=str(title),
        language=str(language),
        format=str(format_),
        text=str(text),
        blocks=tuple(Block(kinds[kind], *rest) for kind, *rest in packed),
        origin=Origin(
            tuple(OriginRun(*run) for run in runs),
            tuple(Difference(*one) for one in json.loads(str(differences))),
        ),
        marks=tuple(_mark(*one) for one in json.loads(str(marks))),
        metadata=json.loads(str(metadata)),
        audience=frozenset(json.loads(str(audience))),
        valid_from=_moment(int(str(valid_from))),
        valid_until=_moment(int(str(valid_until))),
    )
