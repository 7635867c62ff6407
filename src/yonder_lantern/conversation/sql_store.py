"""Keeping conversations in an SQL database: SQLite in the desk's folder, or PostgreSQL.

Each call opens a connection of its own, so a store can be used from any thread and process. Turns
are numbered within a transaction: two that come at once follow each other, and none is lost.
"""

from __future__ import annotations

import hashlib
import json
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import asdict
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from ..core import CallError, ServiceError, StateError, optional
from ..platform.storage import open_private, private_folder, sealed, unsealed
from .preferences import Preference
from .turns import Conversation, ConversationSummary, Turn

DATABASE = "conversations.sqlite"
_NO_ROOM = ("full", "readonly", "unable to open", "locked", "I/O")
_TABLES = 0x594C  # names the lock that those who make the tables hold
_WAIT = 10.0  # seconds for another who writes
_SCHEMA = (
    """CREATE TABLE IF NOT EXISTS conversations (
        id TEXT PRIMARY KEY, title TEXT NOT NULL, owner TEXT NOT NULL, audience TEXT NOT NULL,
        changed TEXT NOT NULL, turns INTEGER NOT NULL, preferences TEXT NOT NULL,
        checksum TEXT NOT NULL)""",
    """CREATE TABLE IF NOT EXISTS turns (
        conversation TEXT NOT NULL REFERENCES conversations (id) ON DELETE CASCADE,
        number INTEGER NOT NULL, words TEXT NOT NULL, turn TEXT NOT NULL,
        PRIMARY KEY (conversation, number))""",
)
_SUMMARY = (
    "SELECT id, title, changed, turns, owner, audience, preferences, checksum FROM conversations"
)
_MOVE = "move it aside, and conversations begin anew; the index is not concerned"
Connect = Callable[[bool], Any]
Row = Sequence[Any]


