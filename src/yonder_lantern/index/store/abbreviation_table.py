"""Abbreviations that documents explain, and who may see each."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass

from ...core import Caller, visible
from .sqlite_database import Database

_FORMS_AT_ONCE = 500


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

    def other_forms(
        self, shorts: Sequence[str], longs: Sequence[str], generation: int
    ) -> list[tuple[str, str, Seen]]:
        """What documents of a generation explain of some short and long forms.

        Parameters
        ----------
        shorts : sequence of str
        longs : sequence of str
            Whatever their case.
        generation : int

        Returns
        -------
        list of (form asked for, other form, Seen)
            A long form as it was asked for, folded in case.
        """
        found: list[tuple[str, str, Seen]] = []
        keys = [("short", "long", one) for one in shorts]
        keys += [("long_key", "short", one.casefold()) for one in longs]
        for at in range(0, len(keys), _FORMS_AT_ONCE):
            part = keys[at : at + _FORMS_AT_ONCE]
            selects, values = [], []
            for key, wanted in (("short", "long"), ("long_key", "short")):
                asked = [one for name, _, one in part if name == key]
                if asked:
                    selects.append(
                        f"SELECT {key} AS asked, {wanted} AS form, audience, valid_from, "
                        "valid_until, row FROM abbreviations JOIN documents USING (content) "
                        f"WHERE {key} IN ({', '.join('?' * len(asked))}) AND added <= ? AND "
                        "(removed IS NULL OR removed > ?)"
                    )
                    values += [*asked, generation, generation]
            rows = self._query(f"{' UNION ALL '.join(selects)} ORDER BY form, row", *values)
            found += [
                (str(asked), str(form), Seen(frozenset(json.loads(audience)), start, end))
                for asked, form, audience, start, end, _ in rows
            ]
        return found
