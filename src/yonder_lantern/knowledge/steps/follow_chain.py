"""Taking a chain step by step: what the question describes is found, then asked about by name."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, fields

from ...answer import Composer, Judged, Shape, Unit
from ...core import BlockKind, SearchResult
from ...search import analyser_for
from ...text import Analyser, cells_of
from .bridges import LOOSE, SURE, Bridge, bridges_in
from .path_weights import PATH
from .read_question import Chain, further_in
from .step_words import words_for

_UNITS = 6  # of the first step that are looked at
_TOO_WIDE = (Shape.SECTION, Shape.INTRODUCED)  # they name much, and the smaller units in them too
_LAST_UNITS = 12  # of the last step
_OF_UNIT = 6  # names of one unit that are tried
_RANK_SCALE = 4.0  # of ranking scores: what is further below is as good as out

Search = Callable[[str, str], SearchResult | None]  # a question, and words to search for besides


@dataclass(frozen=True, slots=True)
class LinkSigns:
    """What tells whether a step found what the next one needs, each between 0 and 1.

    Attributes
    ----------
    first_support, last_support : float
        How far the unit that names the thing, and the one that answers, bear out what was
        asked of them.
    first_below, last_below : float
        How far each ranks below the best of its step.
    first_context, last_context : float
        Share of the step's question that stands in the unit or above it.
    last_form : float
        Whether the unit holds the kind of thing asked for.
    holds : float
        Share of the name that stands in the unit that answers.
    above : float
        The same, with what stands above it.
    rest : float
        Share of the last step's other words that stand in the unit or above it.
    labelled : float
        1 where the unit begins with the name, or its row's first cell is it.
    rare : float
        How few passages the name stands in.
    order : float
        1 for the first name of the unit, less for later ones.
    beside : float
        How near the name stands to a word of what is told of the thing: 1 for the next one.
    column : float
        1 for a cell whose column is called by a word of the step's question.
    both : float
        ``first_context`` times ``rest``: the one without the other is little.
    apart : float
        1 where the two are of different documents.
    sure, cell, loose : float
        1 for a name that stands beside the word for the thing, is what the unit is about, or a
        code; for one in a cell; for one that only begins a sentence or stands over the unit.
    by_clause, by_whoever, by_amount, by_of, by_described : float
        1 for a question that tells of the thing in that way.
    """

    first_support: float
    first_below: float
    first_context: float
    last_support: float
    last_below: float
    last_context: float
    last_form: float
    holds: float
    above: float
    rest: float
    labelled: float
    rare: float
    order: float
    beside: float
    column: float
    both: float
    apart: float
    sure: float
    cell: float
    loose: float
    by_clause: float
    by_whoever: float
    by_amount: float
    by_of: float
    by_described: float


SIGN_NAMES = tuple(field.name for field in fields(LinkSigns))


@dataclass(frozen=True, slots=True)
class Taken:
    """One step taken: what was asked, what was found, and what it passed on.

    Attributes
    ----------
    question : str
    result : SearchResult
    judged : Judged
        What of it was taken.
    passed_on : str
        The name by which the next step asks; empty at the end.
    """

    question: str
    result: SearchResult
    judged: Judged
    passed_on: str = ""


@dataclass(frozen=True, slots=True)
class Path:
    """Steps that lead to an answer, and the signs of each pair of them."""

    steps: tuple[Taken, ...]
    signs: tuple[LinkSigns, ...]


@dataclass
class _Budget:
    """How many searches are left."""

    left: int

    def spend(self) -> bool:
        self.left -= 1
        return self.left >= 0


class Follower:
    """Follows chains through the documents.

    Parameters
    ----------
    composer : Composer
        Judges what is found.
    search : callable
        What finding gives for a question.
    searches : int
        How many at most.
    """

    def __init__(self, composer: Composer, search: Search, searches: int) -> None:
        self._composer = composer
        self._search = search
        self._searches = searches

    def follow(self, chains: Sequence[Chain]) -> Iterator[Path]:
        """Every way that can be taken, in no order, until the searches are used up."""
        budget = _Budget(self._searches)
        for chain in chains[:2]:
            yield from self._follow(chain, budget, deeper=1 + len(chain.later))

    def _follow(self, chain: Chain, budget: _Budget, deeper: int) -> Iterator[Path]:
        if not budget.spend():
            return
        result = self._search(chain.first, words_for(chain.first))
        judged = self._composer.judge(result) if result else []
        if not judged or result is None:
            return
        analyser = analyser_for(result.language)
        whole = f"{chain.before} {chain.thing} {chain.told} {chain.after}"
        tried: set[str] = set()
        for order, one, bridge in _in_order(judged, chain, whole, result, analyser):
            if bridge.name.casefold() in tried:
                continue
            tried.add(bridge.name.casefold())
            question = chain.then(bridge.name)
            first = Taken(chain.first, result, one, bridge.name)
            further = further_in(chain, bridge.name) if deeper else None
            if further:
                for path in self._follow(further, budget, deeper - 1):
                    signs = self._signs(chain, judged, first, bridge, order, path.steps[0], None)
                    yield Path((first, *path.steps), (signs, *path.signs))
                continue
            if not budget.spend():
                return
            then = self._search(question, words_for(question))
            if then is None:
                return
            last_judged = self._composer.judge(then)
            for last in self._last(last_judged, one, bridge):
                last_step = Taken(question, then, last)
                signs = self._signs(chain, judged, first, bridge, order, last_step, last_judged[0])
                yield Path((first, last_step), (signs,))

    @staticmethod
    def _last(judged: Sequence[Judged], first: Judged, bridge: Bridge) -> Iterator[Judged]:
        """The best units that tell of what was found, other than the one it was found in."""
        left = _LAST_UNITS
        for one in judged:
            unit = one.unit
            if unit.overlaps(first.unit):
                continue
            terms = frozenset(analyser_for(unit.document.language).terms(bridge.name))
            about = bridge.kind == "amount" or terms <= frozenset(unit.terms) | unit.above
            if about:
                yield one
                left -= 1
            if not left:
                return

    @staticmethod
    def _signs(
        chain: Chain,
        judged: Sequence[Judged],
        first: Taken,
        bridge: Bridge,
        order: int,
        last: Taken,
        best: Judged | None,
    ) -> LinkSigns:
        unit = last.judged.unit
        terms = frozenset(analyser_for(unit.document.language).terms(bridge.name))
        there = terms & frozenset(unit.terms)
        around = frozenset(unit.terms) | unit.above
        others = frozenset(last.result.terms) - terms
        rest = len(others & around) / len(others) if others else 1.0
        counts = [last.result.known.get(term, 0) for term in terms]
        passages = max(last.result.passages, 1)
        own, other = first.judged, last.judged
        return LinkSigns(
            **_first_signs(own, judged[0], order, bridge, first.result),
            last_support=other.support,
            last_below=_below(other, best or other),
            last_context=other.features.context,
            last_form=other.features.form,
            holds=len(there) / len(terms) if terms else 0.0,
            above=len(terms & around) / len(terms) if terms else 0.0,
            rest=rest,
            labelled=float(_labels(unit, bridge.name)),
            rare=1 - math.log1p(min(counts, default=0)) / math.log1p(passages),
            both=own.features.context * rest,
            apart=float(own.unit.document.id != unit.document.id),
            **{
                f"by_{way}": float(chain.way == way)
                for way in ("clause", "whoever", "amount", "of", "described")
            },
        )


def _first_signs(
    one: Judged, best: Judged, order: int, bridge: Bridge, result: SearchResult
) -> dict[str, float]:
    """The signs of a link that are known before the next search."""
    return {
        "first_support": one.support,
        "first_below": _below(one, best),
        "first_context": one.features.context,
        "order": 1 / (1 + order),
        "beside": _beside(one.unit, bridge, result),
        "column": _in_column(bridge, result),
        "sure": float(bridge.kind in SURE),
        "cell": float(bridge.kind == "cell"),
        "loose": float(bridge.kind in LOOSE),
    }


def _beside(unit: Unit, bridge: Bridge, result: SearchResult) -> float:
    """How near a name stands to a word of the question, in words."""
    if bridge.at < 0:
        return 0.0
    analyser = analyser_for(unit.document.language)
    before = unit.text[: bridge.at]
    after = unit.text[bridge.at + len(bridge.name) :]
    nearest = 99
    for words in (reversed(before.split()), after.split()):
        for away, word in enumerate(words, 1):
            if any(term in result.terms for term in analyser.terms(word)):
                nearest = min(nearest, away)
                break
    return 1 / nearest


def _in_column(bridge: Bridge, result: SearchResult) -> float:
    terms = analyser_for(result.language).terms(bridge.column)
    return float(any(term in result.terms for term in terms))


def _labels(unit: Unit, name: str) -> bool:
    """Whether a unit begins with a name, or its row's first cell is it."""
    label = unit.text
    if unit.kind is BlockKind.ROW:
        label = next(iter(cells_of(unit.text)), "")
    return label.strip(' *_`|“"').casefold().startswith(name.casefold())


def _in_order(
    judged: Sequence[Judged],
    chain: Chain,
    question: str,
    result: SearchResult,
    analyser: Analyser,
) -> list[tuple[int, Judged, Bridge]]:
    """The names to try: the likeliest first, by what is known of them before the next search."""
    found = []
    small = [one for one in judged if one.unit.shape not in _TOO_WIDE]
    for one in small[:_UNITS]:
        bridges = bridges_in(one, chain.thing, question, analyser, amounts=chain.way == "amount")
        for order, bridge in enumerate(bridges[:_OF_UNIT]):
            signs = _first_signs(one, small[0], order, bridge, result)
            score = sum(PATH.get(name, 0.0) * value for name, value in signs.items())
            found.append((score, order, one, bridge))
    found.sort(key=lambda each: -each[0])
    return [(order, one, bridge) for _, order, one, bridge in found]


def _below(one: Judged, best: Judged) -> float:
    return min(1.0, max(0.0, (best.rank - one.rank) / _RANK_SCALE))