class SqlStore:
    """Conversations in a database.

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
    makes_tables : bool, default True
        Whether the tables are made where something is written; else connecting makes them.
    """

    def __init__(
        self,
        connect: Connect,
        *,
        mark: str,
        place: str,
        fails_with: type[Exception],
        told: Callable[[Exception, bool], Exception],
        makes_tables: bool = True,
    ) -> None:
        self._connect = connect
        self._mark = mark
        self._place = place
        self._fails_with = fails_with
        self._told = told
        self._makes_tables = makes_tables

    def add(self, conversation: Conversation, turn: Turn) -> int:
        """Keep a turn of a conversation, which is made with its first; the turn's number, from 1.

        Raises
        ------
        OSError
            The disk is full or may not be written.
        StateError
            The database is damaged.
        """
        kept = sealed(asdict(turn)).decode()
        words = f"{turn.question}\n{turn.answer}".casefold()
        audience = json.dumps(conversation.audience)
        preferences = _packed(conversation.preferences)
        with self._session(writing=True) as run:
            run(
                "INSERT INTO conversations VALUES (?, ?, ?, ?, ?, 0, ?, '')"
                " ON CONFLICT (id) DO UPDATE SET changed = excluded.changed,"
                " audience = excluded.audience, preferences = excluded.preferences,"
                " title = CASE conversations.title WHEN '' THEN excluded.title"
                " ELSE conversations.title END",
                conversation.id, conversation.title, conversation.owner, audience, turn.at,
                preferences,
            )  # fmt: skip
            run("UPDATE conversations SET turns = turns + 1 WHERE id = ?", conversation.id)
            ((owner,),) = run("SELECT owner FROM conversations WHERE id = ?", conversation.id)
            if owner != conversation.owner:
                raise CallError(f"there is no conversation {conversation.id!r}")
            number = self._sign(run, conversation.id)
            run("INSERT INTO turns VALUES (?, ?, ?, ?)", conversation.id, number, words, kept)
        return number

    def begin(self, conversation: Conversation, at: str) -> None:
        """Keep a conversation that has no turn yet; of those, a day later, nothing is left."""
        audience = json.dumps(conversation.audience)
        old = (datetime.fromisoformat(at) - timedelta(days=1)).isoformat(timespec="seconds")
        with self._session(writing=True) as run:
            run("DELETE FROM conversations WHERE turns = 0 AND changed < ?", old)
            run(
                "INSERT INTO conversations VALUES (?, '', ?, ?, ?, 0, '[]', '')",
                conversation.id, conversation.owner, audience, at,
            )  # fmt: skip
            self._sign(run, conversation.id)

    @staticmethod
    def _sign(run: Callable[..., Sequence[Row]], id_: str) -> int:
        """Give a conversation's row its checksum; how many turns it has."""
        (row,) = run(f"{_SUMMARY} WHERE id = ?", id_)
        run("UPDATE conversations SET checksum = ? WHERE id = ?", _checksum(row), id_)
        return int(row[3])

    def load(self, id_: str) -> Conversation | None:
        """A conversation with all its turns; None if there is none of that id.

        Raises
        ------
        StateError
            It is damaged.
        """
        with self._session() as run:
            rows = run(f"{_SUMMARY} WHERE id = ?", id_)
            if not rows:
                return None
            turns = run(
                "SELECT number, turn FROM turns WHERE conversation = ? ORDER BY number", id_
            )
        one = self._summary(rows[0])
        if [number for number, _ in turns] != list(range(1, one.turns + 1)):
            raise self._damaged("turns are missing")
        found = Conversation(one.id, owner=one.owner, audience=one.audience, title=one.title)
        try:
            stated = json.loads(rows[0][6])
            found.preferences = tuple(Preference(**one) for one in stated)
        except (ValueError, TypeError) as error:
            raise self._damaged(str(error)) from None
        for _, kept in turns:
            found.turns.append(self._turn(kept))
        return found

    def newest(self, *, text: str = "", owner: str | None = None) -> Iterator[ConversationSummary]:
        """Conversations, that which was added to last first.

        Parameters
        ----------
        text : str
            Words that a question or an answer of it must hold.
        owner : str, optional
            Of one person only.
        """
        statement = _SUMMARY
        conditions = ["turns > 0"]
        values: list[str] = []
        if text:
            marks = text.casefold().replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
            conditions.append(
                "id IN (SELECT conversation FROM turns WHERE words LIKE ? ESCAPE '\\')"
            )
            values.append(f"%{marks}%")
        if owner is not None:
            conditions.append("owner = ?")
            values.append(owner)
        statement += " WHERE " + " AND ".join(conditions)
        with self._session() as run:
            rows = run(f"{statement} ORDER BY changed DESC, id DESC", *values)
        yield from map(self._summary, rows)

    def rename(self, id_: str, title: str) -> None:
        """Call a conversation something else."""
        with self._session(writing=True) as run:
            run("UPDATE conversations SET title = ? WHERE id = ?", title, id_)
            self._sign(run, id_)

    def drop_last(self, id_: str) -> None:
        """Delete the last turn of a conversation, and the conversation with its only one."""
        with self._session(writing=True) as run:
            rows = run("SELECT turns FROM conversations WHERE id = ?", id_)
            last = int(rows[0][0]) if rows else 0
            run("DELETE FROM turns WHERE conversation = ? AND number = ?", id_, last)
            if last <= 1:
                run("DELETE FROM conversations WHERE id = ?", id_)
                return
            run("UPDATE conversations SET turns = ? WHERE id = ?", last - 1, id_)
            self._sign(run, id_)

    def set_preferences(self, id_: str, preferences: Sequence[Preference]) -> None:
        """Keep other preferences with a conversation."""
        with self._session(writing=True) as run:
            packed = _packed(preferences)
            run("UPDATE conversations SET preferences = ? WHERE id = ?", packed, id_)
            if run("SELECT id FROM conversations WHERE id = ?", id_):
                self._sign(run, id_)

    def delete(self, id_: str) -> None:
        """Delete a conversation and its turns for good."""
        with self._session(writing=True) as run:
            run("DELETE FROM turns WHERE conversation = ?", id_)
            run("DELETE FROM conversations WHERE id = ?", id_)

    def _turn(self, kept: str) -> Turn:
        try:
            own = unsealed(kept.encode())
            return Turn(**{**own, "choices": tuple(own["choices"])})
        except (ValueError, TypeError, KeyError) as error:
            raise self._damaged(str(error)) from None

    def _damaged(self, why: str) -> StateError:
        return StateError(f"the kept conversations are damaged: {why}", self._place, _MOVE)

    @contextmanager
    def _session(self, *, writing: bool = False) -> Iterator[Callable[..., Sequence[Row]]]:
        """A connection, in one transaction; what it raises says what is wrong where."""
        try:
            with closing(self._connect(writing)) as connection:
                cursor = connection.cursor()

                def run(statement: str, *values: object) -> Sequence[Row]:
                    cursor.execute(statement.replace("?", self._mark), values)
                    return cursor.fetchall() if cursor.description else ()

                for statement in _SCHEMA if writing and self._makes_tables else ():
                    cursor.execute(statement)
                yield run
                connection.commit()
        except self._fails_with as error:
            raise self._told(error, writing) from error

    def _summary(self, row: Row) -> ConversationSummary:
        if row[-1] != _checksum(row):
            raise self._damaged("a conversation does not fit its checksum")
        id_, title, changed, turns, owner, audience, *_ = row
        labels = json.loads(audience)
        return ConversationSummary(
            id_, title, changed, int(turns), owner, None if labels is None else tuple(labels)
        )


