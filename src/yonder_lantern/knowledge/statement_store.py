"""Statements of a desk's documents, brought up to date with the index and looked up by entity."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime, tzinfo
from functools import lru_cache
from pathlib import Path

from ..core import (
    Caller,
    CallError,
    Document,
    EntityCard,
    EntityStatement,
    Progress,
    Purge,
    no_progress,
)
from ..platform.storage import CopiedTables, Row, Run, Tables, sqlite_sessions
from .entity_names import key_of, keys_of, why_the_same
from .extract_statements import RULES, statements_of
from .name_rules import NameRules
from .relation_rules import RelationRules

STATEMENTS_FOLDER = "knowledge"  # of a desk's state
DATABASE = "statements.sqlite"
_TABLES = Tables(
    (
        "CREATE TABLE IF NOT EXISTS state (name TEXT PRIMARY KEY, value TEXT NOT NULL)",
        "CREATE TABLE IF NOT EXISTS documents (id TEXT PRIMARY KEY, mark TEXT NOT NULL)",
        "CREATE TABLE IF NOT EXISTS by_model (id TEXT PRIMARY KEY, version TEXT NOT NULL)",
        """CREATE TABLE IF NOT EXISTS statements (
            subject_key TEXT NOT NULL, object_key TEXT NOT NULL, subject TEXT NOT NULL,
            relation TEXT NOT NULL, object TEXT NOT NULL, document TEXT NOT NULL,
            version TEXT NOT NULL, start_at INTEGER NOT NULL, end_at INTEGER NOT NULL,
            audience TEXT NOT NULL, valid_from TEXT NOT NULL, valid_until TEXT NOT NULL,
            recorded TEXT NOT NULL, withdrawn TEXT NOT NULL, way TEXT NOT NULL)""",
        "CREATE INDEX IF NOT EXISTS by_subject ON statements (subject_key)",
        "CREATE INDEX IF NOT EXISTS by_object ON statements (object_key)",
        "CREATE INDEX IF NOT EXISTS by_document ON statements (document)",
    ),
    what="statements",
    setting="",
    move="delete it; it is made anew",
    is_made_again=True,
)
_COLUMNS = (
    "subject, relation, object, document, version, start_at, end_at, audience, valid_from, "
    "valid_until, recorded, withdrawn, way"
)
_STANDS_FOR = "stands for"
_AT_ONCE = 200  # keys looked up by one query
_INSERTED = 50  # statements put in by one
_ROW = "(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, '', ?)"


class StatementStore(CopiedTables):
    """The statements of a desk.

    Parameters
    ----------
    folder : Path
    rules : NameRules, optional
        Which names mean the same, and which do not.
    relations : RelationRules, optional
        Which relations are read besides those that are known.
    zone : tzinfo, default UTC
        Of the dates in documents.
    """

    name = "statements"
    in_folder = STATEMENTS_FOLDER
    database = DATABASE
    tables = _TABLES

    def __init__(
        self,
        folder: Path,
        rules: NameRules | None = None,
        relations: RelationRules | None = None,
        zone: tzinfo = UTC,
    ) -> None:
        self._zone = zone
        self._rules = rules or NameRules()
        self._relations = relations or RelationRules()
        self._sessions = sqlite_sessions(folder / DATABASE, _TABLES)

    def update(
        self,
        generation: int,
        marks: Callable[[], Mapping[str, str]],
        documents: Callable[[Iterable[str]], Iterable[Document]],
        progress: Progress = no_progress,
    ) -> None:
        """Read what has changed since the last time: a changed document withdraws its statements.

        Parameters
        ----------
        generation : int
            Of the index.
        marks : callable
            For each document something that changes with all that bears on its statements.
        documents : callable
            The documents of some ids.
        progress : Progress
        """
        rules = f"{RULES}{self._relations.mark}"
        read_to = f"{generation} by rules {rules}"
        if self._state("generation") == read_to:
            return
        now = datetime.now(UTC).isoformat(timespec="seconds")
        wanted = {id_: f"{rules} {mark}" for id_, mark in marks().items()}
        with self._sessions.session(writing=True) as run:
            known = _marks_of(run)
            changed = [id_ for id_, mark in wanted.items() if known.get(id_) != mark]
            for id_ in known:
                if id_ not in wanted:
                    _restate(run, id_, "", (), now)
                    _withdraw_of_model(run, id_, "", now)
            for done, document in enumerate(documents(changed)):
                progress("reading statements", done, len(changed))
                said = dict.fromkeys(statements_of(document, self._relations, self._zone))
                _restate(run, document.id, document.version, said, now)
                _withdraw_of_model(run, document.id, document.version, now)
                _again(run, document)
                mark = wanted[document.id]
                run("INSERT INTO documents VALUES (?, ?)", document.id, mark)
            run("DELETE FROM state WHERE name = 'generation'")
            run("INSERT INTO state VALUES ('generation', ?)", read_to)

    def read_by_model(
        self,
        documents: Iterable[Document],
        read: Callable[[Document], Sequence[EntityStatement]],
        progress: Progress = no_progress,
    ) -> tuple[int, int]:
        """Read documents that a model has not read in their version; each is kept when it is done.

        Parameters
        ----------
        documents : iterable of Document
        read : callable
            What the model says of one, checked.
        progress : Progress

        Returns
        -------
        documents, statements : int
            How many were read, and kept.
        """
        with self._sessions.session() as run:
            known = {str(id_): str(one) for id_, one in run("SELECT id, version FROM by_model")}
            marks = _marks_of(run)
        done = kept = 0
        for document in documents:
            if known.get(document.id) == document.version:
                continue
            progress("reading by the model", done, 0)
            said = list(dict.fromkeys(read(document)))
            now = datetime.now(UTC).isoformat(timespec="seconds")
            with self._sessions.session(writing=True) as run:
                if _marks_of(run, document.id) != {document.id: marks.get(document.id)}:
                    continue  # gathered anew meanwhile: it is read the next time
                run("DELETE FROM statements WHERE document = ? AND way = 'model' "
                    "AND withdrawn = ''", document.id)  # fmt: skip
                for at in range(0, len(said), _INSERTED):
                    _insert(run, said[at : at + _INSERTED], now)
                run("DELETE FROM by_model WHERE id = ?", document.id)
                run("INSERT INTO by_model VALUES (?, ?)", document.id, document.version)
            done += 1
            kept += len(said)
        return done, kept

    def count(self) -> int:
        """How many statements stand."""
        with self._sessions.session() as run:
            ((count,),) = run("SELECT COUNT(*) FROM statements WHERE withdrawn = ''")
        return int(count)

    def all(self, caller: Caller, moment: str) -> list[EntityStatement]:
        """Every statement that a caller may see and that holds at a moment."""
        with self._sessions.session() as run:
            rows = run(f"SELECT {_COLUMNS} FROM statements WHERE withdrawn = ''")
        return [one for one in map(_statement, rows) if _seen(one, caller) and one.holds_at(moment)]

    def card(
        self,
        name: str,
        caller: Caller,
        moment: str,
        noted: Iterable[EntityStatement] = (),
    ) -> EntityCard:
        """What is said of an entity that a caller may see.

        Parameters
        ----------
        name : str
            Any of its names.
        caller : Caller
        moment : str
            In UTC (ISO 8601): what holds then.
        noted : iterable of EntityStatement
            What notes say, of whatever it be.

        Raises
        ------
        CallError
            Nothing is said of anything of that name.
        """
        with self._sessions.session() as run:
            names = self._names(run, name, caller)
            says = self._of(run, "subject_key", names, caller)
            named_in = self._of(run, "object_key", names, caller)
        apart = self._rules.are_apart
        says = [one for one in says if not apart(name, one.subject)]
        named_in = [
            one
            for one in named_in
            if not apart(name, one.object) and key_of(one.subject) not in names
        ]
        notes = tuple(
            one
            for one in noted
            if {key_of(one.subject), key_of(one.object)} & names.keys() and one.holds_at(moment)
        )
        if not says and not named_in and not notes:
            raise CallError(
                f"nothing is said of {name!r}",
                "entity",
                "see what there is: yonder look --entities",
            )
        standing = [one for one in says if not one.withdrawn and one.holds_at(moment)]
        earlier = [one for one in says if one.withdrawn or not one.holds_at(moment)]
        standing.sort(key=lambda one: (_ORDER.index(one.way), one.document, one.start))
        written = Counter(one.subject for one in says) + Counter(one.object for one in named_in)
        written = written or Counter({name: 1})
        best = max(written, key=lambda one: (written[one], one))
        explained = next(filter(None, names.values()), "")
        also = {
            other: explained if key_of(other) != key_of(best) else why_the_same(other, best)
            for other in written
            if other != best
        }
        return EntityCard(
            best,
            {other: why for other, why in also.items() if why},
            tuple(standing),
            tuple(one for one in named_in if not one.withdrawn and one.holds_at(moment)),
            tuple(sorted(earlier, key=lambda one: one.recorded, reverse=True)),
            kind=self._rules.kind_of(name),
            noted=notes,
        )

    def about(
        self, keys: Iterable[str], most: int, caller: Caller, moment: str
    ) -> list[EntityStatement]:
        """What is said of things by the keys of their names, that a caller may see and holds.

        Of a name of which more than ``most`` is said, nothing: it is no name of one thing.
        """
        wanted = list(dict.fromkeys(keys))
        found: dict[str, list[EntityStatement]] = {}
        with self._sessions.session() as run:
            for at in range(0, len(wanted), _AT_ONCE):
                some = wanted[at : at + _AT_ONCE]
                marks = ", ".join("?" * len(some))
                for key, *row in run(
                    f"SELECT subject_key, {_COLUMNS} FROM statements "
                    f"WHERE subject_key IN ({marks}) AND withdrawn = '' LIMIT ?",
                    *some,
                    most * len(some) + 1,
                ):
                    found.setdefault(str(key), []).append(_statement(row))
        return [
            one
            for own in found.values()
            if len(own) <= most
            for one in own
            if _seen(one, caller) and one.holds_at(moment)
        ]

    def within(
        self, document: str, start: int, end: int, most: int, caller: Caller, moment: str
    ) -> list[EntityStatement]:
        """What a stretch of a document says, that a caller may see and holds."""
        with self._sessions.session() as run:
            rows = run(
                f"SELECT {_COLUMNS} FROM statements WHERE document = ? AND withdrawn = '' "
                "AND start_at >= ? AND start_at < ? ORDER BY start_at LIMIT ?",
                document,
                start,
                end,
                most,
            )
        return [one for one in map(_statement, rows) if _seen(one, caller) and one.holds_at(moment)]

    def entities(
        self, caller: Caller, moment: str, kind: str = "", search: str = ""
    ) -> list[tuple[str, int]]:
        """The names of which most is said, with how much.

        Parameters
        ----------
        caller : Caller
        moment : str
            In UTC (ISO 8601): what holds then.
        kind : str, optional
            Only things of this kind.
        search : str, optional
            Only things whose name has these words, or beginnings of words.
        """
        counts: Counter[str] = Counter()
        written: dict[str, Counter[str]] = {}
        wanted = search.casefold().split()
        for one in self.all(caller, moment):
            if wanted and not _has(one.subject, wanted):
                continue
            key = key_of(one.subject)
            counts[key] += 1
            written.setdefault(key, Counter())[one.subject] += 1
        found = [(written[key].most_common(1)[0][0], count) for key, count in counts.most_common()]
        return [one for one in found if not kind or self._rules.kind_of(one[0]) == kind]

    def _names(self, run: Run, name: str, caller: Caller) -> dict[str, str]:
        """The keys that mean the same as a name, and why."""
        found = {**dict.fromkeys(keys_of(name), ""), **self._rules.same(name)}
        for column, other in (("subject_key", "object"), ("object_key", "subject")):
            rows = run(
                f"SELECT {_COLUMNS} FROM statements WHERE {column} IN (?, ?) AND relation = ?",
                keys_of(name)[0],
                keys_of(name)[-1],
                _STANDS_FOR,
            )
            for one in map(_statement, rows):
                if _seen(one, caller) and not self._rules.are_apart(name, getattr(one, other)):
                    why = f"{one.document} explains the abbreviation"
                    found.setdefault(key_of(getattr(one, other)), why)
        return found

    @staticmethod
    def _of(run: Run, column: str, keys: Iterable[str], caller: Caller) -> list[EntityStatement]:
        found = []
        for key in keys:
            rows = run(f"SELECT {_COLUMNS} FROM statements WHERE {column} = ?", key)
            found += [one for one in map(_statement, rows) if _seen(one, caller)]
        return found

    def purge(self, purge: Purge) -> int:
        """Delete what documents that go said, withdrawn or not, and what names their words."""
        if self._sessions.is_empty():
            return 0
        with self._sessions.session(writing=True) as run:
            rows = run("SELECT rowid, document, subject, relation, object FROM statements")
            gone = [
                row
                for row, document, *told in rows
                if document in purge.documents or purge.redact(told) != told
            ]
            for row in gone:
                run("DELETE FROM statements WHERE rowid = ?", row)
            for id_ in purge.documents:
                run("DELETE FROM documents WHERE id = ?", id_)
                run("DELETE FROM by_model WHERE id = ?", id_)
        self._sessions.rewrite()
        return len(gone)

    def expire(self, before: datetime) -> int:
        """Delete statements that were withdrawn before a moment; those that stand are not old."""
        if self._sessions.is_empty():
            return 0
        old = before.astimezone(UTC).isoformat(timespec="seconds")
        with self._sessions.session(writing=True) as run:
            gone = run("DELETE FROM statements WHERE withdrawn != '' AND withdrawn < ?"
                       " RETURNING rowid", old)  # fmt: skip
        return len(gone)

    def _state(self, name: str) -> str:
        with self._sessions.session() as run:
            rows = run("SELECT value FROM state WHERE name = ?", name)
        return str(rows[0][0]) if rows else ""


_ORDER = ("table", "term", "abbreviation", "sentence", "model")


def _restate(
    run: Run, document: str, version: str, said: Iterable[EntityStatement], now: str
) -> None:
    """Put what a document says in place of what it said: what it says still stands on.

    What it says no more is withdrawn; what only our rules read otherwise was never said.
    """
    run("DELETE FROM documents WHERE id = ?", document)
    new: list[EntityStatement] = []
    standing: dict[tuple[str, ...], list[tuple[int, str]]] = {}
    for row, version_then, *told in run(
        "SELECT rowid, version, subject, relation, object, way FROM statements "
        "WHERE document = ? AND withdrawn = '' AND way != 'model'",
        document,
    ):
        standing.setdefault(tuple(map(str, told)), []).append((int(row), str(version_then)))
    for one in said:
        same = standing.get((one.subject, one.relation, one.object, one.way))
        if same:
            run(
                "UPDATE statements SET version = ?, start_at = ?, end_at = ?, audience = ?, "
                "valid_from = ?, valid_until = ? WHERE rowid = ?",
                one.version, one.start, one.end, _labels(one.audience),
                one.valid_from, one.valid_until, same.pop(0)[0],
            )  # fmt: skip
        else:
            new.append(one)
    for at in range(0, len(new), _INSERTED):
        _insert(run, new[at : at + _INSERTED], now)
    for row, version_then in (one for left in standing.values() for one in left):
        if version_then == version:
            run("DELETE FROM statements WHERE rowid = ?", row)
        else:
            run("UPDATE statements SET withdrawn = ? WHERE rowid = ?", now, row)


def _withdraw_of_model(run: Run, document: str, version: str, now: str) -> None:
    """Withdraw what a model read from another version."""
    run(
        "UPDATE statements SET withdrawn = ? WHERE document = ? AND withdrawn = '' "
        "AND way = 'model' AND version != ?",
        now,
        document,
        version,
    )


def _again(run: Run, document: Document) -> None:
    """Give what a model read the audience and the dates that its document has now."""
    run(
        "UPDATE statements SET audience = ?, valid_from = ?, valid_until = ? "
        "WHERE document = ? AND withdrawn = '' AND way = 'model'",
        _labels(tuple(sorted(document.audience))),
        document.valid_from.isoformat() if document.valid_from else "",
        document.valid_until.isoformat() if document.valid_until else "",
        document.id,
    )


def _marks_of(run: Run, only: str = "") -> dict[str, str]:
    """What documents were last read as."""
    rows = run("SELECT id, mark FROM documents WHERE ? IN ('', id)", only)
    return {str(id_): str(mark) for id_, mark in rows}


@lru_cache(maxsize=256)
def _labels(audience: tuple[str, ...]) -> str:
    return json.dumps(audience)


def _insert(run: Run, statements: Sequence[EntityStatement], now: str) -> None:
    """Put some statements in at once."""
    values: list[str | int] = []
    for one in statements:
        values += (
            key_of(one.subject), key_of(one.object), one.subject, one.relation, one.object,
            one.document, one.version, one.start, one.end, _labels(one.audience),
            one.valid_from, one.valid_until, now, one.way,
        )  # fmt: skip
    rows = ", ".join([_ROW] * len(statements))
    run(f"INSERT INTO statements VALUES {rows}", *values)


def _statement(row: Row) -> EntityStatement:
    values = list(row)
    values[7] = tuple(json.loads(values[7]))
    return EntityStatement(*values)


def _has(name: str, wanted: Iterable[str]) -> bool:
    """Whether a name has some words, or words that begin like them."""
    spoken = f" {name.casefold()}".replace("-", " ")
    return all(f" {word}" in spoken for part in wanted for word in part.split("-") if word)


def _seen(one: EntityStatement, caller: Caller) -> bool:
    return caller.sees(frozenset(one.audience))
