"""A question of several steps, read: what has to be found before the rest can be asked."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Way = Literal["clause", "whoever", "amount", "of", "described", "proposed"]

_PLACED = (
    "in|on|at|under|beside|from|with|to|by|for|through|of|behind|into|over|near|about|after|above"
    "|below|against|off"
)
_CLAUSE = re.compile(
    rf",?\s+(?:(?P<placed>{_PLACED})\s+(?=which|whose|whom))?"
    r"(?P<relative>that|which|who|whose|whom|where)\s+"
    r"(?P<clause>[^?]+)",
    re.I,
)
_DETERMINER = re.compile(r"\b(?:the|an?)\s+", re.I)
# What may stand between a thing and the clause that tells of it: "the gauge been there from which".
_BETWEEN = re.compile(
    r"\s+(?:been|there|formerly|called|is|are|was|were|has|have|kept|laid|built|made|shut|worked"
    r"|works?|stands?|lies?|lie|costs?|\w{3,}ed)\b.*$",
    re.I,
)
_AUXILIARY = re.compile(r"\b(?:do|does|did|can|could|may|must|should|will|would)\s*$", re.I)
_VERB = re.compile(
    r"\s(?:costs?|pay|charge|keep|take|give|have|need|ask|mean|weigh|hold|carry|close|open|begin|end"
    r"|last|work|live|use|poll|deliver|move|stand|decide|show|call|say|get|do|run|start|stop)\b.*$",
    re.I,
)
_FUNCTION = re.compile(rf"\s(?:{_PLACED}|an?|its|their|his|her)\b", re.I)
_WHOEVER = re.compile(
    r"\b(?:whoever|anyone who|the (?:person|one|people) who)\s+(?P<clause>[^?]+)", re.I
)
_OF_THING = r"(?:the |an? )?(?P<of>[A-Z][\w-]*(?: [A-Z][\w-]*)*|[^?,]+?)"
_GOES_ON = (
    r"(?P<after>(?:\s+(?:have|has|pays?|costs?|be|needs?|must|may|would|will|get)\b[^?]*)?)\W*$"
)
_AS = re.compile(
    r"\bas (?P<long>long|deep|high|tall|heavy|wide|large|big|old|strong|broad) as "
    rf"{_OF_THING}{_GOES_ON}",
)
_OF_SIZE = re.compile(
    r"\bof the (?P<long>length|depth|draught|weight|width|height|size|age|tonnage) of "
    rf"{_OF_THING}{_GOES_ON}",
)
_OF = re.compile(r"\bthe (?P<thing>(?:[\w-]+ )??[\w-]+) of (?P<clause>(?:the |an? )?[^?,]+)$")
_DESCRIBED = re.compile(r"\bthe (?P<thing>(?!same\b)[a-z][\w-]*(?: +(?!the\b)[\w'’-]+){1,12})$")
_PERSONS = frozenset("person man woman people leader body team organisation one ones".split())
_POSSESSIVE = "'s "  # begins what is told of a thing by "whose"


@dataclass(frozen=True, slots=True)
class Chain:
    """A question of which one part must be found first.

    Attributes
    ----------
    before, after : str
        What is asked of the thing, around it: "How long is the bridge of", "".
    thing : str
        What is to be found: "pontoon"; "who" where it is a person.
    told : str
        What is told of it: "the carpet sea squirt was found under".
    way : {"clause", "whoever", "amount", "of", "described", "proposed"}
        How the question tells of it; ``proposed`` where a model took it apart: ``told`` is then the
        first step, and ``after`` the next, in which ``[NUMBER]`` stands for what is found.
    later : tuple of str
        Further steps of a proposed plan.
    number : int
        Of the first step of a proposed plan.
    """

    before: str
    thing: str
    told: str
    after: str
    way: Way
    later: tuple[str, ...] = ()
    number: int = 1

    @property
    def first(self) -> str:
        """The question for the thing."""
        if self.way == "proposed":
            return self.told
        if self.way == "described":
            return f"What is the {self.thing}?"
        if self.way == "amount":
            return self.told
        if self.told.startswith(_POSSESSIVE):
            return f"Which {self.thing}{self.told}?".replace("Which who's", "Whose")
        if self.thing == "who":
            return f"Who {self.told}?"
        if self.way == "of":
            return f"What is the {self.thing} of {self.told}?"
        return f"Which {self.thing} {self.told}?"

    def then(self, name: str) -> str:
        """The rest of the question, asked of what was found."""
        if self.way == "proposed":
            return self.after.replace(f"[{self.number}]", name)
        rest = f"{self.before} {name} {self.after}".strip()
        return " ".join(rest.split()) + "?"


def chains_in(question: str) -> list[Chain]:
    """How a question may be taken apart, the likeliest first; empty for a plain one.

    Examples
    --------
    >>> question = "How long is the bridge of the pontoon under which a squirt was found?"
    >>> found = chains_in(question)[0]
    >>> found.thing, found.first, found.then("pontoon F")
    ('pontoon', 'Which pontoon a squirt was found under?', 'How long is the bridge of pontoon F?')
    >>> chains_in("When does the office open?")
    []
    """
    bare = question.strip().rstrip("?!. ")
    found = [*_by_clause(bare), *_by_whoever(bare), *_by_amount(bare)]
    return found or [*_by_of(bare), *_by_description(bare)]


def proposed(steps: Sequence[str], number: int = 1) -> Chain:
    """The chain of steps that a model proposed, each asking about what the one before it found."""
    asks = re.match(r"\W*(?:which|what)\s+(?P<thing>(?!is\b|are\b|was\b)[\w-]+)", steps[0], re.I)
    thing = asks["thing"] if asks else "who"
    return Chain("", thing, steps[0], steps[1], "proposed", tuple(steps[2:]), number)


def further_in(chain: Chain, name: str) -> Chain | None:
    """What the rest of a question is to be taken apart into, once a thing is found; or None."""
    question = chain.then(name)
    if chain.way == "proposed":
        if not chain.later:
            return None
        later = [step.replace(f"[{chain.number}]", name) for step in chain.later]
        return proposed([question, *later], chain.number + 1)
    found = [one for one in chains_in(question) if one.way in ("clause", "whoever", "amount")]
    return found[0] if found else None


def _by_clause(question: str) -> list[Chain]:
    found = []
    for match in reversed(list(_overlapping(_CLAUSE, question))):
        ahead = question[: match.start()]
        determiners = list(_DETERMINER.finditer(ahead))
        if not determiners:
            continue
        last = determiners[-1]
        if last.group().casefold().startswith("a") and len(determiners) > 1:
            last = next((one for one in reversed(determiners) if one[0][0] in "tT"), last)
        thing, rest = _thing_and_rest(
            ahead[last.end() :], is_subject=bool(_AUXILIARY.search(ahead[: last.start()]))
        )
        if not thing or len(thing.split()) > 4:
            continue
        told = match["clause"].strip()
        if match["relative"].casefold() == "whose":
            told = f"{_POSSESSIVE}{told}"
        if match["placed"]:
            told = f"{told} {match['placed']}"
        person = thing.split()[-1].casefold() in _PERSONS
        before = ahead[: last.start()].strip()
        found.append(Chain(before, "who" if person else thing.strip(), told, rest, "clause"))
    return found


def _thing_and_rest(words: str, *, is_subject: bool) -> tuple[str, str]:
    """A thing, and what of the question stands between it and the clause that tells of it.

    Where an auxiliary stands before it, the verb comes after it: "can the pump deliver whose".
    """
    if between := _BETWEEN.search(words):
        return words[: between.start()].strip(), between.group().strip()
    parts = words.split()
    if is_subject and (verb := _VERB.search(words)):
        return words[: verb.start()].strip(), verb.group().strip()
    function = _FUNCTION.search(words)
    ends = len(words[: function.start()].split()) if function else len(parts)
    if is_subject and len(parts) > 1:
        ends = max(1, ends - 1)
    return " ".join(parts[:ends]), " ".join(parts[ends:])


def _overlapping(pattern: re.Pattern[str], text: str) -> list[re.Match[str]]:
    found: list[re.Match[str]] = []
    at = 0
    while match := pattern.search(text, at):
        found.append(match)
        at = match.start("relative")
    return found


def _by_whoever(question: str) -> list[Chain]:
    match = _WHOEVER.search(question)
    if not match:
        return []
    return [Chain(question[: match.start()].strip(), "who", match["clause"].strip(), "", "whoever")]


def _by_amount(question: str) -> list[Chain]:
    if match := _AS.search(question):
        asked = f"How {match['long']} is {match['of'].strip()}?"
    elif match := _OF_SIZE.search(question):
        asked = f"What is the {match['long']} of {match['of'].strip()}?"
    else:
        return []
    before, after = question[: match.start()].strip(), match["after"].strip()
    return [Chain(f"{before} of", match["long"], asked, after, "amount")]


def _by_of(question: str) -> list[Chain]:
    match = _OF.search(question)
    if not match or _CLAUSE.search(match["clause"]):
        return []
    before, told, after = question[: match.start()].strip(), match["clause"].strip(), ""
    if _AUXILIARY.search(before):
        told, after = _thing_and_rest(_DETERMINER.sub("", told, count=1), is_subject=True)
    return [Chain(before, match["thing"], told, after, "of")]


def _by_description(question: str) -> list[Chain]:
    match = _DESCRIBED.search(question)
    before = question[: match.start()].strip() if match else ""
    if not match or not before:
        return []
    thing, after = match["thing"], ""
    if _AUXILIARY.search(before):
        thing, after = _thing_and_rest(thing, is_subject=True)
    if len(thing.split()) < 2:  # one word names it: "the office"
        return []
    return [Chain(before, thing, "", after, "described")]