def _packed(preferences: Sequence[Preference]) -> str:
    return json.dumps([asdict(one) for one in preferences], ensure_ascii=False)


def _checksum(row: Row) -> str:
    """Of what a row says beside it."""
    return hashlib.sha256(json.dumps(list(row[:-1])).encode()).hexdigest()[:16]


def sqlite_store(folder: Path) -> SqlStore:
    """The store in a folder, which is made when something is kept in it."""
    path = folder / DATABASE

    def connect(writing: bool) -> sqlite3.Connection:
        if not writing and (not path.exists() or not path.stat().st_size):
            connection = sqlite3.connect(":memory:")  # nothing was ever kept
            for statement in _SCHEMA:
                connection.execute(statement)
            return connection
        if writing and not path.exists():
            private_folder(folder)
            open_private(path, "ab").close()
        connection = sqlite3.connect(path, timeout=_WAIT, isolation_level=None)
        connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA secure_delete = ON")  # deleted for good
        # A conversation and its turns are read as of one moment, whoever adds to them meanwhile.
        connection.execute("BEGIN IMMEDIATE" if writing else "BEGIN")
        return connection

    def told(error: Exception, writing: bool) -> Exception:
        """A full or forbidden disk is no damage."""
        text = str(error)
        if (writing and any(word in text for word in _NO_ROOM)) or "locked" in text:
            return OSError(text)
        if "preferences" in text or "columns but" in text:
            return StateError("the conversations are kept in an older form", str(path), _MOVE)
        return StateError(f"the kept conversations are damaged: {text}", str(path), _MOVE)

    return SqlStore(connect, mark="?", place=str(path), fails_with=sqlite3.Error, told=told)


def postgres_store(address: str, shown: str) -> SqlStore:
    """The store in a PostgreSQL database, shared by all who are given its address.

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
    psycopg = optional("psycopg", "database", "conversations in PostgreSQL")

    made = False

    def connect(writing: bool) -> Any:
        nonlocal made
        connection = psycopg.connect(address, connect_timeout=int(_WAIT))
        if not made:
            connection.execute("SELECT pg_advisory_xact_lock(%s)", (_TABLES,))  # one makes them
            for statement in _SCHEMA:
                connection.execute(statement)
            connection.commit()
        made = True
        if not writing:  # all that is read is of one moment
            connection.isolation_level = psycopg.IsolationLevel.REPEATABLE_READ
        return connection

    def told(error: Exception, writing: bool) -> Exception:  # noqa: ARG001
        return ServiceError(
            f"the conversations' database fails: {type(error).__name__}",
            shown,
            "see conversations.address, and whether the server is up",
        )

    # Two who write at once wait for each other at the row that counts the turns.
    return SqlStore(
        connect,
        mark="%s",
        place=shown,
        fails_with=psycopg.Error,
        told=told,
        makes_tables=False,
    )
