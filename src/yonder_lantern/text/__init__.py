"""Words, stems, languages and sentences: one meaning of "token" everywhere.

In: strings. Out: tokens, terms, sentences as ranges, a language. This package
knows of no document, no index and no setting.
"""

from .cells import cell_words
from .decoding import decode
from .languages import UNKNOWN, detect_language
from .sentences import sentences
from .terms import Analyser
from .tokens import count_tokens, token_starts, words

__all__ = [
    "UNKNOWN",
    "Analyser",
    "cell_words",
    "count_tokens",
    "decode",
    "detect_language",
    "sentences",
    "token_starts",
    "words",
]
