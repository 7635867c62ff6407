"""What people say of themselves: kept with the conversation, used for its further questions."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..text import words

_LONGEST = 120  # characters
_MOST = 12  # kept of one conversation
_STATES = re.compile(
    r"(?:(?:and|so|well|by the way|also|btw|just so you know)[, ]+)?(?P<said>"
    r"(?:my|our) (?P<thing>[\w'’-]+(?: [\w'’-]+){0,2})"
    r" (?:is|are|has|draws|weighs|measures|needs) .+"
    r"|(?:i am|i['’]m|we are|we['’]re) (?!(?:not sure|sorry|looking|asking|interested|going|trying"
    r"|getting|having|seeing|running|wondering|afraid|told|here|lost|done|happy|glad|ok|fine|happy)\b).+"
    r"|(?:i|we) (?:have|own|sail|live|travel|come|arrive|need|prefer|speak|study|work)\b.+"
    r"|mein(?:e)? [\w-]+ (?:ist|hat) .+|ich (?:bin|habe) .+|mon [\w-]+ (?:est|a) .+|je suis .+"
    r")",
    re.I,
)
_NEEDS = re.compile(r"\b(?:need|have) (?:to know|help|a question|an? (?:other|further))\b", re.I)
_ONLY = re.compile(
    r"(?:from now on,? |please,? )*(?:only|just) (?:ask|look in(?:to)?|search|use|from) "
    r"(?:the )?(?P<sources>[\w.-]+(?:(?:,| and|, and) (?:the )?[\w.-]+)*)(?: please| from now on)*",
    re.I,
)
_SENTENCE = re.compile(r"(?<=[.!?])\s+(?=[^\W\d_])")  # "11 m." ends one here
_ASKS = re.compile(r"\?\s*$")
_MINE = re.compile(r"\b(?:i|we|me|us|my|our|mine|ours|ich|wir|mein\w*|je|nous|mon|ma|mes)\b", re.I)


@dataclass(frozen=True, slots=True)
class Preference:
    """Something a person said of themselves, or of what they want searched.

    ``text`` is in their words; ``where`` the condition on metadata that it stands for, if any.
    """

    text: str
    where: str = ""


@dataclass(frozen=True, slots=True)
class Message:
    """A message taken apart: what it states, and what it asks."""

    stated: tuple[Preference, ...]
    question: str


def taken_apart(text: str, sources: Iterable[str] = ()) -> Message:
    """What a message states of the person, and the question that is left of it.

    Parameters
    ----------
    text : str
    sources : iterable of str
        Names of sources: "only ask the notices" is then a condition.

    Examples
    --------
    >>> taken_apart("My boat is 11 m. What do I pay?")
    Message(stated=(Preference(text='My boat is 11 m', where=''),), question='What do I pay?')
    >>> taken_apart("Only ask the notices.", ["notices"]).stated[0].where
    "source IN ('notices')"
    >>> taken_apart("What is my berth?").stated
    ()
    """
    stated: list[Preference] = []
    left: list[str] = []
    known = {one.lower(): one for one in sources}
    for sentence in _SENTENCE.split(" ".join(text.split())):
        bare = sentence.rstrip(".! ")
        only = _ONLY.fullmatch(bare)
        if only:
            named = re.split(r",? and (?:the )?|, (?:the )?", only["sources"])
            if all(one.lower() in known for one in named):
                quoted = ", ".join(f"'{known[one.lower()]}'" for one in named)
                stated.append(Preference(bare, f"source IN ({quoted})"))
                continue
        says = _STATES.fullmatch(bare)
        if (
            says
            and len(bare) <= _LONGEST
            and not _ASKS.search(sentence)
            and not _NEEDS.search(bare)
        ):
            stated.append(Preference(says["said"]))
        else:
            left.append(sentence)
    return Message(tuple(stated), " ".join(left))


def merged(before: Sequence[Preference], stated: Sequence[Preference]) -> tuple[Preference, ...]:
    """Preferences with newer ones, each in place of the one of the same thing.

    Examples
    --------
    >>> merged([Preference("my boat is 9 m")], [Preference("My boat is 11 m")])
    (Preference(text='My boat is 11 m', where=''),)
    """
    kept = list(before)
    for one in stated:
        kept = [other for other in kept if _about(other) != _about(one)]
        kept.append(one)
    return tuple(kept[-_MOST:])


def bearing_on(question: str, preferences: Sequence[Preference]) -> tuple[Preference, ...]:
    """The preferences that a question may need: it speaks of the person, or of the same thing.

    Examples
    --------
    >>> boat = Preference("My boat is 11 m")
    >>> bearing_on("What do I pay?", [boat]) == bearing_on("Which boat?", [boat]) == (boat,)
    True
    >>> bearing_on("When is the office open?", [boat])
    ()
    """
    mine = bool(_MINE.search(question))
    asked = {one.lower() for one in words(question) if len(one) > 3}
    return tuple(
        one
        for one in preferences
        if not one.where and (mine or asked & {word.lower() for word in words(one.text)})
    )


def _about(one: Preference) -> str:
    """What a preference is about: the thing that is mine, else the way it begins."""
    if one.where:
        return "where"
    said = _STATES.fullmatch(one.text)
    if said and said["thing"]:
        return said["thing"].lower()
    return " ".join(one.text.lower().split()[:3])
