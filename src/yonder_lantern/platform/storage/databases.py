"""Small databases that are kept to save work: what becomes of one that is damaged."""

from __future__ import annotations

import sqlite3
from pathlib import Path

_DAMAGE = (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB)


def is_damage(error: sqlite3.Error) -> bool:
    """Whether an error is about what the file holds; not about room, leave or the disk.

    References
    ----------
    SQLite, Result and Error Codes: the lowest eight bits are the primary code.
    """
    code = getattr(error, "sqlite_errorcode", None)
    return code is not None and code & 0xFF in _DAMAGE


def set_aside(path: Path) -> None:
    """Move a damaged database out of the way; what it holds may have been paid for."""
    path.replace(path.with_name(f"{path.name}.damaged"))
    for beside in ("-journal", "-wal", "-shm"):
        path.with_name(path.name + beside).unlink(missing_ok=True)
