"""A text taken apart for the check: its terms, values, clauses, and what it denies."""

from __future__ import annotations

import bisect
import re
from collections.abc import Collection
from functools import cache, cached_property
from itertools import pairwise

from ...text import Analyser, word_spans, words
from .amounts import Value, unit_of, values_in
from .contrasts import NEGATORS, plainly

_DENIED = 2  # words after a negation that it is of
_NEGATED = re.compile(r"\b([\w']+)\b(?=([^,;:.!?|()]{0,300}))")
_NO_ONE = re.compile(r"\bno one\b", re.I)
_RANGE = re.compile(r"(?<!\s)\s*(?:to|and|until|till|[-–]|bis|und|à|et)\s*$")
_LIGHT = frozenset(  # say little by themselves
    """come go get give take make put keep let reach mean call say tell state document accord
    follow see thing way also according states says included including please yes answer
    roughly approximately approx i.e e.g etc hold need bring there allow permit forbidden
    prohibited banned s""".split()
)
_CONTEXT_SIZE = 2  # words before and after a number that tell what it is of
CLAUSES = re.compile(
    r",(?!\d)|:(?!\d)|[;|()]|[.!?]\s|\s[-–—]\s|\b(?:and|but|or|unless|except|while|whereas|because|although|und|aber"
    r"|oder|sondern|et|mais|ou)\b",
    re.I,
)


@cache
def _light_terms(analyser: Analyser) -> frozenset[str]:
    return frozenset(term for word in _LIGHT for term in analyser.word_terms(word))


class Clause:
    """A stretch of a sentence in which a duty or a leave holds."""

    def __init__(self, text: str, analyser: Analyser) -> None:
        self.text = text.strip(" \t.!?*_")
        self.words = [word.casefold() for word in words(text)]
        self.terms = frozenset(
            term
            for word in words(text)
            for term in analyser.word_terms(word)
            if not any(map(str.isdigit, term))
        )


class Said:
    """A text, taken apart."""

    def __init__(self, text: str, analyser: Analyser) -> None:
        self.text = text = " ".join(text.split())
        self.analyser = analyser
        self.by_term: dict[str, str] = {}
        for word in words(text):
            for term in analyser.word_terms(word):
                self.by_term.setdefault(term, word)

    @property
    def terms(self) -> frozenset[str]:
        return frozenset(self.by_term)

    @cached_property
    def sequence(self) -> list[str]:
        """Its terms in order."""
        return [term for word in words(self.text) for term in self.analyser.word_terms(word)]

    @cached_property
    def values(self) -> list[Value]:
        return values_in(self.text)

    @cached_property
    def context(self) -> list[tuple[Value, frozenset[str]]]:
        """Each value and the terms just before and after it."""
        placed = [
            (start, term)
            for start, word in zip(*word_spans(self.text), strict=True)
            for term in self.analyser.word_terms(word)
            if term not in self._of_values
        ]
        starts = [start for start, _ in placed]
        found = []
        for value in self.values:
            at = bisect.bisect_left(starts, value.start)
            after = bisect.bisect_left(starts, value.start + len(value.words))
            near = placed[max(0, at - _CONTEXT_SIZE) : at] + placed[after : after + _CONTEXT_SIZE]
            found.append((value, frozenset(term for _, term in near)))
        return found

    @cached_property
    def ranges(self) -> list[tuple[Value, Value]]:
        """Neighbouring values with "to" or "and" between them."""
        return [
            (a, b)
            for a, b in pairwise(self.values)
            if a.kind == b.kind and _RANGE.search(self.text[a.start + len(a.words) : b.start])
        ]

    @cached_property
    def clauses(self) -> list[Clause]:
        parts = (Clause(part, self.analyser) for part in CLAUSES.split(self.text))
        return [part for part in parts if part.terms]

    @cached_property
    def plain(self) -> list[str]:
        """Its words, in lower case, one way of forbidding for all."""
        return plainly([word.casefold().replace("’", "'") for word in words(self.text)])

    @cached_property
    def denials(self) -> list[list[str]]:
        """The terms that follow each negation."""
        found: list[list[str]] = []
        for match in _NEGATED.finditer(_NO_ONE.sub("nobody", self.text.replace("’", "'"))):
            if match[1].casefold() in NEGATORS:
                after = [t for word in words(match[2]) for t in self.analyser.word_terms(word)]
                found.append(after[:_DENIED])
        return found

    @cached_property
    def first_denied(self) -> frozenset[str]:
        """The first term that follows each negation."""
        return frozenset(denial[0] for denial in self.denials if denial)

    def denied(self, others: Collection[str], alike: Collection[str]) -> frozenset[str]:
        """The terms that a negation is of, where others say the first of them and do not deny it.

        ``alike`` are the first terms of the others' negations.
        """
        return frozenset(
            term
            for denial in self.denials
            if denial and denial[0] in others and denial[0] not in alike
            for term in denial
        )

    @cached_property
    def ordinary(self) -> frozenset[str]:
        """The terms that are no values: these are compared by themselves."""
        return frozenset(self.by_term) - self._of_values - _light_terms(self.analyser)

    @cached_property
    def _of_values(self) -> frozenset[str]:
        """The terms of numbers and their units."""
        found = {
            term
            for value in self.values
            for word in words(value.words)
            for term in self.analyser.word_terms(word)
        }
        named = {value.unit for value in self.values if value.unit}
        found |= {term for term, word in self.by_term.items() if unit_of(word) in named}
        return frozenset(found | {term for term in self.by_term if any(map(str.isdigit, term))})

    def words_of(self, terms: Collection[str]) -> list[str]:
        return [word for term, word in self.by_term.items() if term in terms]
