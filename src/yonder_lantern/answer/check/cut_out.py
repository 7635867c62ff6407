"""Whether a statement is a whole sentence of its evidence, or what was cut out of one.

A stretch of a sentence is not what the sentence says: "dogs come ashore" stands in "No dogs come
ashore", in "It is false that dogs come ashore" and in "dogs come ashore if the warden agrees".
"""

from __future__ import annotations

import re

from ...text import sentences, words
from .contrasts import NEGATORS

_CELL = re.compile(r"[|\n]|;\s")  # what parts a text besides the ends of its sentences
_DENYING = NEGATORS | frozenset(
    """false untrue wrong incorrect mistaken myth rumour doubtful doubts denies denied deny
    falsch unwahr irrtum faux fausse erroné""".split()
)
_REPORTING = frozenset(
    """claim claims claimed allege alleges alleged suggested rumoured supposedly allegedly
    behauptet angeblich prétend prétendument""".split()
)
_LIMITING = frozenset(
    """if unless except only until provided wenn falls außer nur bis sofern si sauf seulement
    jusqu""".split()
)
_BOUNDS = re.compile(
    r"\b(?:at (?:most|least)|up to|(?:no|not) (?:more|less|fewer) than|(?:more|less|fewer) than"
    r"|over|under|höchstens|mindestens|bis zu|au (?:plus|moins)|jusqu.à)\W*$",
    re.IGNORECASE,
)


def stands_whole(statement: str, text: str) -> bool:
    """Whether a statement is, word for word, a sentence, a cell, a line or all of a text.

    Examples
    --------
    >>> stands_whole("The quay is shut.", "The quay is shut. Ring the bell.")
    True
    >>> stands_whole("5 boats may lie here.", "At most 25 boats may lie here.")
    False
    """
    said = _words(statement)
    if not said:
        return False
    return said == _words(text) or any(said == _words(one) for one in _parts(text))


def left_out(statement: str, text: str) -> str:
    """The word beside a statement, in the sentence it was cut out of, that changes what it says.

    Empty where it was cut out of none, or nothing was left out that matters.

    Examples
    --------
    >>> left_out("Dogs come ashore.", "It is false that dogs come ashore.")
    'false'
    >>> left_out("Dogs come ashore.", "Dogs come ashore with their owners.")
    ''
    """
    said = _words(statement)
    found = ""
    for sentence in _parts(text) if said else ():
        there = _words(sentence)
        for at in range(len(there) - len(said) + 1):
            if there[at : at + len(said)] != said:
                continue
            before, after = there[:at], there[at + len(said) :]
            if not (changing := _changing(before, after)):
                return ""  # said in another place without it
            found = found or changing
    return found


def _changing(before: list[str], after: list[str]) -> str:
    if bound := _BOUNDS.search(" ".join(before)):
        return bound.group().strip()
    for word in before:
        if word in _DENYING or word in _REPORTING or word in _LIMITING:
            return word
    return next((word for word in after if word in _LIMITING), "")


def _parts(text: str) -> list[str]:
    return [text[start:end] for cell in _cells(text) for start, end in sentences(text, *cell)]


def _cells(text: str) -> list[tuple[int, int]]:
    starts = [0, *(match.end() for match in _CELL.finditer(text))]
    ends = [*(match.start() for match in _CELL.finditer(text)), len(text)]
    return [(start, end) for start, end in zip(starts, ends, strict=True) if start < end]


def _words(text: str) -> list[str]:
    return [word.casefold().replace("’", "'") for word in words(text)]
