"""The rows that a query of a database gives, by a connection that cannot write."""

from __future__ import annotations

import re
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import quote

from ....core import (
    Cancel,
    CancelledError,
    LimitError,
    ServiceError,
    SourceError,
    YonderError,
    optional,
)
from ....settings import Hider, revealed, without_password

_AT_ONCE = 1000
_LOOKS = 0.2  # seconds between looks at a query that is waited for
_STEPS = 10_000  # of SQLite's machine between looks at the clock
_LONGEST_VALUE = 100_000_000  # bytes of one value
_READING = frozenset(
    (sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_RECURSIVE, sqlite3.SQLITE_FUNCTION)
)
# Functions that load code, or give out what lies in memory.
_UNSAFE = frozenset({"load_extension", "fts3_tokenizer", "writefile", "readfile", "edit"})
_POSTGRES = re.compile(r"^postgres(?:ql)?(?:\+\w+)?://")
_SQLITE = "sqlite:///"


@dataclass(frozen=True, slots=True)
class QueryBounds:
    """What ends a query that would go on.

    Attributes
    ----------
    seconds : float
        To its last row.
    rows : int
    cancel : Cancel
    """

    seconds: float
    rows: int
    cancel: Cancel


class _Watch:
    """Holds one query against its bounds, from the moment it begins."""

    def __init__(self, bounds: QueryBounds, where: str) -> None:
        self._bounds = bounds
        self._where = where
        self._end = time.monotonic() + bounds.seconds
        self._rows = 0

    @property
    def seconds(self) -> float:
        """How long it may take."""
        return self._bounds.seconds

    def is_over(self) -> bool:
        """Whether the query is to end now."""
        return self._bounds.cancel.is_set() or time.monotonic() > self._end

    def reason(self) -> YonderError:
        """Why it was ended."""
        if self._bounds.cancel.is_set():
            return CancelledError("interrupted while reading a table", self._where)
        seconds = f"{self._bounds.seconds:g} seconds"
        remedy = "ask for less, or raise max_seconds"
        return LimitError(f"the query took more than {seconds}", self._where, remedy)

    def count(self, rows: int) -> None:
        """Count rows.

        Raises
        ------
        LimitError, CancelledError
            There are too many, or the query is to end.
        """
        self._rows += rows
        if self._rows > self._bounds.rows:
            raise LimitError(
                f"the query gives more than {self._bounds.rows} rows",
                self._where,
                "ask for less, or raise max_rows",
            )
        if self.is_over():
            raise self.reason()

    @contextmanager
    def ending(self, end: Callable[[], object]) -> Iterator[None]:
        """While the database is waited for: call what ends the query, once it is over."""
        done = threading.Event()

        def watch() -> None:
            while not done.wait(_LOOKS):
                if self.is_over():
                    with suppress(Exception):  # it may have ended by itself
                        end()
                    return

        thread = threading.Thread(target=watch, name="query", daemon=True)
        thread.start()
        try:
            yield
        finally:
            done.set()
            thread.join()


def rows_of_query(
    address: str,
    query: str,
    where: str,
    *,
    folder: Path,
    bounds: QueryBounds,
    notice: Callable[[str], None],
) -> Iterator[dict[str, Any]]:
    """The rows of a query, in the database's order, read some at a time.

    The query is one statement that reads. SQLite is opened read-only, with an authorizer that
    allows nothing else; PostgreSQL is asked by a cursor, which takes a query alone, in a
    read-only transaction.

    Parameters
    ----------
    address : str
        A database URL, ``sqlite:///harbour.db`` or ``postgresql://user@host/name``.
    query, where : str
    folder : Path
        Against which a file is read.
    bounds : QueryBounds
    notice : callable
        Told what else there is to know.

    Raises
    ------
    ServiceError
        The database cannot be reached, or goes away in the middle.
    SourceError
        The query is wrong or would write, or the address is of another kind.
    LimitError
        It takes longer, or gives more, than it may.

    References
    ----------
    SQLite documentation: URI filenames; Compile-time authorization callbacks. PostgreSQL
    documentation: DECLARE; SET TRANSACTION.
    """
    watch = _Watch(bounds, where)
    if address.startswith(_SQLITE):
        yield from _of_sqlite(folder / address.removeprefix(_SQLITE), query, where, watch)
    elif _POSTGRES.match(address):
        yield from _of_postgres(address, query, where, watch, notice)
    else:
        raise SourceError(
            f"not a database that can be read: {address.partition('://')[0]}",
            where,
            "write it as sqlite:///file or postgresql://user@host/name, or export it as CSV",
        )


