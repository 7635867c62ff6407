"""How like a question's words are to those of a text, word by word."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Protocol

import numpy as np

from ..embedding import Embedding
from ..platform.storage import Array
from ..text import words

_FROM, _TO = 0.15, 0.65  # cosines at which a word begins to be another's like, and is it fully


class _HasWords(Protocol):
    def words(self, words: Sequence[str]) -> Array: ...


class Likes:
    """Compares the words of a question with those of texts.

    Parameters
    ----------
    embedding : an embedding with vectors of words
    asked : sequence of str
        The question's words.
    """

    def __init__(self, embedding: _HasWords, asked: Sequence[str]) -> None:
        self._embedding = embedding
        self._asked = embedding.words(asked)
        self._known: dict[str, int] = {}
        self._leads: dict[str, Array] = {}
        self._likes = np.zeros((0, len(asked)), dtype=np.float32)

    @classmethod
    def of_words(cls, embedding: Embedding | None, asked: Sequence[str]) -> Likes | None:
        """For an embedding that has vectors of words; else None."""
        words_of = getattr(embedding, "words", None)
        return cls(embedding, asked) if words_of is not None and asked else None  # type: ignore[arg-type]

    def learn(self, texts: Iterable[str]) -> None:
        """Look up the words of many texts at once."""
        found = dict.fromkeys(word.casefold() for text in texts for word in words(text))
        new = [word for word in found if word not in self._known]
        if new:
            cosines = self._embedding.words(new) @ self._asked.T
            likes = np.clip((cosines - _FROM) / (_TO - _FROM), 0, 1)
            self._known.update({word: len(self._likes) + at for at, word in enumerate(new)})
            self._likes = np.concatenate([self._likes, likes])

    def of_header(self, context_header: str) -> Array:
        """The same for what many texts stand under; remembered."""
        if context_header not in self._leads:
            self._leads[context_header] = self.of(context_header)
        return self._leads[context_header]

    def of(self, text: str) -> Array:
        """For each word of the question how like it is to its nearest in a text, 0 to 1."""
        found = list(dict.fromkeys(word.casefold() for word in words(text)))
        if any(word not in self._known for word in found):
            self.learn((text,))
        if not found:
            return np.zeros(len(self._asked), dtype=np.float32)
        return np.asarray(self._likes[[self._known[word] for word in found]].max(axis=0))
