"""Keeping notes in an SQL database: SQLite in the desk's folder, or a shared PostgreSQL."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path

from ..core import Note, Purge
from ..platform.storage import (
    CopiedTables,
    Row,
    SqlSessions,
    Tables,
    postgres_sessions,
    sealed,
    sqlite_sessions,
    unsealed,
)

DATABASE = "notes.sqlite"
_READ = 20_000  # notes that are remembered as they were read
_TABLES = Tables(
    (
        """CREATE TABLE IF NOT EXISTS notes (
            id TEXT PRIMARY KEY, at TEXT NOT NULL, note TEXT NOT NULL)""",
    ),
    what="notes",
    setting="notes.address",
    move="restore a backup; or move it aside and delete kept/notes.sqlite, and notes begin anew",
)


class SqlNotes(CopiedTables):
    """Notes in a database.

    Parameters
    ----------
    sessions : SqlSessions
    """

    name = in_folder = "notes"
    database = DATABASE
    tables = _TABLES

    def __init__(self, sessions: SqlSessions) -> None:
        self._sessions = sessions

    def add(self, note: Note) -> None:
        """Keep a note."""
        with self._sessions.session(writing=True) as run:
            run("INSERT INTO notes VALUES (?, ?, ?)", note.id, note.at, _packed(note))

    def change(self, note: Note) -> None:
        """Put a note in the place of the one of its id, if that is still there."""
        with self._sessions.session(writing=True) as run:
            run("UPDATE notes SET note = ? WHERE id = ?", _packed(note), note.id)

    def get(self, id_: str) -> Note | None:
        """A note by its id."""
        with self._sessions.session() as run:
            rows = run("SELECT note FROM notes WHERE id = ?", id_)
        return self._note(rows[0]) if rows else None

    def newest_first(self) -> list[Note]:
        """All notes, also those that were withdrawn."""
        with self._sessions.session() as run:
            rows = run("SELECT note FROM notes ORDER BY at DESC, id DESC")
        return [self._note(row) for row in rows]

    def delete(self, id_: str) -> None:
        """Delete a note for good."""
        with self._sessions.session(writing=True) as run:
            run("DELETE FROM notes WHERE id = ?", id_)

    def purge(self, purge: Purge) -> int:
        """Delete a person's notes, and what is about documents that go; redact the others."""
        changed = 0
        for note in self.newest_first():
            if purge.is_of(note.by) or note.about in purge.documents:
                self.delete(note.id)
            else:
                told = replace(note, text=purge.redact(note.text), source=purge.redact(note.source))
                if told == note:
                    continue
                self.change(told)
            changed += 1
        if changed:
            self._sessions.rewrite()
            _unpacked.cache_clear()
        return changed

    def expire(self, before: datetime) -> int:
        """Delete notes that were left before a moment."""
        old = before.astimezone(UTC).isoformat(timespec="seconds")
        gone = [note.id for note in self.newest_first() if note.at < old]
        for id_ in gone:
            self.delete(id_)
        return len(gone)

    def _note(self, row: Row) -> Note:
        try:
            return _unpacked(str(row[0]))
        except (ValueError, TypeError, KeyError) as error:
            raise self._sessions.damaged(str(error)) from None


@lru_cache(maxsize=_READ)
def _unpacked(packed: str) -> Note:
    own = unsealed(packed.encode())
    return Note(**{**own, "audience": tuple(own["audience"])})


def _packed(note: Note) -> str:
    return sealed(asdict(note)).decode()


def sqlite_notes(folder: Path) -> SqlNotes:
    """The notes in a folder, which is made when one is left."""
    return SqlNotes(sqlite_sessions(folder / DATABASE, _TABLES))


def postgres_notes(address: str, shown: str) -> SqlNotes:
    """The notes in a PostgreSQL database, shared by all who are given its address.

    Parameters
    ----------
    address : str
    shown : str
        The same without a password.

    Raises
    ------
    MissingExtraError
        The package for it is not installed.
    """
    return SqlNotes(postgres_sessions(address, shown, _TABLES))
