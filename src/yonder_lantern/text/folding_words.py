"""Words in lower case and without accents: how they are compared by meaning."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

from .tokens import Tokenized

_WORD = re.compile(r"[^\W_]+")
_MARKS = re.compile(r"[\u0300-\u036f]")  # accents, once they stand by themselves
_KEPT = 200_000  # words whose folded form is remembered; a bound on memory


def folded_words(text: str) -> list[str]:
    """The words of a text, in lower case and without accents.

    Examples
    --------
    >>> folded_words("Où est l'écluse CR-02?")
    ['ou', 'est', 'l', 'ecluse', 'cr', '02']
    """
    folded = text.lower()
    if not folded.isascii():
        folded = _MARKS.sub("", unicodedata.normalize("NFKD", folded))
    return _WORD.findall(folded)


def folded_by_word(tokens: Tokenized) -> list[tuple[str, ...]] | None:
    """The folded words of each word of a text.

    None where the text cannot be folded word by word: it holds a mark that becomes letters, or
    that joins what it stands between.

    Examples
    --------
    >>> from yonder_lantern.text import tokenize
    >>> folded_by_word(tokenize("L'écluse CR-02"))
    [('l', 'ecluse'), ('cr', '02')]
    """
    if not tokens.text.isascii() and not all(map(_stands_alone, set(tokens.text))):
        return None
    return list(map(_folded, tokens.words))


@lru_cache(maxsize=_KEPT)
def _folded(word: str) -> tuple[str, ...]:
    return tuple(folded_words(word))


@lru_cache(maxsize=_KEPT)
def _stands_alone(character: str) -> bool:
    """Whether folding a character does not depend on, or reach, what is beside it."""
    if character == "Σ":  # its lower case is another at the end of a word
        return False
    if character.isalnum() or character.isascii():
        return True
    return (
        unicodedata.normalize("NFKD", character.lower()) == character
        and _MARKS.match(character) is None
    )
