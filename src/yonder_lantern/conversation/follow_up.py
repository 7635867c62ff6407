"""Making a follow-up question stand on its own."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from ..text import words
from .corrections import corrected

_OPENING = re.compile(
    r"\s*(and|but|or|what about|how about|then|also|so|und|aber|et|mais|y|pero|e|ma|en|maar)\b",
    re.IGNORECASE,
)
_POINTING = frozenset(
    """its they them their theirs this these those ones he him his she her hers
    same former latter such""".split()
)
_AUXILIARY = (
    r"(?:do|does|did|is|are|was|were|can|could|will|would|may|might|must|shall|should|has|have|had)"
)
_OWN = frozenset(("its", "their", "his", "her", "he", "she", "they", "them", "him", "it"))
# What the question itself brings in: "What happens when a boat sinks at its berth?", "Can guests
# get online with their laptops?"; but "What is the fee for it?" speaks of something before.
_NAMED = (
    r"(?:\b(?:a|an|the|my|our|each|every|any|some|no|two|new|someone|somebody|anyone|anybody"
    r"|everyone) \w+|(?<=\w )[A-Z]\w+|\b\w{3,}(?<!is|ss|us)s\b (?!" + _AUXILIARY + r"\b)\w+)\b"
)
_NOT_AFTER = "".join(
    rf"(?<!\b{word})" for word in ("for", "of", "to", "in", "on", "from", "about", "with", "at")
)
_OWNER = re.compile(
    rf"{_NAMED}.*?{_NOT_AFTER}[ (](?:it|they|them|he|she|him)\b"
    rf"|{_NAMED}.* (?:its|their|his|her)\b"
)
# Words that point back in some places only: not in "Is it allowed to …?", "Is there a …?", "the
# boats that …", "one boat".
_POINTING_HERE = re.compile(
    r"\bit\b(?!(?:['’]s| is| was)? (?:allowed|forbidden|permitted|possible|safe|necessary|legal"
    r"|best|true|usual|worth)\b)"
    r"|(?<!\bis )(?<!\bare )(?<!\bwas )(?<!\bwere )(?<!\bbe )\bthere\b(?! (?:is|are|was|were|be)\b)"
    r"|\b(?:is|was|does|did|do|about|like|for|with|of|after|before) that\b(?=\s*(?:\?|$))"
    r"|^\W*(?:why |when |how |where |who |what )?(?:is|was|does|did|can|will) that\b(?! \w+ing\b)"
    r"|\b(?:which|that|the|other|another|first|second|last|cheaper|bigger|\w+est) one\b"
    r"|^\W*(?:\w+\W+){1,5}then\W*$"
    r"|^\W*(?:why|when|how|where)(?: \w+)? (?:does|did|is|was|can|will) that \w+\W*$"
    r"|\b(?:get|have|need|find|use|buy) one\W*$"
    r"|\b(?:too|as well|either)\W*$|^\W*which (?:one )?(?:is|are) (?:the )?\w+er\W*$",
    re.IGNORECASE,
)
_ELLIPSIS = re.compile(  # a part of a question that has no verb of its own
    r"\s*(?:(?:in|on|at|for|with|without|during|after|before|by|from|to|of|per|im|am|für|ohne|"
    r"outside|inside|en|pour|avec|sans)\s+(?:[\w'’-]+\s*){1,3}|"
    r"why(?: not)?|when|where|who|how|how (?:much|many|"
    r"long|often|far)|which(?: ones?)?|since when|until when|warum|wann|wo|wer|pourquoi|quand|où|"
    r"qui|(?:where|who|what|when|how) else|outside|inside|elsewhere)\s*\??\s*",
    re.IGNORECASE,
)
_COMPARES = re.compile(  # speaks of more than one thing said before
    r"\b(?:which|what|who) (?:(?:one )?of (?:those|these|them|the two)|is the \w+er one)\b"
    r"|\b(?:difference between|compare) (?:them|those|these|the two)\b"
    r"|\bwhich (?:one )?is (?:the )?\w+er\b(?!.* or )|\bof the two\b|\bboth of them\b"
    r"|^\W*(?:do|are|is|can|have) both\b",
    re.IGNORECASE,
)
_POLITE = frozenset(("the", "a", "an", "please", "bitte", "i", "mean", "meant", "yes"))
_REACH = 2  # a follow-up to a follow-up goes back to what both are about


class FullQuestion(NamedTuple):
    """A question and what it leans on, empty when it stands on its own."""

    question: str
    background: str

    def __str__(self) -> str:
        return f"{self.background} {self.question}".strip()


def full_question(
    question: str, earlier: Sequence[str], choices: Sequence[str] = ()
) -> FullQuestion:
    """The question with the turn before it, when it leans on it; else as it is.

    A question leans on the one before when it opens with a joining word, points
    back with a pronoun, is only a part of one ("in winter?"), or names what was asked
    back. The question it follows is then its background; nothing is reworded, so that one can
    see what was searched for. A correction ("no, I meant the crane") gives the question before
    with the thing put right; "which of those is cheaper?" goes back to two questions.

    Parameters
    ----------
    question : str
    earlier : sequence of str
        The questions asked before, as they were searched for, oldest first.
    choices : sequence of str
        What the last answer asked back.

    Examples
    --------
    >>> str(full_question("And in winter?", ["What does a yacht pay in summer?"]))
    'What does a yacht pay in summer? And in winter?'
    >>> str(full_question("Where is the fuel berth?", ["What does a yacht pay in summer?"]))
    'Where is the fuel berth?'
    >>> str(full_question("Fuel berth hours", ["What does a yacht pay in summer?"]))
    'Fuel berth hours'
    >>> str(full_question("No, I meant a motor boat.", ["What does a yacht pay in summer?"]))
    'What does a motor boat pay in summer?'
    >>> str(full_question("PB-D", ["How long is the bridge?"], choices=["PB-C", "PB-D"]))
    'How long is the bridge? PB-D'
    """
    question = question.strip()
    if earlier:
        right = corrected(question, earlier[-1], choices)
        if right:
            return FullQuestion(right, "")
        if len(earlier) > 1 and _COMPARES.search(question):
            return FullQuestion(question, _compared(earlier))
    if not earlier or not (leans(question) or _chooses(question, choices)):
        return FullQuestion(question, "")
    kept = re.split(r"(?<=[?!])\s+", earlier[-1].strip())[:_REACH]
    return FullQuestion(question, " ".join(kept))


def _compared(earlier: Sequence[str]) -> str:
    """The two things that "those two" are: both questions before, if one does not hold both."""
    last, before = earlier[-1], earlier[-2]
    if before in last or re.search(r"\b(?:and|or|than)\b", last):
        return last
    return f"{before} {last}"


def leans(question: str) -> bool:
    """Whether a question cannot be understood without the one before it."""
    found = [word.lower() for word in words(question)]
    return (
        bool(_OPENING.match(question))
        or bool(_ELLIPSIS.fullmatch(question))
        or bool(_POINTING.intersection(found) - (_OWN if _OWNER.search(question) else frozenset()))
        or (bool(_POINTING_HERE.search(question)) and not _brings_in(question))
    )


def _brings_in(question: str) -> bool:
    """Whether "it" is something that the question itself names before."""
    others = re.sub(r"\bit\b", "", question, flags=re.IGNORECASE)
    return bool(_OWNER.search(question)) and not _POINTING_HERE.search(others)


def _chooses(question: str, choices: Sequence[str]) -> bool:
    """Whether it says no more than one of the things that were asked back."""
    found = {word.lower() for word in words(question)} - _POLITE
    return bool(found) and any(
        found <= {word.lower() for word in words(choice)} for choice in choices
    )
