"""Short forms that a text explains: "vessel traffic service (VTS)".

References
----------
Schwartz, Hearst (2003), A simple algorithm for identifying abbreviation
definitions in biomedical text.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

_BRACKETS = re.compile(r"\(([^()\n]{2,80})\)")
_SHORT = re.compile(r"[^\W_][\w.&/-]{1,9}")
_WORDS_BEFORE = re.compile(r"[^\s()]+(?:[ \n][^\s()]+)*$")
_END_OF_SENTENCE = re.compile(r"[.;:!?]\s+")
_PARTS = re.compile(r"[\s/-]+")
_LITTLE = frozenset(
    """a an and at by for from in of on or the to with und der die das von für de la le les du des
    et""".split()
)
_MOST_BEFORE = 120  # characters


def explained_abbreviations(text: str) -> list[tuple[str, str]]:
    """The short forms of a text with the long forms it gives for them, each pair once.

    Both orders are known: the long form before the short one in brackets, and the
    short one before the long one in brackets.

    Examples
    --------
    >>> explained_abbreviations("Call the vessel traffic service (VTS) or the VHF (radio).")
    [('VTS', 'vessel traffic service')]
    >>> explained_abbreviations("Tides at Mersey Inlets, Mary Tyler (MIT)")
    []
    >>> explained_abbreviations("The SHT (Saltgarth Harbour Trust) owns the quay.")
    [('SHT', 'Saltgarth Harbour Trust')]
    """
    found: dict[tuple[str, str], None] = {}
    for match in _BRACKETS.finditer(text):
        inside = match[1].strip()
        before = text[max(0, match.start() - _MOST_BEFORE) : match.start()].rstrip()
        before = _END_OF_SENTENCE.split(before)[-1]
        words = _WORDS_BEFORE.search(before)
        if words is None:
            continue
        if _is_short(inside):
            run = words[0].split()[-min(len(inside) + 5, 2 * len(inside)) :]
            long = _long_form(inside, " ".join(run))
            if long:
                found[inside, long] = None
        else:
            last = words[0].split()[-1]
            if _is_short(last) and _long_form(last, inside) == inside:
                found[last, inside] = None
    return list(found)


def _is_short(text: str) -> bool:
    return (
        bool(_SHORT.fullmatch(text))
        and sum(character.isupper() for character in text) >= 2
        and text[0].isalnum()
    )


def _long_form(short: str, before: str) -> str:
    """The shortest end of ``before`` whose letters hold the short form's, in order; or nothing."""
    at = len(before) - 1
    letters = [character.casefold() for character in short if character.isalnum()]
    for number in range(len(letters) - 1, -1, -1):
        first = number == 0
        while at >= 0 and (
            before[at].casefold() != letters[number]
            or (first and at > 0 and before[at - 1].isalnum())
        ):
            at -= 1
        if at < 0:
            return ""
        at -= 1
    long = before[at + 1 :].strip(" \n,;:'\"“”")
    words = long.split()
    if len(words) < 2 or len(words) > len(short) + 5 or short in words:
        return ""
    return " ".join(words) if _stands_for(letters, long) else ""


def _stands_for(letters: Sequence[str], long: str) -> bool:
    """Whether each word of a long form gives the short one a letter, its first, in order.

    "Tides and moorings, Mary Tyler (MIT)" is a title, its author and where she works.
    """
    if "," in long:
        return False
    at = 0
    for word in _PARTS.split(long.casefold()):
        if not word or word in _LITTLE:
            continue
        while at < len(letters) and letters[at] != word[0]:
            at += 1
        if at == len(letters):
            return False
        at += 1
    return True
