"""Sessions with a small SQL database: SQLite in a folder, or PostgreSQL shared by several.

Each session opens a connection of its own, so a store can be used from any thread and process, and
is one transaction: two that write at once follow each other.
"""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ...core import ServiceError, StateError, optional
from .databases import copy_database, rewrite_database
from .files import open_private, private_folder
from .kept_files import check_kept, note_kept

_NO_ROOM = ("full", "readonly", "unable to open", "locked", "I/O")
_TABLES = 0x594C  # names the lock that those who make the tables hold
_WAIT = 10.0  # seconds for another who writes
Row = Sequence[Any]
Run = Callable[..., Sequence[Row]]


@dataclass(frozen=True, slots=True)
class Tables:
    """The tables of a store.

    Attributes
    ----------
    schema : tuple of str
        Statements that make what is missing.
    what : str
        What is kept, for errors: "conversations".
    setting : str
        The setting that names a database server.
    move : str
        What to do about a damaged file.
    older : tuple of str
        Words of errors that tell of an older form.
    is_made_again : bool
        Whether a file of them that is gone is no loss.
    """

    schema: tuple[str, ...]
    what: str
    setting: str
    move: str
    older: tuple[str, ...] = ()
    is_made_again: bool = False


class SqlSessions:
    """Opens sessions with a database.

    Parameters
    ----------
    connect : callable
        Opens a connection of the Python Database API (PEP 249), to write or only to read.
    mark : str
        What stands for a value in its statements.
    place : str
        For errors: where the database is.
    fails_with : type of Exception
        What the database raises.
    told : callable
        What is raised in its place, while something was written or only read.
    tables : Tables
    makes_tables : bool, default True
        Whether the tables are made where something is written; else connecting makes them.
    file : Path, optional
        The file of the database, where it is one.
    """

    def __init__(
        self,
        connect: Callable[[bool], Any],
        *,
        mark: str,
        place: str,
        fails_with: type[Exception],
        told: Callable[[Exception, bool], Exception],
        tables: Tables,
        makes_tables: bool = True,
        file: Path | None = None,
    ) -> None:
        self.file = file
        self._connect = connect
        self._mark = mark
        self.place = place
        self._fails_with = fails_with
        self._told = told
        self._tables = tables
        self._makes_tables = makes_tables

    @contextmanager
    def session(self, *, writing: bool = False) -> Iterator[Run]:
        """A connection, in one transaction; what it raises says what is wrong where.

        Raises
        ------
        OSError
            The disk is full or may not be written.
        StateError
            The database is damaged.
        ServiceError
            The server fails.
        """
        try:
            with closing(self._connect(writing)) as connection:
                cursor = connection.cursor()

                def run(statement: str, *values: object) -> Sequence[Row]:
                    cursor.execute(statement.replace("?", self._mark), values)
                    found: Sequence[Row] = cursor.fetchall() if cursor.description else ()
                    return found

                for statement in self._tables.schema if writing and self._makes_tables else ():
                    cursor.execute(statement)
                yield run
                connection.commit()
        except self._fails_with as error:
            raise self._told(error, writing) from error

    def is_empty(self) -> bool:
        """Whether nothing was ever kept: then there is no file."""
        return self.file is not None and not self.file.exists()

    def rewrite(self) -> None:
        """Leave nothing of what was deleted; what a server keeps until it cleans up is its own."""
        if self.file is not None and self.file.exists():
            rewrite_database(self.file)

    def damaged(self, why: str) -> StateError:
        """The error that says what is kept is damaged."""
        what = f"the kept {self._tables.what} are damaged: {why}"
        return StateError(what, self.place, self._tables.move)


