"""What a source has fetched, kept in its own folder so that it is not fetched again."""

from __future__ import annotations

import json
import logging
import sqlite3
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import Any

from ...core import SourceError
from ...platform.storage import is_damage, open_private, private_folder, set_aside

_LOG = logging.getLogger("yonder_lantern.sources")
_SCHEMA = """
CREATE TABLE IF NOT EXISTS copies (
    key TEXT PRIMARY KEY, about TEXT NOT NULL, body BLOB NOT NULL, checksum INTEGER NOT NULL
) WITHOUT ROWID;
"""


@dataclass(frozen=True, slots=True)
class Copy:
    """Something fetched: its bytes, and what is known about them."""

    body: bytes
    about: dict[str, Any] = field(default_factory=dict)


class ServiceCache:
    """A small store of bytes by key, made when missing and private to this user.

    It is a cache: a copy that is damaged is not there, and a damaged store is moved aside and
    begun anew.
    """

    def __init__(self, folder: Path, name: str) -> None:
        self._path = folder / f"{name}.sqlite"
        try:
            private_folder(folder)
            self._connection = self._open()
        except sqlite3.DatabaseError as error:
            self._begin_anew(error)
        except OSError as error:
            raise SourceError(
                f"what is fetched cannot be kept: {error.strerror}",
                str(folder),
                "give this user permission to write there",
            ) from error

    def _open(self) -> sqlite3.Connection:
        open_private(self._path, "ab").close()
        connection = sqlite3.connect(self._path, isolation_level=None)
        try:
            connection.executescript(_SCHEMA)
        except sqlite3.DatabaseError:
            connection.close()
            raise
        return connection

    def _begin_anew(self, error: sqlite3.DatabaseError) -> None:
        """Put an empty store in place of a damaged one."""
        if not is_damage(error):
            raise SourceError(
                f"what is fetched cannot be kept: {error}", str(self._path), "make room on the disk"
            ) from None
        _LOG.warning("%s is damaged (%s): what it held is fetched anew", self._path, error)
        set_aside(self._path)
        self._connection = self._open()

    def _rows(self, statement: str, *values: object) -> list[tuple[Any, ...]]:
        try:
            return self._connection.execute(statement, values).fetchall()
        except sqlite3.DatabaseError as error:
            self._connection.close()
            self._begin_anew(error)
            return self._connection.execute(statement, values).fetchall()

    def __enter__(self) -> ServiceCache:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._connection.close()

    def get(self, key: str) -> Copy | None:
        """What is kept under a key, if it is whole."""
        rows = self._rows("SELECT about, body, checksum FROM copies WHERE key = ?", key)
        for about, body, checksum in rows:
            if _checksum(key, about, body) == checksum:
                return Copy(bytes(body), json.loads(about))
            _LOG.warning("%s: what was kept of %r is damaged", self._path, key)
        return None

    def put(self, key: str, copy: Copy) -> None:
        """Keep something under a key."""
        about = json.dumps(copy.about)
        checksum = _checksum(key, about, copy.body)
        self._rows(
            "INSERT OR REPLACE INTO copies VALUES (?,?,?,?)", key, about, copy.body, checksum
        )

    def drop(self, key: str) -> None:
        """Keep it no longer."""
        self._rows("DELETE FROM copies WHERE key = ?", key)

    def rewrite(self) -> None:
        """Leave nothing of what was dropped in the file."""
        self._rows("VACUUM")

    def each(self) -> Iterator[tuple[str, dict[str, Any]]]:
        """Every key and what is known about it, in the order of the keys; whole copies only."""
        for key, *_ in self._rows("SELECT key FROM copies ORDER BY key"):
            copy = self.get(key)
            if copy is not None:
                yield key, copy.about


def _checksum(key: str, about: str, body: bytes) -> int:
    return zlib.crc32(body, zlib.crc32(f"{key}\n{about}\n".encode("utf-8", "surrogatepass")))


def conditions_of(copy: Copy | None) -> dict[str, str]:
    """The headers that ask for something only if it is no longer as in a copy.

    References
    ----------
    RFC 9110, HTTP Semantics, section 13.
    """
    about = copy.about if copy is not None else {}
    named = {"if-none-match": about.get("etag"), "if-modified-since": about.get("modified")}
    return {name: str(value) for name, value in named.items() if value}


def read_later(folder: Path, name: str, key: str) -> bytes:
    """The bytes kept under a key, read when they are needed."""
    with ServiceCache(folder, name) as kept:
        copy = kept.get(key)
    if copy is None:
        raise SourceError("what was fetched is no longer there", key, "gather again")
    return copy.body
