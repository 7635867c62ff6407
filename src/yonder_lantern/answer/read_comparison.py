"""Questions that compare two things, read: "Which is longer, the tug or the pilot cutter?"."""

from __future__ import annotations

import re
from dataclasses import dataclass

_ADJECTIVES = """long short deep shallow high low wide narrow broad tall heavy light old young new
    big large small great strong weak thick thin fast slow quick near close late early soon cheap
    dear costly hard soft hot cold warm bright dark loud quiet clear fresh sharp steep rough smooth
    fine rare strict tough dense stiff firm wet dry safe simple rich poor full few busy easy noisy
    dirty windy calm tight loose""".split()
_DOUBLED = frozenset("big hot thin wet".split())
_SMALL = frozenset(
    """short shallow low narrow light young small weak thin slow near close early soon cheap
    few""".split()
)


def _comparative(adjective: str) -> str:
    if adjective.endswith("y"):
        return f"{adjective[:-1]}ier"
    if adjective in _DOUBLED:
        return f"{adjective}{adjective[-1]}er"
    return adjective + ("r" if adjective.endswith("e") else "er")


_COMPARATIVES = {_comparative(one): one for one in _ADJECTIVES}
_COMPARES = re.compile(rf"\b(?:more|less|{'|'.join(_COMPARATIVES)})\b", re.I)
_EITHER = re.compile(
    r"^\W*(?:which|what|who)(?:\s+one)?\s+(?P<about>[^,:?]+)[,:]\s*(?P<one>[^,:?]+?)\s+or\s+"
    r"(?P<other>[^,:?]+)",
    re.I,
)
_THAN = re.compile(
    r"^\W*(?:is|are|do|does|did|has|have|was|were)\s+(?:there\s+)?(?P<one>.+?)\s+than\s+"
    r"(?P<other>[^,?]+)",
    re.I,
)
_SAME = re.compile(
    r"^\W*(?:do|does|did|are|were|is|was|have|has)\s+(?:both\s+)?(?P<one>.+?)\s+and\s+"
    r"(?P<other>(?:(?:the|an?|our|your)\s+)?\S+(?:\s+(?-i:[A-Z])\S*)*)\s+(?P<about>.*\bsame\b[^?]*)",
    re.I,
)
_NO_THING = re.compile(  # nothing by that name can be asked for
    r"^(?:in|on|at|for|from|with|to|by|of|under|over|it|they|that|this|these|those|he|she|i|we|you"
    r"|there|other|another|others|most|any|all|some|usual|before|now|ever)\b",
    re.I,
)


@dataclass(frozen=True, slots=True)
class Pair:
    """A question that compares two things.

    Attributes
    ----------
    one, other : str
    about : str
        What is asked of each: "is longer", "deposit is higher".
    comparative : str
        The word that compares; empty where it is asked whether the two are the same in it.
    decides : bool
        Whether yes or no is wanted, and not which of the two.
    """

    one: str
    other: str
    about: str
    comparative: str
    decides: bool

    @property
    def adjective(self) -> str:
        """What the comparative is made of: "long"; empty for "more" and "less"."""
        return _COMPARATIVES.get(self.comparative, "")

    @property
    def wants_less(self) -> bool:
        """Whether it is the smaller amount that is asked for: "shorter"."""
        return self.comparative == "less" or self.adjective in _SMALL


def compares(question: str) -> bool:
    """Whether a question compares two things, whether or not both can be asked for by name.

    Examples
    --------
    >>> compares("Is a night dearer in 2026 than in 2025?"), compares("Which night is dearest?")
    (True, False)
    """
    return _pair(question.rstrip(" ?!.")) is not None


def pair_in(question: str) -> Pair | None:
    """The two things that a question compares; None if it compares nothing.

    Examples
    --------
    >>> pair_in("Which deposit is higher, the one for a key or the one for a lift?").comparative
    'higher'
    >>> pair_in("Is the hoist stronger than the crane?")
    Pair(one='the hoist', other='the crane', about='stronger', comparative='stronger', decides=True)
    >>> pair_in("Do the tug and Dunlin have the same length?").about
    'have the same length'
    """
    found = _pair(question.rstrip(" ?!."))
    if found is None or any(_NO_THING.match(one) for one in (found.one, found.other)):
        return None
    return found


def _pair(question: str) -> Pair | None:
    if match := _EITHER.match(question):
        word = _COMPARES.search(match["about"])
        one, other = match["one"].strip(), match["other"].strip()
        return Pair(one, other, match["about"], word.group().casefold(), False) if word else None
    if match := _SAME.match(question):
        return Pair(match["one"], match["other"], match["about"].strip(), "", True)
    if match := _THAN.match(question):
        words = list(_COMPARES.finditer(match["one"]))
        if not words:
            return None
        word = words[-1]
        one = match["one"][: word.start()].strip()
        about = match["one"][word.start() :].strip()
        if not one:  # "there more ships in 2025 than terns"
            one, about = match["one"][word.end() :].strip(), word.group()
        return Pair(one, match["other"].strip(), about, word.group().casefold(), True)
    return None