def sqlite_sessions(path: Path, tables: Tables) -> SqlSessions:
    """Sessions with a file, which is made when something is written."""

    def connect(writing: bool) -> sqlite3.Connection:
        if not tables.is_made_again:
            check_kept(path, tables.what)
        if not writing and (not path.exists() or not path.stat().st_size):
            connection = sqlite3.connect(":memory:")  # nothing was ever kept
            for statement in tables.schema:
                connection.execute(statement)
            return connection
        if writing and not path.exists():
            private_folder(path.parent)
            open_private(path, "ab").close()
        if writing and not tables.is_made_again:
            note_kept(path)
        connection = sqlite3.connect(path, timeout=_WAIT, isolation_level=None)
        connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA secure_delete = ON")  # deleted for good
        # All that a session reads is of one moment, whoever writes meanwhile.
        connection.execute("BEGIN IMMEDIATE" if writing else "BEGIN")
        return connection

    def told(error: Exception, writing: bool) -> Exception:
        """A full or forbidden disk is no damage."""
        text = str(error)
        if (writing and any(word in text for word in _NO_ROOM)) or "locked" in text:
            return OSError(text)
        if any(word in text for word in tables.older):
            what = f"the {tables.what} are kept in an older form"
            return StateError(what, str(path), tables.move)
        return StateError(f"the kept {tables.what} are damaged: {text}", str(path), tables.move)

    return SqlSessions(
        connect, mark="?", place=str(path), fails_with=sqlite3.Error, told=told, tables=tables,
        file=path,
    )  # fmt: skip


def postgres_sessions(address: str, shown: str, tables: Tables) -> SqlSessions:
    """Sessions with a PostgreSQL database, shared by all who are given its address.

    Parameters
    ----------
    address : str
    shown : str
        The same without a password.
    tables : Tables

    Raises
    ------
    MissingExtraError
        The package for it is not installed.
    """
    psycopg = optional("psycopg", "database", f"{tables.what} in PostgreSQL")
    made = False

    def connect(writing: bool) -> Any:
        nonlocal made
        connection = psycopg.connect(address, connect_timeout=int(_WAIT))
        if not made:
            connection.execute("SELECT pg_advisory_xact_lock(%s)", (_TABLES,))  # one makes them
            for statement in tables.schema:
                connection.execute(statement)
            connection.commit()
        made = True
        if not writing:  # all that is read is of one moment
            connection.isolation_level = psycopg.IsolationLevel.REPEATABLE_READ
        return connection

    def told(error: Exception, writing: bool) -> Exception:  # noqa: ARG001
        return ServiceError(
            f"the database of the {tables.what} fails: {type(error).__name__}",
            shown,
            f"see {tables.setting}, and whether the server is up",
        )

    return SqlSessions(
        connect,
        mark="%s",
        place=shown,
        fails_with=psycopg.Error,
        told=told,
        tables=tables,
        makes_tables=False,
    )


def copy_tables(source: SqlSessions, target: Path, tables: Tables) -> None:
    """Copy all rows of a store, as they are at one moment, into an SQLite file.

    A file is copied by SQLite's own means; a server's tables are read in one transaction.
    """
    if source.file is not None:
        if source.file.exists():
            copy_database(source.file, target)
        return
    with source.session() as read, sqlite_sessions(target, tables).session(writing=True) as write:
        for name in _names(tables):
            _insert_all(write, name, read(f"SELECT * FROM {name}"))


def restore_tables(source: Path, target: SqlSessions, tables: Tables) -> None:
    """Put the rows of an SQLite file in place of those of a database server, all or none."""
    with sqlite_sessions(source, tables).session() as read, target.session(writing=True) as write:
        for name in reversed(_names(tables)):
            write(f"DELETE FROM {name}")
        for name in _names(tables):
            _insert_all(write, name, read(f"SELECT * FROM {name}"))


class CopiedTables:
    """What stores in a database have in common: they are copied, and brought back.

    Attributes
    ----------
    in_folder : str
        The folder of the state that they are in, where they are in a file.
    database : str
        That file.
    tables : Tables
    """

    in_folder: str
    database: str
    tables: Tables
    _sessions: SqlSessions

    def copy_to(self, folder: Path) -> None:
        """Copy all of it into a file, whatever it is kept in."""
        copy_tables(self._sessions, folder / self.in_folder / self.database, self.tables)

    def restore_from(self, folder: Path) -> None:
        """Put a copy in place of what a server keeps; a file is put back as it is."""
        kept = folder / self.in_folder / self.database
        if self._sessions.file is None and kept.exists():
            restore_tables(kept, self._sessions, self.tables)


def _names(tables: Tables) -> list[str]:
    """The tables of a schema, those that others refer to first."""
    found = (re.match(r"CREATE TABLE IF NOT EXISTS (\w+)", one.strip()) for one in tables.schema)
    return [one[1] for one in found if one]


def _insert_all(run: Run, name: str, rows: Sequence[Row]) -> None:
    for row in rows:
        run(f"INSERT INTO {name} VALUES ({', '.join('?' * len(row))})", *row)
