"""Tokens: words and punctuation marks, counted the same way everywhere."""

from __future__ import annotations

import re
from array import array
from collections.abc import Sequence
from dataclasses import dataclass

# A word may hold marks between its letters or figures: 12.50, VHF-14, o'clock, a/b, x_y, 06:30.
WORD = r"[^\W_]+(?:[.,:'’\-‑/&_+@][^\W_]+)*"
_WORD = re.compile(WORD)
_START = re.Match.start
_TOKEN = re.compile(WORD + r"|([^\w\s])\1*|_+")  # a ruled line is one mark, not eighty


@dataclass(frozen=True, slots=True)
class Tokenized:
    """The tokens of a text, found once for all that is made of them.

    Attributes
    ----------
    text : str
    starts : list of int
        Where each token begins, as code-point offsets.
    word_starts : list of int
        Where each word begins.
    words : list of str
        As written.
    """

    text: str
    starts: list[int]
    word_starts: list[int]
    words: list[str]


def tokenize(text: str) -> Tokenized:
    """The tokens of a text and which of them are words.

    Examples
    --------
    >>> found = tokenize("Pay 12.50, please.")
    >>> found.starts, found.word_starts, found.words
    ([0, 4, 9, 11, 17], [0, 4, 11], ['Pay', '12.50', 'please'])
    """
    starts: list[int] = []
    word_starts: list[int] = []
    words: list[str] = []
    for match in _TOKEN.finditer(text):
        start = match.start()
        starts.append(start)
        if match.lastindex is None:
            token = match[0]
            if token[0] != "_":
                word_starts.append(start)
                words.append(token)
    return Tokenized(text, starts, word_starts, words)


def compact_token_starts(text: str) -> Sequence[int]:
    """Where each token begins, four bytes a token: for long texts.

    Examples
    --------
    >>> list(compact_token_starts("Pay 12.50, please."))
    [0, 4, 9, 11, 17]
    """
    return array("i", map(_START, _TOKEN.finditer(text)))


def token_starts(text: str) -> list[int]:
    """Where each token of a text begins, as code-point offsets.

    Examples
    --------
    >>> token_starts("Pay 12.50, please.")
    [0, 4, 9, 11, 17]
    """
    return list(map(_START, _TOKEN.finditer(text)))


def count_tokens(text: str) -> int:
    """How many words and punctuation marks a text has; a mark repeated counts once.

    Examples
    --------
    >>> count_tokens("Pay 12.50, please..."), count_tokens("|---|---|")
    (5, 5)
    """
    return len(token_starts(text))


def words(text: str) -> list[str]:
    """The words of a text, as written.

    Examples
    --------
    >>> words("Crane CR-02 lifts 1.2 t.")
    ['Crane', 'CR-02', 'lifts', '1.2', 't']
    """
    return _WORD.findall(text)


def word_spans(text: str) -> tuple[list[int], list[str]]:
    """The offsets at which the words of a text begin, and the words.

    Examples
    --------
    >>> word_spans("Crane CR-02")
    ([0, 6], ['Crane', 'CR-02'])
    """
    # Two passes in C take less time than one that makes an object of every word.
    return list(map(_START, _WORD.finditer(text))), _WORD.findall(text)
