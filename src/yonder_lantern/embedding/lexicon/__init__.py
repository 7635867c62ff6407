"""Vectors by a lexicon: of words, fitted once to what a pretrained encoder says of texts.

In: texts. Out: unit vectors, each the weighted sum of the vectors of a text's
words. The lexicon lies in ``data``; ``training/`` in the repository makes it.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use
from .lexicon import LexiconEmbedding, LexiconMethod
from .lexicon_units import INNER, Units
from .shipped import ShippedWords
from .table import SHIPPED, LexiconTable, is_table

if TYPE_CHECKING:
    from .word_neighbours import WordNeighbours

__all__ = [
    "INNER",
    "SHIPPED",
    "LexiconEmbedding",
    "LexiconMethod",
    "LexiconTable",
    "ShippedWords",
    "Units",
    "WordNeighbours",
    "is_table",
]
__getattr__ = on_first_use(
    __name__,
    {
        "word_neighbours": ["WordNeighbours"],
    },
)
