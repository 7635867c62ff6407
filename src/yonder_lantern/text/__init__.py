"""Words, stems, languages and sentences: one meaning of "token" everywhere.

In: strings. Out: tokens, terms, sentences as ranges, a language. This package
knows of no document, no index and no setting.
"""

from .abbreviations import explained_abbreviations
from .cells import cell_words
from .dates import written_dates
from .decoding import decode
from .key_terms import key_terms
from .languages import UNKNOWN, detect_language
from .sentences import sentences
from .terms import Analyser
from .tokens import count_tokens, token_starts, word_spans, words
from .visible_characters import CONTROLS, one_line, visible

__all__ = [
    "CONTROLS",
    "UNKNOWN",
    "Analyser",
    "cell_words",
    "count_tokens",
    "decode",
    "detect_language",
    "explained_abbreviations",
    "key_terms",
    "one_line",
    "sentences",
    "token_starts",
    "visible",
    "word_spans",
    "words",
    "written_dates",
]
