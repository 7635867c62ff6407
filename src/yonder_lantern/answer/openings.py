"""What the sentences of a unit open with: as a rule the thing that they tell of.

A sentence begins with what it is about, and goes on to what is new (Halliday 1967, Notes on
transitivity and theme in English).
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence

from ..text import Analyser
from .answer_type import described_thing
from .units import Unit

_ARTICLE = re.compile(
    r"[\W_]*(?:(?:the|an?|der|die|das|eine?|les?|la|une?)\s+|l['’])?", re.IGNORECASE
)
_TELLS = re.compile(
    r"[\W_]*(?:\([^)]*\)[\W_]*)?"
    r"(?:is|are|was|were|means?|refers?|stands?|consists?|describes?|ist|sind|war|bedeutet"
    r"|bezeichnet|est|sont|signifie|désigne|(?:can|may|will|kann|dient|sert)|[a-z]{3,}(?<!s)s)\b"
)
_NAMES_ONLY = 0.5  # what a sentence counts that opens with the thing, and tells something else


class Openings:
    """Tells how the sentences of units open.

    Parameters
    ----------
    question : str
    analyser : Analyser
        Of the question's language.
    """

    def __init__(self, question: str, analyser: Analyser) -> None:
        self._thing = described_thing(question)
        self._terms = tuple(analyser.terms(self._thing))

    @property
    def sought(self) -> bool:
        """Whether the question wants something described."""
        return bool(self._terms)

    def describes(self, sentence: Unit) -> float:
        """Whether a sentence opens with the thing to describe and tells of it: 1, one half, 0.

        One half where it opens with the thing, and no verb follows at once.
        """
        if not self.sought or sentence.terms[: len(self._terms)] != self._terms:
            return 0.0
        text = sentence.text
        start = _ARTICLE.match(text)
        at = start.end() if start else 0
        if text[at : at + len(self._thing)].casefold() != self._thing.casefold():
            return _NAMES_ONLY
        return 1.0 if _TELLS.match(text, at + len(self._thing)) else _NAMES_ONLY


def sentences_within(units: Sequence[Unit]) -> list[list[Unit]]:
    """Of each unit the small units that it is made of; of a small one, itself."""
    small: dict[str, list[Unit]] = defaultdict(list)
    for unit in units:
        if not unit.wide:
            small[unit.document.id].append(unit)
    return [
        [one for one in small[unit.document.id] if unit.start <= one.start and one.end <= unit.end]
        if unit.wide
        else [unit]
        for unit in units
    ]
