"""Keeping conversations in an SQL database: SQLite in the desk's folder, or PostgreSQL."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from pathlib import Path

from ..core import CallError, Purge
from ..platform.storage import (
    CopiedTables,
    Row,
    Run,
    SqlSessions,
    Tables,
    postgres_sessions,
    sealed,
    sqlite_sessions,
    unsealed,
)
from .preferences import Preference
from .turns import Conversation, ConversationSummary, ReservedRequest, Turn

DATABASE = "conversations.sqlite"
_SCHEMA = (
    """CREATE TABLE IF NOT EXISTS conversations (
        id TEXT PRIMARY KEY, title TEXT NOT NULL, owner TEXT NOT NULL, audience TEXT NOT NULL,
        changed TEXT NOT NULL, turns INTEGER NOT NULL, preferences TEXT NOT NULL,
        checksum TEXT NOT NULL)""",
    """CREATE TABLE IF NOT EXISTS turns (
        conversation TEXT NOT NULL REFERENCES conversations (id) ON DELETE CASCADE,
        number INTEGER NOT NULL, words TEXT NOT NULL, turn TEXT NOT NULL,
        PRIMARY KEY (conversation, number))""",
    """CREATE TABLE IF NOT EXISTS requests (
        key TEXT PRIMARY KEY, conversation TEXT NOT NULL, turn TEXT NOT NULL, body TEXT NOT NULL,
        at TEXT NOT NULL, number INTEGER NOT NULL)""",
)
_SUMMARY = (
    "SELECT id, title, changed, turns, owner, audience, preferences, checksum FROM conversations"
)
_TABLES = Tables(
    _SCHEMA,
    what="conversations",
    setting="conversations.address",
    move="restore a backup; or move it aside and delete kept/conversations.sqlite, and "
    "conversations begin anew",
    older=("preferences", "columns but"),
)


class SqlStore(CopiedTables):
    """Conversations in a database.

    Turns are numbered within a transaction: two that come at once follow each other at the row that
    counts them, and none is lost.

    Parameters
    ----------
    sessions : SqlSessions
    """

    name = in_folder = "conversations"
    database = DATABASE
    tables = _TABLES

    def __init__(self, sessions: SqlSessions) -> None:
        self._sessions = sessions
        self._session = sessions.session
        self._damaged = sessions.damaged

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
            if conversation.request:
                ran = run("UPDATE requests SET number = ? WHERE key = ? AND number = 0"
                          " RETURNING number", number, conversation.request)  # fmt: skip
                if not ran:  # what is raised here takes the whole session back
                    raise CallError("this request has been answered already")
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

    def reserve(self, key: str, conversation: str, turn: str, body: str) -> ReservedRequest:
        """Take a request to be answered by a turn, or learn who took it before.

        Of requests, a day later, nothing is left.
        """
        now = datetime.now(UTC)
        old = (now - timedelta(days=1)).isoformat(timespec="seconds")
        at = now.isoformat(timespec="seconds")
        with self._session(writing=True) as run:
            run("DELETE FROM requests WHERE at < ?", old)
            first = run(
                "INSERT INTO requests VALUES (?, ?, ?, ?, ?, 0) ON CONFLICT (key) DO NOTHING"
                " RETURNING key",
                key, conversation, turn, body, at,
            )  # fmt: skip
            if first:
                return ReservedRequest(turn, body, is_first=True)
            (row,) = run("SELECT turn, body, number FROM requests WHERE key = ?", key)
        return ReservedRequest(row[0], row[1], int(row[2]))

    def take_over(self, key: str, turn: str, by: str) -> bool:
        """Let another turn answer a request whose turn died; whether nobody else did before."""
        with self._session(writing=True) as run:
            return bool(run("UPDATE requests SET turn = ? WHERE key = ? AND turn = ? AND number = 0"
                            " RETURNING key", by, key, turn))  # fmt: skip

    @staticmethod
    def _sign(run: Run, id_: str) -> int:
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
            run("DELETE FROM requests WHERE conversation = ?", id_)
            run("DELETE FROM conversations WHERE id = ?", id_)

    def of_person(self, purge: Purge) -> list[Conversation]:
        """The conversations of a person who is purged."""
        with self._session() as run:
            rows = run("SELECT id, owner FROM conversations")
        found = (self.load(str(id_)) for id_, owner in rows if purge.is_of(str(owner)))
        return [one for one in found if one is not None]

    def purge(self, purge: Purge) -> int:
        """Delete a person's conversations; redact the others."""
        if self._sessions.is_empty():
            return 0
        changed = 0
        with self._session(writing=True) as run:
            for id_, owner, title, packed in run(
                "SELECT id, owner, title, preferences FROM conversations"
            ):
                if purge.is_of(str(owner)):
                    for table, key in (("turns", "conversation"), ("requests", "conversation"),
                                       ("conversations", "id")):  # fmt: skip
                        run(f"DELETE FROM {table} WHERE {key} = ?", id_)
                    changed += 1
                    continue
                changed += _redact(run, str(id_), str(title), str(packed), purge)
        if changed:
            self._sessions.rewrite()
        return changed

    def expire(self, before: datetime) -> int:
        """Delete conversations that nothing was added to since a moment."""
        old = before.astimezone(UTC).isoformat(timespec="seconds")
        with self._session() as run:
            ids = [
                str(id_) for (id_,) in run("SELECT id FROM conversations WHERE changed < ?", old)
            ]
        for id_ in ids:
            self.delete(id_)
        return len(ids)

    def _turn(self, kept: str) -> Turn:
        try:
            own = unsealed(kept.encode())
            return Turn(**{**own, "choices": tuple(own["choices"])})
        except (ValueError, TypeError, KeyError) as error:
            raise self._damaged(str(error)) from None

    def _summary(self, row: Row) -> ConversationSummary:
        if row[-1] != _checksum(row):
            raise self._damaged("a conversation does not fit its checksum")
        id_, title, changed, turns, owner, audience, *_ = row
        labels = json.loads(audience)
        return ConversationSummary(
            id_, title, changed, int(turns), owner, None if labels is None else tuple(labels)
        )


def _redact(run: Run, id_: str, title: str, packed: str, purge: Purge) -> int:
    """Redact one conversation and its turns; how many values changed."""
    changed = 0
    for number, kept in run("SELECT number, turn FROM turns WHERE conversation = ?", id_):
        turn = unsealed(str(kept).encode())
        told = purge.redact(turn)
        if told != turn:
            words = f"{told['question']}\n{told['answer']}".casefold()
            run("UPDATE turns SET turn = ?, words = ? WHERE conversation = ? AND number = ?",
                sealed(told).decode(), words, id_, number)  # fmt: skip
            changed += 1
    new = (purge.redact(title), json.dumps(purge.redact(json.loads(packed)), ensure_ascii=False))
    if new != (title, packed):
        run("UPDATE conversations SET title = ?, preferences = ? WHERE id = ?", *new, id_)
        SqlStore._sign(run, id_)
        changed += 1
    return changed


def _packed(preferences: Sequence[Preference]) -> str:
    return json.dumps([asdict(one) for one in preferences], ensure_ascii=False)


def _checksum(row: Row) -> str:
    """Of what a row says beside it."""
    return hashlib.sha256(json.dumps(list(row[:-1])).encode()).hexdigest()[:16]


def sqlite_store(folder: Path) -> SqlStore:
    """The store in a folder, which is made when something is kept in it."""
    return SqlStore(sqlite_sessions(folder / DATABASE, _TABLES))


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
    return SqlStore(postgres_sessions(address, shown, _TABLES))
