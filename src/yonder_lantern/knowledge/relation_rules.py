"""What the settings say of relations: the words that documents state them in."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence

from ..settings import RelationSettings


class RelationRules:
    """Relations that the settings declare, besides those that are known.

    Parameters
    ----------
    declared : sequence of RelationSettings

    Examples
    --------
    >>> rules = RelationRules([RelationSettings(name="lies at", also=("is moored to", "Berth"))])
    >>> rules.named("berth"), rules.named("Maker")
    ('lies at', 'Maker')
    >>> rules.phrases
    ('is moored to', 'lies at', 'Berth')
    """

    def __init__(self, declared: Sequence[RelationSettings] = ()) -> None:
        self._names: dict[str, str] = {}
        for one in declared:
            for phrase in (one.name, *one.also):
                self._names[_folded(phrase)] = one.name
        phrases = {phrase for one in declared for phrase in (one.name, *one.also)}
        self.phrases = tuple(sorted(phrases, key=lambda one: (-len(one), one)))
        told = "\n".join(f"{key}\t{name}" for key, name in sorted(self._names.items()))
        self.mark = hashlib.sha256(told.encode()).hexdigest()[:8] if told else ""

    def named(self, relation: str) -> str:
        """A relation by the name that the settings give it; as it is where they say nothing."""
        return self._names.get(_folded(relation), relation)

    def pattern(self) -> str:
        """What fits any of the phrases in a sentence; empty where none is declared."""
        return "|".join(r"\s+".join(map(re.escape, one.split())) for one in self.phrases)


def _folded(phrase: str) -> str:
    return " ".join(phrase.casefold().split())