def _of_sqlite(path: Path, query: str, where: str, watch: _Watch) -> Iterator[dict[str, Any]]:
    if not path.is_file():
        raise SourceError("the database's file does not exist", where, "fix it")
    try:
        with closing(_opened(path)) as connection:
            connection.execute("PRAGMA query_only=ON")
            connection.set_authorizer(_only_reading)
            connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _LONGEST_VALUE)
            connection.set_progress_handler(lambda: int(watch.is_over()), _STEPS)
            cursor = connection.execute(query)
            if cursor.description is None:
                raise SourceError("the query gives no rows", where, "begin it with SELECT")
            names = [column[0] for column in cursor.description]
            while rows := cursor.fetchmany(_AT_ONCE):
                watch.count(len(rows))
                for row in rows:
                    yield dict(zip(names, row, strict=True))
    except sqlite3.Warning as error:  # several statements, in older versions of Python
        raise _wrong(error, where) from None
    except sqlite3.Error as error:
        text = str(error)
        if text == "interrupted":
            raise watch.reason() from None
        if "not authorized" in text or "prohibited" in text or "readonly" in text:
            raise _writing(where) from None
        if isinstance(error, sqlite3.DatabaseError) and (
            "malformed" in text or "not a database" in text or "unable to open" in text
        ):
            raise ServiceError(
                f"the database cannot be read: {text}", str(path), "fix it"
            ) from None
        raise _wrong(error, where) from None


def _opened(path: Path) -> sqlite3.Connection:
    address = f"file:{quote(str(path.resolve()))}?mode=ro"
    connection = sqlite3.connect(address, uri=True, isolation_level=None)
    try:
        connection.execute("SELECT 1 FROM sqlite_master LIMIT 1").fetchone()
    except sqlite3.OperationalError:  # a folder in which no file beside it may be made
        connection.close()
        connection = sqlite3.connect(f"{address}&immutable=1", uri=True, isolation_level=None)
    with suppress(AttributeError, sqlite3.Error):  # not in every build
        connection.enable_load_extension(False)
    return connection


def _only_reading(action: int, one: str | None, other: str | None, *_: Any) -> int:
    if action not in _READING:
        return sqlite3.SQLITE_DENY
    if action == sqlite3.SQLITE_FUNCTION and (other or one or "").lower() in _UNSAFE:
        return sqlite3.SQLITE_DENY
    return sqlite3.SQLITE_OK


def _of_postgres(
    address: str, query: str, where: str, watch: _Watch, notice: Callable[[str], None]
) -> Iterator[dict[str, Any]]:
    psycopg = optional("psycopg", "database", "reading a database")
    shown = without_password(address)
    hide = Hider([address])
    plain = _POSTGRES.sub("postgresql://", address)
    try:
        with (
            psycopg.connect(revealed(plain), connect_timeout=10) as connection,
            watch.ending(connection.cancel),
        ):
            connection.read_only = True
            with connection.cursor() as cursor:
                cursor.execute("SELECT current_setting('is_superuser')")
                if cursor.fetchone()[0] == "on":
                    notice(
                        f"{shown}: this role is a superuser, whom PostgreSQL lets do things beyond "
                        "its tables; use one that may only read"
                    )
                most = int(watch.seconds * 1000)
                cursor.execute(f"SET LOCAL statement_timeout = {most}")  # the server's own end
            with connection.cursor(name="yonder_lantern") as cursor:
                cursor.itersize = _AT_ONCE
                cursor.execute(query.strip().rstrip(";"))
                names = [column.name for column in cursor.description or ()]
                while rows := cursor.fetchmany(_AT_ONCE):
                    watch.count(len(rows))
                    for row in rows:
                        yield dict(zip(names, row, strict=True))
            connection.rollback()
    except psycopg.errors.QueryCanceled:
        raise watch.reason() from None
    except psycopg.errors.ReadOnlySqlTransaction:
        raise _writing(where) from None
    except (psycopg.OperationalError, psycopg.InterfaceError) as error:
        raise ServiceError(
            f"the database cannot be read: {hide.text(_first_line(error))}", shown, "is it up?"
        ) from None
    except psycopg.Error as error:
        raise _wrong(hide.text(_first_line(error)), where) from None


def _writing(where: str) -> SourceError:
    return SourceError(
        "the query does something else than read, which a source may not", where, "fix `query`"
    )


def _wrong(error: object, where: str) -> SourceError:
    return SourceError(f"the query is wrong: {_first_line(error)}", where, "fix `query`")


def _first_line(error: object) -> str:
    return str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
