"""What a desk's documents say of which things, read when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

from ..core import (
    Caller,
    Document,
    EntityCard,
    EntityPath,
    EntityStatement,
    Note,
    Progress,
    no_progress,
)
from ..index import Snapshot
from ..knowledge import (
    STATEMENTS_FOLDER,
    NameRules,
    RelationRules,
    StatementStore,
    groups_of,
    paths_between,
    statements_of_notes,
    write_statements,
)
from ..settings import Settings


class DeskKnowledge:
    """The statements of a desk's documents, as one caller sees them.

    They are read from the documents when they are first asked for; then only what has changed.

    Parameters
    ----------
    state : Path
    snapshot : Snapshot
        Open while it is used.
    caller : Caller
    settings : Settings
        What they say of names, kinds and relations.
    notes : callable, optional
        The notes that the caller sees and that stand at a moment.
    """

    def __init__(
        self,
        state: Path,
        snapshot: Snapshot,
        caller: Caller,
        settings: Settings,
        notes: Callable[[], Sequence[Note]] = tuple,
    ) -> None:
        self._notes = notes
        self._store = StatementStore(
            state / STATEMENTS_FOLDER,
            NameRules(settings.entity, settings.entity_kind),
            RelationRules(settings.relation),
            settings.desk.zone,
        )
        self._snapshot = snapshot
        self._caller = caller

    def update(self, progress: Progress = no_progress) -> int:
        """Read what has changed; how many statements stand."""
        self._store.update(self._snapshot.generation, self._marks, self._documents, progress)
        return self._store.count()

    def read_by_model(
        self,
        read: Callable[[Document], Sequence[EntityStatement]],
        progress: Progress = no_progress,
    ) -> tuple[int, int]:
        """Let a model read what it has not read: how many documents, and statements kept."""
        self.update(progress)
        rows = self._snapshot.live_rows()
        documents = (document for _, document in self._snapshot.each(rows))
        return self._store.read_by_model(documents, read, progress)

    def card(self, name: str) -> EntityCard:
        """What is said of an entity.

        Raises
        ------
        CallError
            Nothing is said of anything of that name.
        """
        self.update()
        noted = statements_of_notes(self._notes())
        return self._store.card(name, self._caller, self._moment(), noted)

    def about(self, keys: Iterable[str], most: int) -> list[EntityStatement]:
        """What is said of things by the keys of their names; none of a name of too much."""
        return self._store.about(keys, most, self._caller, self._moment())

    def within(self, document: str, start: int, end: int, most: int) -> list[EntityStatement]:
        """What a stretch of a document says."""
        return self._store.within(document, start, end, most, self._caller, self._moment())

    def entities(self, kind: str = "", search: str = "") -> list[tuple[str, int]]:
        """What most is said of, with how much; of one kind, or with some words in its name."""
        self.update()
        return self._store.entities(self._caller, self._moment(), kind, search)

    def paths(self, one: str, other: str) -> list[EntityPath]:
        """The shortest ways from one entity to another, over statements.

        Raises
        ------
        CallError
            Nothing is said of one of them.
        MissingExtraError
            NetworkX is not installed.
        """
        self.update()
        return paths_between(self._store.all(self._caller, self._moment()), one, other)

    def groups(self) -> list[list[str]]:
        """Groups of closely connected entities, the largest first; see `groups_of`."""
        self.update()
        return groups_of(self._store.all(self._caller, self._moment()))

    def export(self, path: Path) -> int:
        """Write the statements as GraphML, JSON-LD or CSV, by the file's suffix; how many."""
        self.update()
        found: list[EntityStatement] = self._store.all(self._caller, self._moment())
        write_statements(path, found)
        return len(found)

    def _moment(self) -> str:
        return (self._caller.as_of or datetime.now(UTC)).astimezone(UTC).isoformat()

    def _marks(self) -> Mapping[str, str]:
        """What of each document bears on its statements; the owner's view: all are read."""
        rows = self._snapshot.live_rows()
        found = {}
        for _, document in self._snapshot.each(rows):
            bearing = (
                document.version,
                *sorted(document.audience),
                document.valid_from,
                document.valid_until,
            )
            found[document.id] = " ".join(map(str, bearing))
        return found

    def _documents(self, ids: Iterable[str]) -> Iterator[Document]:
        for id_ in ids:
            found = self._snapshot.document(id_)
            if found is not None:
                yield found
