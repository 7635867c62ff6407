"""What a source has fetched, kept in its own folder so that it is not fetched again."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import Any

from ..records import SourceError

_SCHEMA = """
CREATE TABLE IF NOT EXISTS kept (
    key TEXT PRIMARY KEY, about TEXT NOT NULL, body BLOB NOT NULL) WITHOUT ROWID;
"""


@dataclass(frozen=True, slots=True)
class Copy:
    """Something fetched: its bytes, and what is known about them."""

    body: bytes
    about: dict[str, Any] = field(default_factory=dict)


class Kept:
    """A small store of bytes by key, made when missing.

    It is a cache: when it is damaged, it is begun anew.
    """

    def __init__(self, folder: Path, name: str) -> None:
        self._path = folder / f"{name}.sqlite"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._connection = self._open()
        except sqlite3.DatabaseError:
            self._path.unlink(missing_ok=True)
            self._connection = self._open()
        except OSError as error:
            raise SourceError(
                f"what is fetched cannot be kept: {error.strerror}",
                str(folder),
                "give this user leave to write there",
            ) from error

    def _open(self) -> sqlite3.Connection:
        connection = sqlite3.connect(self._path, isolation_level=None)
        connection.executescript(_SCHEMA)
        return connection

    def __enter__(self) -> Kept:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._connection.close()

    def get(self, key: str) -> Copy | None:
        """What is kept under a key."""
        row = self._connection.execute("SELECT about, body FROM kept WHERE key = ?", [key])
        found = row.fetchone()
        return Copy(bytes(found[1]), json.loads(found[0])) if found else None

    def put(self, key: str, copy: Copy) -> None:
        """Keep something under a key."""
        self._connection.execute(
            "INSERT OR REPLACE INTO kept VALUES (?,?,?)", [key, json.dumps(copy.about), copy.body]
        )

    def drop(self, key: str) -> None:
        """Keep it no longer."""
        self._connection.execute("DELETE FROM kept WHERE key = ?", [key])

    def each(self) -> Iterator[tuple[str, dict[str, Any]]]:
        """Every key and what is known about it, in the order of the keys."""
        rows = self._connection.execute("SELECT key, about FROM kept ORDER BY key").fetchall()
        for key, about in rows:
            yield key, json.loads(about)


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
    with Kept(folder, name) as kept:
        copy = kept.get(key)
    if copy is None:
        raise SourceError("what was fetched is no longer there", key, "gather again")
    return copy.body
