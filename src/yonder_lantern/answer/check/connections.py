"""Whether what a statement puts together stands together in what it cites.

A bag of words bears out "The tank is off, and the leak is being fixed" wherever a tank, a leak and
something that is off are spoken of. Words that stand side by side in a statement depend on each
other, as a rule (Metzler, Croft 2005, A Markov random field model for term dependencies): they
have to stand near each other in one unit of the evidence, too.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

_SIDE_BY_SIDE = 3  # terms apart, up to which two count as side by side
_FAR = 0.1  # a nearness at which two terms have nothing to do with each other
_ABOVE = 0.5  # what a pair counts of which one word stands only in a title or heading

Likes = Mapping[str, Collection[str]]


@dataclass(frozen=True)
class ExplainedTerms:
    """A unit's terms in order, those that explain it (a header row, a term), and those above it."""

    terms: Sequence[str]
    explains: Collection[str] = ()
    above: Collection[str] = ()

    @cached_property
    def places(self) -> Mapping[str, Sequence[int]]:
        """Where each term stands."""
        found: dict[str, list[int]] = {}
        for at, term in enumerate(self.terms):
            found.setdefault(term, []).append(at)
        return found


def connected(
    said: Sequence[str],
    there: Sequence[ExplainedTerms],
    likes: Likes,
) -> float:
    """The share of a statement's neighbouring terms that stand near each other in one unit.

    Parameters
    ----------
    said : sequence of str
        The statement's terms, in order, without those that say little.
    there : sequence of ExplainedTerms
        Of each unit of the evidence.
    likes : mapping of str to collection of str
        For a term that does not stand there, those that are its like.

    Returns
    -------
    float
        0 to 1; 1 for a statement without two terms.

    Examples
    --------
    >>> unit = ExplainedTerms(["tank", "empti", "friday", "leak", "report", "control", "once"])
    >>> connected(["tank", "empti", "friday"], [unit], {})
    1.0
    >>> connected(["tank", "control", "empti"], [unit], {})
    0.41...
    """
    pairs = [(a, b) for a, b in pairwise(said) if a != b]
    if not pairs:
        return 1.0
    return sum(_nearness(a, b, there, likes) for a, b in pairs) / len(pairs)


def any_near(
    some: Sequence[str], others: Sequence[str], there: Sequence[ExplainedTerms], likes: Likes
) -> bool:
    """Whether one of some terms stands anywhere near one of others, or is explained by it.

    Examples
    --------
    >>> unit = ExplainedTerms(["tank", *"abcdefghijkl", "friday"])
    >>> any_near(["tank"], ["b"], [unit], {}), any_near(["tank"], ["friday"], [unit], {})
    (True, False)
    """
    return any(
        one == other or _nearness(one, other, there, likes) > _FAR
        for one in some
        for other in others
    )


def best_share(terms: Collection[str], there: Sequence[ExplainedTerms], likes: Likes) -> float:
    """The largest share of some terms that a single unit has, itself or in what explains it."""
    return max(
        sum(
            bool(_where(term, one.places, likes)) or _explained(term, one, likes) == 1.0
            for term in terms
        )
        / len(terms)
        for one in there
    )


def _nearness(one: str, other: str, there: Sequence[ExplainedTerms], likes: Likes) -> float:
    best = 0.0
    for unit in there:
        first, second = _where(one, unit.places, likes), _where(other, unit.places, likes)
        if first and second:
            apart = min(abs(a - b) for a in first for b in second)
            best = max(best, 1 / max(1, apart - _SIDE_BY_SIDE + 1))
        elif first or second:
            missing = other if first else one
            best = max(best, _explained(missing, unit, likes))
    return best


def _where(term: str, places: Mapping[str, Sequence[int]], likes: Likes) -> Sequence[int]:
    if term in places:
        return places[term]
    return [at for like in likes.get(term, ()) for at in places.get(like, ())]


def _explained(term: str, unit: ExplainedTerms, likes: Likes) -> float:
    forms = {term, *likes.get(term, ())}
    if not forms.isdisjoint(unit.explains):
        return 1.0
    return 0.0 if forms.isdisjoint(unit.above) else _ABOVE
