"""From what a question names, and what was found names, to passages that tell more of it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Protocol

from ..core import EntityStatement, SearchResult
from ..search import analyser_for
from .entity_names import key_of, keys_of

_LONGEST = 5  # words of a name that are looked up
_OF_NAME = 60  # statements of one name that are weighed; a name of thousands names nothing
_FURTHER = 4  # passages that are brought in at most
_HITS = 3  # that are looked into for names
_OF_HIT = 12  # statements of one hit whose names are followed
_WORD = re.compile(r"[\w'’./-]*\w")


class Statements(Protocol):
    """What documents say of which things, as one caller sees it."""

    def about(self, keys: Iterable[str], most: int) -> list[EntityStatement]:
        """What is said of names, by their keys; none of a name of which more than most is."""
        ...

    def within(self, document: str, start: int, end: int, most: int) -> list[EntityStatement]:
        """What a stretch of a document says."""
        ...


def further_spots(statements: Statements, result: SearchResult) -> list[tuple[str, int]]:
    """Where documents say more of what a question and its best hits name, the likeliest first.

    Parameters
    ----------
    statements : Statements
    result : SearchResult

    Returns
    -------
    list of (str, int)
        A document's id and an offset, at most a few.
    """
    question = result.query.question
    named = statements.about(_keys(question), _OF_NAME)
    told = frozenset(result.terms)
    found: dict[tuple[str, int], float] = {}
    for one in named:
        _weigh(found, one, told, frozenset(_terms(one.subject, result.language)), result)
    for hit in result.hits[:_HITS]:
        for one in statements.within(hit.document, hit.start, hit.end, _OF_HIT):
            said = frozenset(_terms(f"{one.subject} {one.relation} {one.object}", result.language))
            if not said & told:
                continue
            names = {key_of(one.subject), key_of(one.object)} - {""}
            for other in statements.about(names, _OF_NAME):
                if (other.document, other.start) != (one.document, one.start):
                    _weigh(found, other, told - said, frozenset(), result)
    best = sorted(found, key=lambda spot: (-found[spot], spot))
    return [spot for spot in best if found[spot] > 0][:_FURTHER]


def _weigh(
    found: dict[tuple[str, int], float],
    one: EntityStatement,
    told: frozenset[str],
    name: frozenset[str],
    result: SearchResult,
) -> None:
    """Count a statement for the words of the question that it says besides a name."""
    said = frozenset(_terms(f"{one.relation} {one.object}", result.language))
    weight = sum(result.terms.get(term, 0.0) for term in (said & told) - name)
    spot = (one.document, one.start)
    found[spot] = max(found.get(spot, 0.0), weight)


def _keys(question: str) -> Iterator[str]:
    """The keys of everything in a question that could be a name."""
    words = [match.group() for match in _WORD.finditer(question)]
    seen: set[str] = set()
    for size in range(1, _LONGEST + 1):
        for at in range(len(words) - size + 1):
            for key in keys_of(" ".join(words[at : at + size])):
                if len(key) > 1 and key not in seen:
                    seen.add(key)
                    yield key


def _terms(text: str, language: str) -> list[str]:
    return analyser_for(language).terms(text)
