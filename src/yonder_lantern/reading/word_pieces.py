"""Text → word pieces: the words and signs of a text, cut into the longest pieces that are known.

References
----------
Wu et al. (2016), Google's neural machine translation system, for pieces of words. Devlin, Chang,
Lee, Toutanova (2019), BERT: pre-training of deep bidirectional transformers, for how a text is
made plain before: lower case, no accents, every mark and every Chinese character by itself.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Sequence

_UNKNOWN, _START, _END = "[UNK]", "[CLS]", "[SEP]"
_INNER = "##"  # before a piece that does not begin a word
_LONGEST = 100  # characters of a word; a longer one is unknown
_KEPT_WORDS = 50_000  # whose pieces are remembered
_PLAIN = re.compile(r"[a-z0-9]+|[!-/:-@\[-`{-~]")
_DROPPED = dict.fromkeys((*range(9), 11, 12, *range(14, 32), 127))
_CHINESE = re.compile(
    "([\u4e00-\u9fff\u3400-\u4dbf\U00020000-\U0002a6df\U0002a700-\U0002b73f"
    "\U0002b740-\U0002b81f\U0002b820-\U0002ceaf\uf900-\ufaff\U0002f800-\U0002fa1f])"
)


class WordPieces:
    """The pieces a model knows.

    Parameters
    ----------
    pieces : sequence of str
        In the order of their numbers; those within a word begin with ``##``.

    Examples
    --------
    >>> known = WordPieces(["[PAD]", "[UNK]", "[CLS]", "[SEP]", "quay", "##s", "?"])
    >>> known.numbers("Quays?")
    [2, 4, 5, 6, 3]
    """

    def __init__(self, pieces: Sequence[str]) -> None:
        self._number = {piece: number for number, piece in enumerate(pieces)}
        self._unknown = self._number[_UNKNOWN]
        self.start, self.end = self._number[_START], self._number[_END]
        self._longest = max(map(len, pieces))
        self._words: dict[str, tuple[int, ...]] = {}

    def numbers(self, text: str) -> list[int]:
        """The numbers of a text's pieces, with the signs for start and end around them."""
        found = [self.start]
        for word in plain_words(text):
            found.extend(self._word(word))
        found.append(self.end)
        return found

    def _word(self, word: str) -> tuple[int, ...]:
        known = self._words.get(word)
        if known is None:
            known = self._cut(word)
            if len(self._words) < _KEPT_WORDS:
                self._words[word] = known
        return known

    def _cut(self, word: str) -> tuple[int, ...]:
        """Greedily, the longest piece first; a word that cannot be cut so is unknown."""
        if len(word) > _LONGEST:
            return (self._unknown,)
        found = []
        at = 0
        while at < len(word):
            begin = _INNER if at else ""
            for end in range(min(len(word), at + self._longest), at, -1):
                number = self._number.get(begin + word[at:end])
                if number is not None:
                    found.append(number)
                    at = end
                    break
            else:
                return (self._unknown,)
        return tuple(found)


def plain_words(text: str) -> Iterator[str]:
    """The words and marks of a text, in lower case and without accents.

    Examples
    --------
    >>> list(plain_words("Köln's quay-side"))
    ['koln', "'", 's', 'quay', '-', 'side']
    """
    if text.isascii():
        yield from _PLAIN.findall(text.translate(_DROPPED).lower())
        return
    cleaned = "".join(_clean(character) for character in text)
    cleaned = _CHINESE.sub(r" \1 ", cleaned)
    bare = "".join(
        character
        for character in unicodedata.normalize("NFD", cleaned)
        if unicodedata.category(character) != "Mn"
    )
    lowered = "".join(character.lower() for character in bare)  # each by itself: no final sigma
    for word in lowered.split():
        yield from _between_marks(word)


def _clean(character: str) -> str:
    """The character; a space for any white one, nothing for one that is not seen."""
    if character in "\t\n\r":
        return " "
    if character == "\ufffd" or unicodedata.category(character) in ("Cc", "Cf", "Co", "Cs"):
        return ""
    return " " if character.isspace() else character


def _between_marks(word: str) -> Iterator[str]:
    start = 0
    for at, character in enumerate(word):
        if _is_mark(character):
            if at > start:
                yield word[start:at]
            yield character
            start = at + 1
    if start < len(word):
        yield word[start:]


def _is_mark(character: str) -> bool:
    if character.isascii():
        return not character.isalnum()
    return unicodedata.category(character).startswith("P")
