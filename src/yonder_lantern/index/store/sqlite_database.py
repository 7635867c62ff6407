"""The SQLite database of an index: opening it, what damage means, transactions."""

from __future__ import annotations

import logging
import sqlite3
import threading
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from ...core import ClosedError, FormatError, IndexStateError, YonderError
from ...platform.storage import REBUILD, open_private
from ..page_sums import PageSums

_LOG = logging.getLogger("yonder_lantern.index")
DATABASE = "documents.sqlite"
_NO_ROOM = ("readonly", "unable to open", "disk is full", "disk I/O")
_ROWS_AT_ONCE = 500  # that one query asks for
_SCHEMA = """
CREATE TABLE IF NOT EXISTS documents (
    row INTEGER PRIMARY KEY, id TEXT NOT NULL, source TEXT NOT NULL, key TEXT NOT NULL,
    version TEXT NOT NULL, title TEXT NOT NULL, language TEXT NOT NULL, format TEXT NOT NULL,
    content INTEGER NOT NULL, metadata TEXT NOT NULL, audience TEXT NOT NULL,
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


class Database:
    """The database of one index folder; safe to use from several threads.

    Parameters
    ----------
    folder : Path
        The index folder.
    writing : bool
        Whether rows will be added; the database is then made when missing.

    Attributes
    ----------
    queries : int
        How often it was asked: a question should need few.
    """

    def __init__(self, folder: Path, *, writing: bool) -> None:
        self._path = folder / DATABASE
        self._lock = threading.Lock()
        self._writing = writing
        self._sums = PageSums(self._path)
        self._closed = False
        self.queries = 0
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
                "the index may not be written",
                str(self._path),
                "give this user permission to write it",
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

    def _of_rows(self, select: str, rows: Sequence[int]) -> Iterator[tuple[Any, ...]]:
        """What a query gives for some rows, of which SQLite takes only so many at once."""
        for at in range(0, len(rows), _ROWS_AT_ONCE):
            part = rows[at : at + _ROWS_AT_ONCE]
            marks = ",".join("?" * len(part))
            yield from self._query(f"{select} WHERE row IN ({marks})", *part)

    def _query(self, statement: str, *values: object) -> list[tuple[Any, ...]]:
        """All rows of a query.

        The lock is held until they are fetched: statements are shared between the
        cursors of a connection, and another thread's query would cut this one off.
        """
        self.queries += 1
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
