"""The words of the lexicon that are nearest in meaning to a word."""

from __future__ import annotations

import numpy as np

from ...platform.storage import Array
from .lexicon import LexiconEmbedding

_LEAST = 0.62  # cosine from which a word may stand for another
_SHORTEST = 4  # letters


class WordNeighbours:
    """Finds, for a word, the words nearest in meaning.

    Parameters
    ----------
    embedding : LexiconEmbedding
    """

    def __init__(self, embedding: LexiconEmbedding) -> None:
        self._embedding = embedding
        self._words = [
            word
            for word in embedding.known_words()
            if word.isalpha() and word.islower() and len(word) >= _SHORTEST
        ]
        self._vectors: Array | None = None

    def __call__(self, word: str, count: int = 5) -> list[str]:
        """The nearest words, the nearest first; none that is too far."""
        if self._vectors is None:
            self._vectors = self._embedding.words(self._words)
        cosines = self._vectors @ self._embedding.words([word])[0]
        best = np.argsort(-cosines, kind="stable")[: count + 1]
        return [
            self._words[at] for at in best if cosines[at] >= _LEAST and self._words[at] != word
        ][:count]
