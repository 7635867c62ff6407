"""The words of the lexicon that ships, without any corpus."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np

from ...platform.storage import Array
from ...text import folded_words
from ..spherical import unit_rows, weighted_sums
from .lexicon_units import Units
from .table import SHIPPED, LexiconTable

_MOST_PIECES = 2  # nobody knows a word of more
_KEPT_WORDS = 20_000  # whose vectors are remembered


class ShippedWords:
    """Vectors of single words."""

    def __init__(self) -> None:
        self._table = LexiconTable.load(SHIPPED)
        self._units = Units(self._table.units)
        self._known: dict[str, Array | None] = {}

    def __contains__(self, word: str) -> bool:
        """Whether a word is known whole."""
        return self._table.units.find(word) >= 0

    def vectors(self, words: Sequence[str]) -> Array:
        """Unit vectors, float32, shape (words, dimensions); zeros for unknown words."""
        return unit_rows(self.sums(words))

    def sums(self, texts: Sequence[str]) -> Array:
        """For each text the sum of its words' vectors, float32, shape (texts, dimensions)."""
        counts = [Counter(folded_words(text)) for text in texts]
        return weighted_sums(counts, self._word, np.sqrt, self._table.dimensions)

    def _word(self, word: str) -> Array | None:
        if word not in self._known:
            units = self._units.of(word)
            whole = 0 < len(units) <= _MOST_PIECES
            found = self._table.vectors(np.array(units)).sum(axis=0) if whole else None
            if len(self._known) >= _KEPT_WORDS:
                return found
            self._known[word] = found
        return self._known[word]
