"""Words, stems, languages and sentences: one meaning of "token" everywhere.

In: strings. Out: tokens, terms, sentences as ranges, a language. This package
knows of no document, no index and no setting.
"""

from .abbreviations import explained_abbreviations
from .cells import cell_words, cells_of
from .dates import written_dates
from .decoding import decode
from .folding_words import folded_by_word, folded_words
from .identifiers import identifiers
from .key_terms import key_terms
from .languages import UNKNOWN, detect_language
from .opposites import OPPOSITES
from .sentences import sentences
from .stopwords import STOP_WORDS
from .terms import Analyser
from .tokens import (
    Tokenized,
    compact_token_starts,
    count_tokens,
    token_starts,
    tokenize,
    word_spans,
    words,
)
from .visible_characters import CONTROLS, one_line, visible

__all__ = [
    "CONTROLS",
    "OPPOSITES",
    "STOP_WORDS",
    "UNKNOWN",
    "Analyser",
    "Tokenized",
    "cell_words",
    "cells_of",
    "compact_token_starts",
    "count_tokens",
    "decode",
    "detect_language",
    "explained_abbreviations",
    "folded_by_word",
    "folded_words",
    "identifiers",
    "key_terms",
    "one_line",
    "sentences",
    "token_starts",
    "tokenize",
    "visible",
    "word_spans",
    "words",
    "written_dates",
]
