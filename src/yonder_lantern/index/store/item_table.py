"""What the last gather knew of every item and source, so that nothing is read twice."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from .sqlite_database import Database


@dataclass(frozen=True, slots=True)
class KnownItem:
    """What the last gather knew of an item.

    ``mark`` is what its place keeps for it (see `Stamp`). ``reading`` identifies
    everything besides its bytes that its document depends on; ``problem`` is why
    it could not be read, empty if it could, and ``remedy`` what to do about it;
    ``row`` is its document's row, 0 when it has none.
    """

    source: str
    key: str
    size: int
    modified_ns: int
    seen_ns: int
    mark: str
    hash: str
    reading: str
    problem: str = ""
    remedy: str = ""
    row: int = 0


@dataclass(frozen=True, slots=True)
class KnownSource:
    """What the last gather knew of a source.

    ``settings`` identifies its section of the settings; ``checked_ns`` is when it
    was last read to its end, ``tried_ns`` when that was last tried; ``problem`` is why
    it could not be, empty if it could.
    """

    name: str
    kind: str
    settings: str
    checked_ns: int
    tried_ns: int
    problem: str = ""


class ItemTable(Database):
    """What is known of items and sources."""

    def forget_items_without_documents(self) -> None:
        """Drop what is known of items whose document is not there."""
        self._execute(
            "DELETE FROM items WHERE row > 0 AND row NOT IN "
            "(SELECT row FROM documents WHERE removed IS NULL)"
        )

    def remember(self, item: KnownItem) -> None:
        """Note what is known of an item now."""
        self._execute(
            "INSERT OR REPLACE INTO items VALUES (?,?,?,?,?,?,?,?,?,?,?)",
            item.source,
            item.key,
            item.size,
            item.modified_ns,
            item.seen_ns,
            item.mark,
            item.hash,
            item.reading,
            item.problem,
            item.remedy,
            item.row,
        )

    def remember_source(self, source: KnownSource) -> None:
        """Note what is known of a source now."""
        self._execute(
            "INSERT OR REPLACE INTO sources VALUES (?,?,?,?,?,?)",
            source.name,
            source.kind,
            source.settings,
            source.checked_ns,
            source.tried_ns,
            source.problem,
        )

    def forget_source(self, name: str) -> None:
        """Drop what is known of a source."""
        self._execute("DELETE FROM sources WHERE name = ?", name)

    def forget(self, source: str, key: str) -> None:
        """Drop what is known of an item."""
        self._execute("DELETE FROM items WHERE source = ? AND key = ?", source, key)

    def items(self, source: str, keys: Iterable[str] | None = None) -> dict[str, KnownItem]:
        """What is known of a source's items, or of those with some keys, by key."""
        if keys is None:
            rows = self._query("SELECT * FROM items WHERE source = ?", source)
        else:
            one = "SELECT * FROM items WHERE source = ? AND key = ?"
            rows = [row for key in keys for row in self._query(one, source, key)]
        return {row[1]: KnownItem(*row) for row in rows}

    def sources(self) -> dict[str, KnownSource]:
        """What is known of every source, by name."""
        return {row[0]: KnownSource(*row) for row in self._query("SELECT * FROM sources")}

    def newest(self) -> dict[str, int]:
        """When the newest item of each source was changed, in nanoseconds since 1970."""
        statement = "SELECT source, MAX(modified_ns) FROM items WHERE row > 0 GROUP BY source"
        return {row[0]: row[1] for row in self._query(statement)}

    def problems(self) -> list[KnownItem]:
        """Items that could not be read last time."""
        rows = self._query("SELECT * FROM items WHERE problem <> '' ORDER BY source, key")
        return [KnownItem(*row) for row in rows]
