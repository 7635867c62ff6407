"""Abbreviations that documents explain, and who may see each."""

from __future__ import annotations

import json
from dataclasses import dataclass

from ...core import Caller, visible
from .sqlite_database import Database


@dataclass(frozen=True, slots=True)
class Seen:
    """Who may see something and when: labels, and a half-open range in microseconds since 1970."""

    audience: frozenset[str]
    start: int
    end: int

    def by(self, caller: Caller, moment: int) -> bool:
        """Whether a caller may see it at a moment."""
        return bool(visible(caller.sees(self.audience), self.start, self.end, moment))


class AbbreviationTable(Database):
    """Short forms and what they stand for."""

    def explained(self, short: str, generation: int) -> list[tuple[str, Seen]]:
        """What a short form stands for, by the documents of a generation that explain it."""
        return self._abbreviations("short", short, "long", generation)

    def shortened(self, long: str, generation: int) -> list[tuple[str, Seen]]:
        """The short forms of a long one, by the documents of a generation that explain it."""
        return self._abbreviations("long_key", long.casefold(), "short", generation)

    def _abbreviations(
        self, key: str, value: str, wanted: str, generation: int
    ) -> list[tuple[str, Seen]]:
        rows = self._query(
            f"SELECT {wanted}, audience, valid_from, valid_until FROM abbreviations "
            f"JOIN documents USING (content) WHERE {key} = ? AND added <= ? AND "
            f"(removed IS NULL OR removed > ?) ORDER BY {wanted}, row",
            value,
            generation,
            generation,
        )
        return [
            (str(found), Seen(frozenset(json.loads(audience)), start, end))
            for found, audience, start, end in rows
        ]
