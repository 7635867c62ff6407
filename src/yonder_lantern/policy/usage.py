"""How often callers asked, and what their answers cost: counted over all processes.

What is kept is for a minute, or for a day; it is not worth a disk's promise, and a loss of power
may lose it.
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path

from ..core import Money, Purge
from ..platform.storage import (
    copy_database,
    open_private,
    private_folder,
    rewrite_database,
)

_MINUTE = 60.0
_WAIT = 5.0
_SCHEMA = """
CREATE TABLE IF NOT EXISTS asked (name TEXT NOT NULL, at REAL NOT NULL);
CREATE INDEX IF NOT EXISTS asked_by ON asked (name, at);
CREATE TABLE IF NOT EXISTS spent (
    name TEXT NOT NULL, day TEXT NOT NULL, amount TEXT NOT NULL, PRIMARY KEY (name, day));
"""


class Usage:
    """The counts of a desk.

    Parameters
    ----------
    folder : Path
        Where they are kept.
    """

    def __init__(self, folder: Path) -> None:
        self._path = folder / "usage.sqlite"

    def ask(self, name: str, per_minute: int) -> float:
        """Count a question.

        Parameters
        ----------
        name : str
            Whose it is.
        per_minute : int
            How many there may be in any minute.

        Returns
        -------
        float
            0 where it may be asked; else the seconds until it may, and nothing is counted.
        """
        now = time.time()
        with self._writing() as connection:
            connection.execute("DELETE FROM asked WHERE at <= ?", (now - _MINUTE,))
            asked = connection.execute(
                "SELECT COUNT(*), MIN(at) FROM asked WHERE name = ?", (name,)
            ).fetchone()
            if asked[0] >= per_minute:
                return max(1.0, float(asked[1]) + _MINUTE - now)
            connection.execute("INSERT INTO asked VALUES (?, ?)", (name, now))
        return 0.0

    def spend(self, name: str, cost: Money) -> None:
        """Add what an answer cost."""
        if not cost.amount:
            return
        with self._writing() as connection:
            whole = self._spent(connection, name) + cost.amount
            connection.execute(
                "INSERT OR REPLACE INTO spent VALUES (?, ?, ?)", (name, _today(), str(whole))
            )

    name = "usage"

    def purge(self, purge: Purge) -> int:
        """Forget how often a person asked."""
        if not (self._path.exists() and purge.person):
            return 0
        with self._writing() as connection:
            names = {row[0] for table in ("asked", "spent")
                     for row in connection.execute(f"SELECT name FROM {table}")}  # fmt: skip
            mine = [name for name in names if purge.is_of(name)]
            for name in mine:
                connection.execute("DELETE FROM asked WHERE name = ?", (name,))
                connection.execute("DELETE FROM spent WHERE name = ?", (name,))
        rewrite_database(self._path)
        return len(mine)

    def expire(self, before: datetime) -> int:
        """Forget what was asked and spent before a moment; questions after a minute anyway."""
        if not self._path.exists():
            return 0
        with self._writing() as connection:
            connection.execute("DELETE FROM asked WHERE at < ?", (time.time() - _MINUTE,))
            day = before.astimezone(UTC).date().isoformat()
            return connection.execute("DELETE FROM spent WHERE day < ?", (day,)).rowcount

    def copy_to(self, folder: Path) -> None:
        """Copy it, so that what was spent today still counts."""
        if self._path.exists():
            copy_database(self._path, folder / "access" / self._path.name)

    def spent_today(self, name: str) -> Decimal:
        """What the answers of a caller cost today (UTC)."""
        if not self._path.exists():
            return Decimal(0)
        with self._writing() as connection:
            return self._spent(connection, name)

    @staticmethod
    def _spent(connection: sqlite3.Connection, name: str) -> Decimal:
        row = connection.execute(
            "SELECT amount FROM spent WHERE name = ? AND day = ?", (name, _today())
        ).fetchone()
        return Decimal(row[0]) if row else Decimal(0)

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        """A connection, nobody else's turn meanwhile."""
        if not self._path.exists():
            private_folder(self._path.parent)
            open_private(self._path, "ab").close()
        with closing(sqlite3.connect(self._path, timeout=_WAIT, isolation_level=None)) as one:
            one.execute("PRAGMA synchronous = OFF")
            one.execute("PRAGMA secure_delete = ON")
            one.execute("BEGIN IMMEDIATE")
            for statement in _SCHEMA.split(";"):  # another process may be half-way there
                one.execute(statement)
            yield one
            one.execute("COMMIT")


def _today() -> str:
    return datetime.now(UTC).date().isoformat()
