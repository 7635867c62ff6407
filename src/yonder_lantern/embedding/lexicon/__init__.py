"""Vectors by a lexicon: of words, fitted once to what a pretrained encoder says of texts.

In: texts. Out: unit vectors, each the weighted sum of the vectors of a text's
words. The lexicon lies in ``data``; ``training/`` in the repository makes it.
"""

from .lexicon import LexiconEmbedding, LexiconMethod
from .lexicon_units import INNER, Units, folded_words
from .shipped import ShippedWords
from .table import SHIPPED, LexiconTable, is_table

__all__ = [
    "INNER",
    "SHIPPED",
    "LexiconEmbedding",
    "LexiconMethod",
    "LexiconTable",
    "ShippedWords",
    "Units",
    "folded_words",
    "is_table",
]
