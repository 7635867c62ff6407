"""Words that tell two things apart: the outer gate is not the inner one."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from itertools import pairwise

from ...text import OPPOSITES, Analyser, words

_ARTICLES = frozenset(
    """the a an this that each every der die das den dem des ein eine einen einem einer le la les un
    une cette cet ce""".split()
)


def of_another(
    statement: str,
    evidence: Sequence[str],
    known: Collection[str],
    analyser: Analyser,
    likes: Mapping[str, Collection[str]],
) -> list[str]:
    """The words by which a statement names another thing than its evidence does.

    A word after an article and before another one ("the outer gate") that stands nowhere in the
    evidence, where the evidence, or the title or heading over it, has a different word there
    ("inner gate").

    Parameters
    ----------
    statement : str
    evidence : sequence of str
        What is cited, and the titles and headings over it.
    known : collection of str
        The terms that stand there.
    analyser : Analyser
    likes : mapping of str to collection of str
        For a term that does not stand there, those that are its like: no other thing, unless the
        two exclude each other.

    Examples
    --------
    >>> english, shut = Analyser("en"), ["The gate is shut.", "Inner gate"]
    >>> of_another("The outer gate is shut.", shut, {"gate", "inner", "shut"}, english, {})
    ['outer']
    >>> of_another("The big gate is shut.", shut[:1], {"gate", "shut"}, english, {})
    []
    """
    named = _named(statement)
    said = [one for one in _pairs(statement, analyser) if one[0].casefold() in named]
    lines = (line for text in evidence for line in text.split("\n"))
    there = [pair for line in lines for pair in _pairs(line, analyser)]
    ours = {term for _, first, second in said for term in (first, second)}
    found = []
    for word, first, second in said:
        if first in known or second not in known:
            continue
        others = {other: named for named, other, same in there if same == second}
        like = others.keys() & set(likes.get(first, ()))
        opposed = OPPOSITES.get(word.casefold(), frozenset())
        if any(others[term].casefold() not in opposed for term in like):
            continue
        if others and not others.keys() & ours:
            found.append(word)
    return found


def _named(text: str) -> set[str]:
    """The words after an article: of "the outer gate" the first that may tell it apart."""
    found = pairwise(word.casefold() for word in words(text))
    return {word for before, word in found if before in _ARTICLES}


def _pairs(text: str, analyser: Analyser) -> Iterator[tuple[str, str, str]]:
    """A word and the terms of it and the next one, where both tell something."""
    told = [(word, analyser.word_terms(word)) for word in words(text)]
    for (word, first), (_, second) in pairwise(told):
        if first and second and not any(map(str.isdigit, word)):
            yield word, first[0], second[0]
