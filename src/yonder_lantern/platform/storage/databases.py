"""Small databases that are kept to save work: what becomes of one that is damaged."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from .files import open_private, private_folder

_WAIT = 10.0  # seconds for another who writes
_DAMAGE = (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB)


def is_damage(error: sqlite3.Error) -> bool:
    """Whether an error is about what the file holds; not about room, leave or the disk.

    References
    ----------
    SQLite, Result and Error Codes: the lowest eight bits are the primary code.
    """
    code = getattr(error, "sqlite_errorcode", None)
    return code is not None and code & 0xFF in _DAMAGE


def copy_database(path: Path, target: Path) -> None:
    """Copy an SQLite file as it is at one moment, whoever writes meanwhile.

    References
    ----------
    SQLite Backup API.
    """
    private_folder(target.parent)
    open_private(target, "wb").close()
    with (
        closing(sqlite3.connect(path, timeout=_WAIT)) as source,
        closing(sqlite3.connect(target)) as copy,
    ):
        source.backup(copy)


def rewrite_database(path: Path) -> None:
    """Write an SQLite file anew, so that nothing of what was deleted is left in it."""
    with closing(sqlite3.connect(path, timeout=_WAIT, isolation_level=None)) as connection:
        connection.execute("VACUUM")
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")


def set_aside(path: Path) -> None:
    """Move a damaged database out of the way; what it holds may have been paid for."""
    path.replace(path.with_name(f"{path.name}.damaged"))
    for beside in ("-journal", "-wal", "-shm"):
        path.with_name(path.name + beside).unlink(missing_ok=True)
