"""What of a text tells its style, whatever it is about."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...text import STOP_WORDS, sentences

_FUNCTION_WORDS = frozenset().union(*STOP_WORDS.values())
_TOKEN = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*|\d[\d.,:]*|[.,;:!?()\"“”—–-]")
_ENDINGS = ("ing", "ed", "ly", "tion", "ment", "ness", "ity", "able", "ous", "ive", "s")
_OF_LENGTH = 2  # letters that make a class of words
_LONGEST_WORD = 9
_OF_SENTENCE = 6  # words that make a class of sentences
_LONGEST_SENTENCE = 48


def style_marks(text: str) -> Iterator[str]:
    """Function words and stops as they are, other words by length and ending, sentences by length.

    Parameters
    ----------
    text : str

    Yields
    ------
    str
        In the order of the text; after a sentence the class of its length.

    References
    ----------
    Mosteller, Wallace (1964), Inference and disputed authorship: function words tell an author,
    whatever the matter.

    Examples
    --------
    >>> list(style_marks("We are lifting boats, aren't we?"))
    ['we', 'are', '-ing', '-s', ',', "aren't", 'we', '?', '|1']
    """
    for start, end in sentences(text, 0, len(text)):
        counted = 0
        for token in _TOKEN.findall(text[start:end]):
            word = token.casefold().replace("’", "'")
            counted += word[0].isalpha()
            if word in _FUNCTION_WORDS or not word[0].isalnum():
                yield word
            elif word[0].isdigit():
                yield "#"
            else:
                yield _class_of(word)
        yield f"|{min(counted, _LONGEST_SENTENCE) // _OF_SENTENCE}"


def _class_of(word: str) -> str:
    ending = next((one for one in _ENDINGS if word.endswith(one)), "")
    return f"-{ending}" if ending else f"~{min(len(word), _LONGEST_WORD) // _OF_LENGTH}"
