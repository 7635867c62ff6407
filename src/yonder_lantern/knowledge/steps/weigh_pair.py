"""Comparing two things that no one passage tells of: each is asked for, then weighed."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from ...answer import Composer, Judged, Shape, Value, values_in
from ...core import BlockKind, SearchResult
from ...search import analyser_for
from ...text import cells_of, words
from .follow_chain import Taken
from .read_question import Pair
from .step_words import words_for

_UNITS = 12  # that are looked at for each thing
_NAMED = 0.6  # of a thing's words that a unit has that tells of it, with what stands above it
_SOURED = re.compile(
    r"\b(?:is|are|was|were|has|have|had|the|may|can|might|do|does|did|be|at)\b", re.I
)
_LESS = re.compile(
    r"\b(?:less|fewer|low|short|small|shallow|light|cheap|young|weak|earl|soon)", re.I
)
_HOW = frozenset("long deep high wide heavy tall old broad thick strong".split())
_TIMES = frozenset("second minute hour day night week month year".split())
_SAYS_TIME = re.compile(r"\b(?:time|wait|take|last|old|young|early|late|soon|notice)", re.I)
_LIMIT = re.compile(  # before an amount that only limits what something else may have
    r"\b(?:over|above|under|below|up to|more than|less than|at least|at most|within|every)\s+$"
)
_TOO_WIDE = (Shape.SECTION, Shape.INTRODUCED)
_NAME = re.compile(
    r"\b[A-Z][\w'’-]+(?: [A-Z][\w'’.-]+)+|\b[A-Z]{2,}\b|(?<=[`‘“])[^`’”\s]{2,}(?=[`’”])"
)

Search = Callable[[str, str], SearchResult | None]


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


def weigh(pair: Pair, composer: Composer, search: Search) -> Weighed | None:
    """What is said of both things; None unless something is of each.

    Parameters
    ----------
    pair : Pair
    composer : Composer
    search : callable
        What finding gives for a question and words to search for besides.
    """
    found = []
    for thing in _things(pair):
        question = _asked_of(thing, pair)
        result = search(question, words_for(question))
        if result is None:
            return None
        judged = [
            one
            for one in composer.judge(result)
            if one.unit.shape not in _TOO_WIDE and _tells_of(one, thing)
        ][:_UNITS]
        found.append((thing, question, result, judged))
    (thing, _, _, ones), (other_thing, _, _, others) = found
    if not ones or not others:
        return None
    best: tuple[float, Judged, Judged, str, str, str] | None = None
    for one in ones:
        for other in others:
            if one.unit.overlaps(other.unit):
                continue
            said, other_said, verdict = _compared(pair, one, other, thing, other_thing)
            measured = any(char.isalpha() for char in f"{said}{other_said}"[1:])
            fits = 2 * bool(verdict) + 2 * (bool(verdict) and measured)
            score = one.rank + other.rank + fits
            if best is None or score > best[0]:
                best = (score, one, other, said, other_said, verdict)
    if best is None:
        return None
    _, one, other, said, other_said, verdict = best
    steps = (
        Taken(found[0][1], found[0][2], one, said),
        Taken(found[1][1], found[1][2], other, other_said),
    )
    return Weighed(steps, (said, other_said), verdict)


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
        bare = re.sub(rf"\b{re.escape(pair.comparative)}\b", " ", bare, flags=re.I)
    return " ".join(_SOURED.sub(" ", bare.replace("same", " ")).split())


def _measures(pair: Pair) -> bool:
    """Whether what is compared has a unit: how long, deep or heavy something is."""
    base = pair.comparative.casefold()
    return any(base.startswith(word[:-1]) and base.endswith("er") for word in _HOW)


def _asked_of(thing: str, pair: Pair) -> str:
    rest = _rest(pair)
    base = pair.comparative.casefold()
    for word in _HOW:
        if base.startswith(word[:-1]) and base.endswith("er"):
            return " ".join(f"How {word} is {thing} {rest}".split()) + "?"
    if rest.startswith("cost"):
        return f"How much did {thing} cost?"
    if not pair.comparative:
        return f"{thing}: {re.sub(r'(?:the )?same', 'which', pair.about)}?"
    return f"How much {rest} {thing}?" if rest else f"How many {thing}?"


def _tells_of(one: Judged, thing: str) -> bool:
    analyser = analyser_for(one.unit.document.language)
    terms = frozenset(analyser.terms(thing))
    there = terms & (frozenset(one.unit.terms) | one.unit.above)
    return len(there) >= _NAMED * len(terms)


def _compared(
    pair: Pair, one: Judged, other: Judged, thing: str, other_thing: str
) -> tuple[str, str, str]:
    """What each has, and the verdict."""
    if not pair.comparative:
        mine, theirs = _names(one, pair), _names(other, pair)
        shared = sorted(mine.keys() & theirs.keys(), key=lambda name: (mine[name], name))
        if shared:
            return shared[0], shared[0], "yes"
        if not mine or not theirs:
            return "", "", ""
        return min(mine, key=mine.__getitem__), min(theirs, key=theirs.__getitem__), "no"
    chosen = _amounts(pair, (one, thing), (other, other_thing))
    if chosen is None:
        return "", "", ""
    amount, other_amount, converted = chosen
    first, second = Decimal(str(amount.amount[0])), Decimal(str(converted.amount[0]))
    if first == second:
        return _whole(one, amount), _whole(other, other_amount), "no" if pair.decides else "both"
    more = first > second
    if _LESS.search(pair.comparative):
        more = not more
    verdict = pair.one if more else pair.other
    if pair.decides:
        verdict = "yes" if more else "no"
    return _whole(one, amount), _whole(other, other_amount), verdict


def _amounts(
    pair: Pair, one: tuple[Judged, str], other: tuple[Judged, str]
) -> tuple[Value, Value, Value] | None:
    """The amounts of both that can be compared, and the second in the unit of the first.

    Of those in one unit the nearest to the words that are asked about.
    """
    best: tuple[int, Value, Value, Value] | None = None
    for away, mine in _ranked(*one, pair):
        for other_away, theirs in _ranked(*other, pair):
            same = theirs if mine.unit == theirs.unit else theirs.in_unit(mine.unit)
            if same is None:
                continue
            bare = 0 if mine.unit else 40
            if not mine.unit and _measures(pair):
                continue
            if mine.unit in _TIMES and _measures(pair) and not _SAYS_TIME.search(pair.about):
                continue
            total = away + other_away + bare
            if best is None or total < best[0]:
                best = (total, mine, theirs, same)
    return best[1:] if best else None


def _ranked(one: Judged, thing: str, pair: Pair) -> list[tuple[int, Value]]:
    """The numbers of a unit, with how far each stands from what is asked about."""
    unit = one.unit
    analyser = analyser_for(unit.document.language)
    wanted = frozenset(analyser.terms(f"{_rest(pair)} {words_for(_asked_of(thing, pair))}"))
    said = frozenset(re.findall(r"\d+", f"{pair.one} {pair.other}"))
    text = unit.text
    header = unit.document.blocks[unit.block].header
    if unit.kind is BlockKind.ROW and header >= 0:
        over = unit.document.blocks[header]
        heads = cells_of(unit.document.text[over.start : over.end])
        found: list[tuple[int, Value]] = []
        for head, cell in zip(heads, cells_of(text), strict=False):
            away = 0 if wanted & frozenset(analyser.terms(head)) else 60
            found += [(away, value) for value in _numbers(cell, said)]
        return found
    near = wanted | frozenset(analyser.terms(thing))
    places = [at for at, word in _placed(text) if any(t in near for t in analyser.terms(word))]
    return [
        (_distance(value.start, places), value)
        for value in _numbers(text, said)
        if not (_measures(pair) and _LIMIT.search(text[: value.start]))
    ]


def _whole(one: Judged, value: Value) -> str:
    """An amount as the unit writes it, with its unit."""
    after = one.unit.text[one.unit.text.find(value.words, value.start) + len(value.words) :]
    unit = re.match(r"\s?[^\W\d_]+|\s?%", after) if value.unit else None
    return f"{value.words}{unit.group() if unit else ''}".strip()


def _distance(at: int, places: Sequence[int]) -> int:
    return min((abs(at - place) for place in places), default=at)


def _placed(text: str) -> list[tuple[int, str]]:
    return [(match.start(), match.group()) for match in re.finditer(r"[\w'’-]+", text)]


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


def _names(one: Judged, pair: Pair) -> dict[str, int]:
    """The names in a unit that the question does not say, and how far each is from what it asks."""
    asked = frozenset(words(f"{pair.one} {pair.other} {pair.about}".casefold()))
    analyser = analyser_for(one.unit.document.language)
    wanted = frozenset(analyser.terms(pair.about))
    text = one.unit.text
    places = [at for at, word in _placed(text) if any(t in wanted for t in analyser.terms(word))]
    found: dict[str, int] = {}
    for match in _NAME.finditer(text):
        name = match.group().strip(".,")
        if not asked.issuperset(words(name.casefold())):
            away = min(_distance(match.start(), places), _distance(match.end(), places))
            found[name] = min(away, found.get(name, away))
    return found
