"""Taking a chain step by step: what the question describes is found, then asked about by name."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ...answer import Composer, Judged
from ...core import SearchResult
from ...search import analyser_for
from .bridges import Bridge, bridges_in
from .link_signs import LinkSigns, first_signs, link_signs
from .path_weights import PATH
from .read_question import Chain, further_in
from .step_words import words_for
from .taken import TOO_WIDE, Search, Taken, judged_in

_UNITS = 6  # of the first step that are looked at
_LAST_UNITS = 12  # of the last step
_OF_UNIT = 6  # names of one unit that are tried


@dataclass(frozen=True, slots=True)
class Path:
    """Steps that lead to an answer, and the signs of each pair of them."""

    steps: tuple[Taken, ...]
    signs: tuple[LinkSigns, ...]


class Follower:
    """Follows chains through the documents.

    Parameters
    ----------
    composer : Composer
        Judges what is found.
    search : callable
        What finding gives for a question; nothing more is followed once it gives None.
    """

    def __init__(self, composer: Composer, search: Search) -> None:
        self._composer = composer
        self._search = search

    def follow(self, chains: Sequence[Chain]) -> Iterator[Path]:
        """Every way that can be taken, the likeliest names first, as long as there are searches."""
        for chain in chains[:2]:
            yield from self._follow(chain, deeper=1 + len(chain.later))

    def _follow(self, chain: Chain, deeper: int) -> Iterator[Path]:
        result = self._search(chain.first, words_for(chain.first))
        judged = judged_in(self._composer, result) if result else []
        if not judged or result is None:
            return
        for one, bridge, signs in _names_to_try(judged, chain, result):
            question = chain.then(bridge.name)
            first = Taken(chain.first, result, one, bridge.name)
            further = further_in(chain, bridge.name) if deeper else None
            if further:
                for path in self._follow(further, deeper - 1):
                    next_step = path.steps[0]
                    link = link_signs(first, signs, next_step, next_step.judged)
                    yield Path((first, *path.steps), (link, *path.signs))
                continue
            then = self._search(question, words_for(question))
            if then is None:
                return
            last_judged = judged_in(self._composer, then)
            for last in _telling_of(bridge, one, last_judged):
                last_step = Taken(question, then, last)
                link = link_signs(first, signs, last_step, last_judged[0])
                yield Path((first, last_step), (link,))


def _names_to_try(
    judged: Sequence[Judged], chain: Chain, result: SearchResult
) -> Iterator[tuple[Judged, Bridge, dict[str, float]]]:
    """The names that units have, each once: the likeliest first, by their signs so far."""
    analyser = analyser_for(result.language)
    question = f"{chain.before} {chain.thing} {chain.told} {chain.after}"
    found = []
    small = [one for one in judged if one.unit.shape not in TOO_WIDE]
    for one in small[:_UNITS]:
        bridges = bridges_in(one, chain.thing, question, analyser, amounts=chain.way == "amount")
        for order, bridge in enumerate(bridges[:_OF_UNIT]):
            signs = first_signs(one, judged[0], order, bridge, result)
            score = math.fsum(PATH[name] * value for name, value in signs.items())
            found.append((score, one, bridge, signs))
    found.sort(key=lambda each: -each[0])
    tried: set[str] = set()
    for _, one, bridge, signs in found:
        if bridge.name.casefold() not in tried:
            tried.add(bridge.name.casefold())
            yield one, bridge, signs


def _telling_of(bridge: Bridge, first: Judged, judged: Sequence[Judged]) -> Iterator[Judged]:
    """The best units that tell of what was found, other than the one it was found in."""
    left = _LAST_UNITS
    for one in judged:
        unit = one.unit
        if unit.overlaps(first.unit):
            continue
        terms = frozenset(analyser_for(unit.document.language).terms(bridge.name))
        if bridge.kind == "amount" or terms <= frozenset(unit.terms) | unit.above:
            yield one
            left -= 1
        if not left:
            return
