"""Whether a unit holds the kind of thing that a question asks for."""

from __future__ import annotations

from collections.abc import Collection

from ..core import BlockKind, SearchResult
from ..search import analyser_for
from .answer_type import (
    AnswerType,
    answer_type,
    are_people,
    asking_words,
    beside,
    counted_thing,
    counts,
    deed_of,
    has_answer_type,
    measured_above,
    named_thing,
)
from .check import unit_of
from .units import Unit


class AskedFor:
    """What one question asks for.

    A number must count what is to be counted, a colour stand beside what has it, a
    person do the deed, and what is asked for by its name, "which crane", be named.

    Parameters
    ----------
    result : SearchResult
    kind : Wanted
        What the question asks for, as far as that can be told by its form.

    Attributes
    ----------
    asking : frozenset of str
        Terms of the question that only say what kind of thing is asked for ("how fast"):
        what is of the kind answers them, whether or not they stand there.
    """

    def __init__(self, result: SearchResult, kind: AnswerType) -> None:
        asked = result.query
        self._whole = f"{asked.background} {asked.question}"
        leans = answer_type(asked.question) is AnswerType.ANYTHING  # "and in winter?"
        asks = self._whole if leans else asked.question
        self._kind = kind
        self._analyser = analyser_for(result.language)
        self.asking = self._terms(asking_words(kind, asks))
        self._asked = frozenset(result.terms) - self.asking
        self._thing = counted_thing(asks)
        self._unit = unit_of(self._thing)
        self._counted = self._terms([self._thing])
        self._deed = self._terms([deed_of(asks)] if kind is AnswerType.PERSON else [])
        named = named_thing(asked.question) if kind is AnswerType.ANYTHING else ""
        self._named = self._terms([named])

    def held_by(self, unit: Unit) -> float:
        """1 for a unit that holds it, 0 for others; one half for a number below what it counts."""
        if self._counted:
            return self._number_in(unit)
        if self._deed:
            said = unit.above.union(unit.terms) if unit.kind is BlockKind.ROW else unit.terms
            return float(not self._deed.isdisjoint(said))
        if self._named:
            return float(not self._named.isdisjoint(unit.above.union(unit.terms)))
        if self._kind is AnswerType.COLOUR:
            return float(beside(self._kind, unit.text, lambda word: self._is(word, self._asked)))
        item = unit.kind is BlockKind.ITEM
        if has_answer_type(self._kind, unit.text, item=item, asked=self._whole):
            return 1.0
        row = unit.kind is BlockKind.ROW
        return float(row and measured_above(self._kind, unit.text, unit.context_header))

    def _number_in(self, unit: Unit) -> float:
        if counts(unit.text, self._is_counted):
            return 1.0
        above = not self._counted.isdisjoint(unit.above)
        return 0.5 if above and has_answer_type(AnswerType.NUMBER, unit.text) else 0.0

    def _is_counted(self, word: str) -> bool:
        return (
            self._is(word, self._counted)
            or are_people(word, self._thing)
            or (self._unit != "" and unit_of(word) == self._unit)
        )

    def _is(self, word: str, terms: Collection[str]) -> bool:
        return any(term in terms for term in self._analyser.word_terms(word))

    def _terms(self, of: Collection[str]) -> frozenset[str]:
        return frozenset(term for word in of for term in self._analyser.terms(word))
