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
