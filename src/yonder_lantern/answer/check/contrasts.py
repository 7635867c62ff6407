"""Words that turn a statement round: negations, opposites, duty and leave, all and some."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from enum import Enum

NEGATORS = frozenset(
    """no not never none nobody nothing neither nor nowhere cannot can't won't don't doesn't didn't
    isn't aren't wasn't weren't hasn't haven't hadn't shouldn't mustn't couldn't wouldn't needn't
    without seldom hardly
    nicht kein keine keinen keinem keiner nie niemals niemand nichts nirgends ohne
    pas jamais aucun aucune rien personne sans ni""".split()
)

_PAIRS = """
open shut closed | opens shuts closes | allowed forbidden | may forbidden | can forbidden |
before after | over under | above below | more less fewer | least most | minimum maximum |
higher lower | longer shorter | earlier later | earliest latest | first last | inside outside |
north south | east west | northern southern | eastern western | port starboard | left right |
summer winter | day night | weekdays weekends | weekday weekend | arrive leave depart | arrives
leaves departs | arriving leaving departing | enter leave | entering leaving | entry exit |
includes excludes | included excluded | with without | compulsory optional voluntary | increase
decrease reduction | rises falls | raise lower | raised lowered | buy sell | sells buys |
accepted refused rejected | safe dangerous | upper lower | front rear | deep shallow | wide
narrow | long short | old new | public private restricted | permanent temporary | hot cold |
warm cold | morning evening afternoon | strongest weakest | largest smallest | longest shortest
| deepest shallowest | cheapest dearest | cheaper dearer | oldest newest | fastest slowest |
best worst | free charged | full empty | wet dry | even odd | start end | starts ends | begins
ends | beginning end | high low | seaward landward | upstream downstream | up down | near far |
nearest farthest | same different | always never | everyone nobody | everybody nobody | all none
| faster slower | heavier lighter | heaviest lightest | heavy light | wider narrower | deeper
shallower | lee windward | ashore afloat | incoming outgoing | inward outward | male female |
adult child | single return | daily weekly monthly yearly | annual monthly weekly | red green
blue yellow orange grey white black | monday tuesday wednesday thursday friday saturday sunday |
half double | whole half | twice once | passed failed | found lost | present absent | rich poor
| offen geschlossen | erlaubt verboten | vor nach | sommer winter | ouvert fermé | avant après
"""


def _opposites() -> dict[str, frozenset[str]]:
    found: dict[str, set[str]] = {}
    for group in _PAIRS.replace("\n", " ").split("|"):
        opposites = group.split()
        for word in opposites:
            # All but its own near-synonyms: of "open shut closed" the first faces the others.
            others = opposites[1:] if word == opposites[0] else opposites[:1]
            found.setdefault(word, set()).update(others)
    for kinds in (
        "red green blue yellow orange grey white black",
        "monday tuesday wednesday thursday friday saturday sunday",
        "daily weekly monthly yearly",
        "north south east west",
    ):
        for word in kinds.split():
            found.setdefault(word, set()).update(set(kinds.split()) - {word})
    return {word: frozenset(others) for word, others in found.items()}


OPPOSITES = _opposites()


class Force(Enum):
    """Whether something is a duty or a leave."""

    NEITHER = "neither"
    MUST = "must"
    MAY = "may"


_LEAVE = frozenset(("allowed", "permitted"))
_FORBIDDEN = frozenset(("prohibited", "banned"))
_MUST = frozenset(
    """must shall required requires compulsory obligatory mandatory obliged muss müssen
    pflicht doit doivent""".split()
)
_MAY = frozenset(
    """may can could allowed permitted optional voluntary darf dürfen kann können peut
    peuvent""".split()
)
_ALL = frozenset("all every each always only entire everybody everyone".split())
_STRICT = frozenset(("only", "always"))
_SOME = frozenset(
    """some most many few several sometimes usually often normally nearly almost mostly generally
    about roughly approximately""".split()
)


def plainly(words: Sequence[str]) -> list[str]:
    """Words with "not allowed" and its like said in one way."""
    found: list[str] = []
    for word in words:
        if word in _LEAVE and found and found[-1] in ("not", "never"):
            found[-1] = "forbidden"
        elif word == "one" and found and found[-1] == "no":
            found[-1] = "nobody"
        elif word in _LEAVE and len(found) > 1 and found[-1] == "be" and found[-2] == "not":
            found[-2:] = ["forbidden"]
        else:
            found.append("forbidden" if word in _FORBIDDEN else word)
    return found


def force_of(words: Collection[str]) -> Force:
    """Whether a clause demands or allows."""
    if not _MUST.isdisjoint(words):
        return Force.MUST
    return Force.MAY if not _MAY.isdisjoint(words) else Force.NEITHER


def overstated(words: Sequence[str], others: Sequence[str]) -> str:
    """The word by which some words claim more than others do; empty if they do not."""
    ours, theirs = Counter(words), Counter(others)
    claimed = [word for word in ours if word in _ALL and ours[word] > theirs[word]]
    if any(theirs[word] > ours[word] for word in _SOME):
        return claimed[0] if claimed else ""
    if not _ALL.isdisjoint(theirs):
        return ""
    return next((word for word in claimed if word in _STRICT), "")
