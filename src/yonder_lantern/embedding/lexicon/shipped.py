"""The words of the lexicon that ships, without any corpus."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...storage import Array
from ..spherical import unit_rows
from .table import SHIPPED, LexiconTable
from .units import Units, folded_words

_MOST_PIECES = 2  # nobody knows a word of more


class ShippedWords:
    """Vectors of single words."""

    def __init__(self) -> None:
        self._table = LexiconTable.load(SHIPPED)
        self._units = Units(self._table.units)

    def vectors(self, words: Sequence[str]) -> Array:
        """Unit vectors, float32, shape (words, dimensions); zeros for unknown words."""
        found = np.zeros((len(words), self._table.dimensions), dtype=np.float32)
        for at, text in enumerate(words):
            for word in folded_words(text):
                units = self._units.of(word)
                if 0 < len(units) <= _MOST_PIECES:
                    found[at] += self._table.vectors(np.array(units)).sum(axis=0)
        return np.asarray(unit_rows(found))
