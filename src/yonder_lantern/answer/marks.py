"""The marks of citation that models write, and the sentences with which they refuse."""

from __future__ import annotations

import re

from .prompt_templates import NOT_IN_DOCUMENTS

_NUMBERS = r"\^?\d{1,3}(?:\s*[,;–-]\s*\^?\d{1,3})*"
_BRACKETS = rf"\[{_NUMBERS}\]|【\d[^】\n]{{0,80}}】"
MARKS = re.compile(rf"(?<!\s)\s*(?:{_BRACKETS})")
# Round brackets hold much else: they count only at the end of a sentence.
_ROUND = re.compile(rf"(?<!\s)\s*\(({_NUMBERS})\)(?=[\s.!?:;,]*$)")
_SPAN = re.compile(r"(\d{1,3})(?:\s*[–-]\s*\^?(\d{1,3}))?")
_WIDEST = 20  # numbers that a range may stand for
ENDED = re.compile(rf"(?<=[.!?])(?:\s*(?:{_BRACKETS}|\({_NUMBERS}\)))*\s+(?=\S)|\n")
PAPERS = r"(?:documents?|passages?|context|texts?|information|sources?|excerpts?|extracts?)"
_REFUSAL = re.compile(
    rf"{re.escape(NOT_IN_DOCUMENTS)}"
    rf"|\b{PAPERS}(?: (?:provided|given|above|supplied|available))?,? (?:do(?:es)?|did) not"
    r" (?:\w+ly )?(?:answer|contain|say|mention|provide|include|specify|state|give|have|address|"
    r"cover|tell|discuss|indicate|explain|describe|refer)"
    rf"|\b{PAPERS}(?: \w+)? (?:don't|doesn't|didn't) (?:\w+ly )?(?:answer|contain|say|mention|"
    r"provide|include|specify|state|give|have|address|cover|tell|discuss|indicate|explain|refer)"
    r"|\b(?:there is|there's|i have|i found|i see|contains?) no (?:information|mention|answer|"
    r"details?|reference|indication)\b"
    r"|\bi (?:do not|don't|cannot|can't|can not|could not|couldn't|am (?:not able|unable) to)"
    r" (?:know|find|answer|determine|say|tell|provide|see|locate)\b"
    rf"|\b(?:is|are|was|were) not (?:\w+ly )?(?:mentioned|stated|specified|provided|given|covered|"
    rf"found|answered|described|included|addressed|contained)(?: \w+)? (?:in|by) (?:the|these|"
    rf"those|any)(?: \w+)? {PAPERS}"
    r"|\b(?:steht|stehen) nicht in den (?:dokumenten|unterlagen|texten)"
    r"|\bkeine (?:information|angabe)(?:en)?\b"
    r"|\bne (?:figure|se trouve) pas dans les (?:documents|textes)",
    re.IGNORECASE,
)
_BUT = re.compile(r"\b(?:but|however|though|although|aber|mais)\b", re.IGNORECASE)


def cited_in(sentence: str, passages: int) -> tuple[tuple[int, ...], str]:
    """The numbers that a sentence cites, and the sentence without their marks.

    Parameters
    ----------
    sentence : str
    passages : int
        How many there are to be cited: other numbers in round brackets are no marks.

    Examples
    --------
    >>> cited_in("The quay closes at 22:00 [1-2][^4].", 5)
    ((1, 2, 4), 'The quay closes at 22:00.')
    >>> cited_in("It is shut【3†tariff】.", 5), cited_in("It has a crane (2).", 5)
    (((3,), 'It is shut.'), ((2,), 'It has a crane.'))
    >>> cited_in("It was built by three men (1912).", 5)
    ((), 'It was built by three men (1912).')
    """
    found: list[int] = []
    for mark in MARKS.finditer(sentence):
        found += _numbers(mark.group().partition("†")[0])
    bare = MARKS.sub("", sentence)
    round_mark = None if found else _ROUND.search(bare)
    if round_mark is not None:
        numbers = _numbers(round_mark[1])
        if numbers and all(1 <= number <= passages for number in numbers):
            found += numbers
            bare = bare[: round_mark.start()] + bare[round_mark.end() :]
    return tuple(dict.fromkeys(found)), bare


def _numbers(mark: str) -> list[int]:
    found: list[int] = []
    for first, last in _SPAN.findall(mark):
        end = int(last or first)
        found += range(int(first), min(end, int(first) + _WIDEST) + 1)
    return found


def is_refusal(sentence: str) -> bool:
    """Whether a sentence says that the documents do not answer, and nothing else.

    Examples
    --------
    >>> is_refusal("Not in the documents."), is_refusal("The passages don't mention a fee.")
    (True, True)
    >>> is_refusal("The quay closes at 22:00 [1].")
    False
    """
    return bool(_REFUSAL.search(sentence)) and not (_BUT.search(sentence) or MARKS.search(sentence))
