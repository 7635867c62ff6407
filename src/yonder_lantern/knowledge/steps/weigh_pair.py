"""Comparing two things that no single passage tells of: each is asked for, then weighed."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from ...answer import Composer, Judged, Pair, Value, values_in
from ...core import BlockKind
from ...search import analyser_for
from ...text import Analyser, cells_of, words
from .step_words import words_for
from .taken import TOO_WIDE, Search, Taken, judged_in

_UNITS = 12  # that are looked at for each thing
_NAMED = 0.6  # of a thing's words that a unit has that tells of it, with what stands above it
_OTHER_COLUMN = 60  # characters: as far off as a cell counts whose column is not asked about
_BARE = 40  # and a number without a unit
_AUXILIARIES = re.compile(
    r"\b(?:is|are|was|were|has|have|had|the|may|can|might|do|does|did|be|at)\b", re.I
)
_OPPOSITE = {
    "short": "long", "shallow": "deep", "low": "high", "narrow": "wide", "light": "heavy",
    "young": "old", "thin": "thick", "weak": "strong", "slow": "fast", "small": "large",
}  # fmt: skip
_MEASURED = frozenset("long deep high wide broad tall heavy old thick strong fast".split())
_PRICED = frozenset("cheap dear costly expensive".split())
_TIMES = frozenset("second minute hour day night week month year".split())
_LENGTHS = frozenset("m km cm mm mile foot".split())
_WEIGHTS = frozenset("t kg g".split())
_UNITS_FOR = {
    **dict.fromkeys("long deep wide broad tall thick".split(), _LENGTHS),
    "heavy": _WEIGHTS,
    "strong": _WEIGHTS | frozenset("n bar kw w v kn".split()),
    "fast": _TIMES | frozenset("kn km mile hz ghz".split()),
    "old": _TIMES,
}  # what may be as high as something, in crowns or degrees, has any
_SAYS_TIME = re.compile(r"\b(?:time|wait|take|last|old|young|early|late|soon|notice)", re.I)
_LIMIT = re.compile(  # before an amount that only limits what something else may have
    r"\b(?:over|above|under|below|up to|more than|less than|at least|at most|within|every)\s+$"
)
_OF_THE_NAME = re.compile(  # between a name and an amount that is its own
    r"[\s*_(\[:,–-]*(?:\b(?:is|are|was|were|has|have|had|of|at|with|a|an|the|about|stands)\b[\s*_:]*)*"
)
_NAME = re.compile(
    r"\b[A-Z][\w'’-]+(?: [A-Z][\w'’.-]+)+|\b[A-Z]{2,}\b|(?<=[`‘“])[^`’”\s]{2,}(?=[`’”])"
)


@dataclass(frozen=True, slots=True)
class Weighed:
    """Two things, what is said of each, and how they compare.

    Attributes
    ----------
    steps : tuple of Taken
        One for each.
    said : tuple of str
        The amount, or the name, that each has; empty where none was told.
    verdict : str
        "the dredger Merrow", "yes", "no"; empty where it is not decided.
    """

    steps: tuple[Taken, Taken]
    said: tuple[str, str]
    verdict: str

    @property
    def support(self) -> float:
        """How far both are borne out: the weaker one decides."""
        return min(step.judged.support for step in self.steps)


@dataclass(frozen=True, slots=True)
class _Told:
    """A unit that tells of a thing: its amounts, or its names, and how far each is from the point.

    The point is what the question asks about; distances are in characters.
    """

    judged: Judged
    amounts: Sequence[tuple[int, Value]]
    names: dict[str, int]


def weigh(pair: Pair, composer: Composer, search: Search) -> Weighed | None:
    """What is said of both things; None unless something is of each.

    Parameters
    ----------
    pair : Pair
    composer : Composer
    search : callable
        What finding gives for a question and words to search for besides.
    """
    questions, results, sides = [], [], []
    for thing, question in zip(_things(pair), asked_of_each(pair), strict=True):
        result = search(question, words_for(question))
        if result is None:
            return None
        questions.append(question)
        results.append(result)
        sides.append(_told_of(thing, question, pair, judged_in(composer, result)))
    best: tuple[float, _Told, _Told, tuple[str, str, str]] | None = None
    for one in sides[0]:
        for other in sides[1]:
            if one.judged.unit.overlaps(other.judged.unit):
                continue
            compared = _compared(pair, one, other)
            score = one.judged.rank + other.judged.rank + _fits(*compared)
            if best is None or score > best[0]:
                best = (score, one, other, compared)
    if best is None:
        return None
    _, one, other, (said, other_said, verdict) = best
    steps = (
        Taken(questions[0], results[0], one.judged, said),
        Taken(questions[1], results[1], other.judged, other_said),
    )
    return Weighed(steps, (said, other_said), verdict)


def _fits(said: str, other_said: str, verdict: str) -> int:
    """How far two units that decide are preferred, the more so with amounts in units."""
    measured = any(char.isalpha() for char in f"{said}{other_said}"[1:])
    return 2 * bool(verdict) + 2 * (bool(verdict) and measured)


def _things(pair: Pair) -> tuple[str, str]:
    """Both, with the noun that "the one" stands for."""
    noun = _rest(pair)
    return tuple(  # type: ignore[return-value]
        re.sub(r"\bthe one\b|\bthat\b", f"the {noun}", thing) if noun else thing
        for thing in (pair.one, pair.other)
    )


def _rest(pair: Pair) -> str:
    """What is compared, without the word that compares."""
    bare = pair.about
    if pair.comparative:
        bare = re.sub(rf"\b{pair.comparative}\b", " ", bare, flags=re.I)
    return " ".join(_AUXILIARIES.sub(" ", bare.replace("same", " ")).split())


def _adjective(pair: Pair) -> str:
    """What both are asked for: "long" for "longer" and "shorter"; empty for "more"."""
    return _OPPOSITE.get(pair.adjective, pair.adjective)


def asked_of_each(pair: Pair) -> list[str]:
    """What is asked of the one thing, and of the other."""
    return [_asked_of(thing, pair) for thing in _things(pair)]


def _asked_of(thing: str, pair: Pair) -> str:
    rest, adjective = _rest(pair), _adjective(pair)
    if not pair.comparative:
        return f"{thing}: {re.sub(r'(?:the )?same', 'which', pair.about)}?"
    if adjective in _PRICED or rest in _PRICED or rest.startswith("cost"):
        return f"How much did {thing} cost?"
    if adjective:
        return " ".join(f"How {adjective} is {thing} {rest}".split()) + "?"
    return f"How much {rest} {thing}?" if rest else f"How many {thing}?"


def _told_of(thing: str, question: str, pair: Pair, judged: Sequence[Judged]) -> list[_Told]:
    """The best units that tell of a thing, with what they say that can be compared."""
    found = []
    for one in judged:
        unit = one.unit
        analyser = analyser_for(unit.document.language)
        terms = frozenset(analyser.terms(thing))
        there = terms & (frozenset(unit.terms) | unit.above)
        if unit.shape in TOO_WIDE or len(there) < _NAMED * len(terms):
            continue
        if pair.comparative:
            asked = frozenset(analyser.terms(f"{_rest(pair)} {words_for(question)}"))
            found.append(_Told(one, _amounts(one, asked, terms, pair, analyser), {}))
        else:
            found.append(_Told(one, (), _names(one, pair, analyser)))
        if len(found) == _UNITS:
            break
    return found


def _compared(pair: Pair, one: _Told, other: _Told) -> tuple[str, str, str]:
    """What each has, and the verdict."""
    if not pair.comparative:
        mine, theirs = one.names, other.names
        shared = sorted(mine.keys() & theirs.keys(), key=lambda name: (mine[name], name))
        if shared:
            return shared[0], shared[0], "yes"
        if not mine or not theirs:
            return "", "", ""
        return min(mine, key=mine.__getitem__), min(theirs, key=theirs.__getitem__), "no"
    chosen = _comparable(pair, one.amounts, other.amounts)
    if chosen is None:
        return "", "", ""
    amount, other_amount, converted = chosen
    said = _whole(one.judged, amount), _whole(other.judged, other_amount)
    first, second = Decimal(str(amount.amount[0])), Decimal(str(converted.amount[0]))
    if first == second:
        return *said, "no" if pair.decides else "both"
    chosen_first = (first > second) is not pair.wants_less
    if pair.decides:
        return *said, "yes" if chosen_first else "no"
    return *said, pair.one if chosen_first else pair.other


def _comparable(
    pair: Pair, amounts: Sequence[tuple[int, Value]], others: Sequence[tuple[int, Value]]
) -> tuple[Value, Value, Value] | None:
    """The amounts of both that can be compared, and the second in the unit of the first.

    Of those in one unit the nearest to the words that are asked about.
    """
    best: tuple[int, Value, Value, Value] | None = None
    for away, mine in amounts:
        if not _may_have(pair, mine.unit):
            continue
        for other_away, theirs in others:
            same = theirs.in_unit(mine.unit)
            total = away + other_away + (0 if mine.unit else _BARE)
            if same is not None and (best is None or total < best[0]):
                best = (total, mine, theirs, same)
    return best[1:] if best else None


def _may_have(pair: Pair, unit: str) -> bool:
    """Whether what the pair is compared by can be told in a unit; without one, if none is known."""
    adjective = _adjective(pair)
    if adjective not in _MEASURED:
        return True
    if unit in _TIMES and adjective not in ("old", "fast"):
        return _SAYS_TIME.search(pair.about) is not None
    return bool(unit) and unit in _UNITS_FOR.get(adjective, (unit,))


def _amounts(
    one: Judged, asked: frozenset[str], thing: frozenset[str], pair: Pair, analyser: Analyser
) -> list[tuple[int, Value]]:
    """The numbers of a unit, with how far each stands from what is asked about."""
    unit = one.unit
    said = frozenset(re.findall(r"\d+", f"{pair.one} {pair.other}"))
    header = unit.document.header_of(unit.block)
    if header and unit.kind is BlockKind.ROW:
        found: list[tuple[int, Value]] = []
        for head, cell in zip(cells_of(header), cells_of(unit.text), strict=False):
            away = 0 if asked & frozenset(analyser.terms(head)) else _OTHER_COLUMN
            found += [(away, value) for value in _numbers(cell, said)]
        return found
    places = _places(unit.text, asked | thing, analyser)
    if _adjective(pair) not in _MEASURED:
        return [(_distance(value.start, places), value) for value in _numbers(unit.text, said)]
    told = not (asked - thing).isdisjoint(frozenset(unit.terms) | unit.above)
    ends = [match.end() for match in _words_of(unit.text, thing, analyser)]
    return [
        (_distance(value.start, places), value)
        for value in _numbers(unit.text, said)
        if not _LIMIT.search(unit.text[: value.start])
        and (told or any(_OF_THE_NAME.fullmatch(unit.text, end, value.start) for end in ends))
    ]


def _whole(one: Judged, value: Value) -> str:
    """An amount as the unit writes it, with its unit."""
    after = one.unit.text[one.unit.text.find(value.words, value.start) + len(value.words) :]
    unit = re.match(r"\s?[^\W\d_]+|\s?%", after) if value.unit else None
    return f"{value.words}{unit.group() if unit else ''}".strip()


def _distance(at: int, places: Sequence[int]) -> int:
    return min((abs(at - place) for place in places), default=at)


def _places(text: str, terms: frozenset[str], analyser: Analyser) -> list[int]:
    """Where a text has words of some terms."""
    return [match.start() for match in _words_of(text, terms, analyser)]


def _words_of(text: str, terms: frozenset[str], analyser: Analyser) -> list[re.Match[str]]:
    """The words of a text that are of some terms."""
    return [
        match
        for match in re.finditer(r"[\w'’-]+", text)
        if not terms.isdisjoint(analyser.terms(match.group()))
    ]


def _numbers(text: str, said: frozenset[str]) -> list[Value]:
    """The amounts of a text, but parts of codes, ordinals, and the numbers of the question."""
    found = []
    for value in values_in(text):
        if value.kind != "number" or not isinstance(value.amount[0], Decimal):
            continue
        before = text[value.start - 1 : value.start]
        in_code = before in ("-", "/", "#") or before.isalpha()
        ordinal = value.words.isalpha() and value.words.endswith(("st", "nd", "rd", "th"))
        if not in_code and not ordinal and value.words not in said:
            found.append(value)
    return found


def _names(one: Judged, pair: Pair, analyser: Analyser) -> dict[str, int]:
    """The names in a unit that the question does not say, and how far each is from what it asks."""
    asked = frozenset(words(f"{pair.one} {pair.other} {pair.about}".casefold()))
    text = one.unit.text
    places = _places(text, frozenset(analyser.terms(pair.about)), analyser)
    found: dict[str, int] = {}
    for match in _NAME.finditer(text):
        name = match.group().strip(".,")
        if not asked.issuperset(words(name.casefold())):
            away = min(_distance(match.start(), places), _distance(match.end(), places))
            found[name] = min(away, found.get(name, away))
    return found
