"""Whether a text speaks of a topic: by the topic's words, and words near to them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache

import numpy as np

from ..embedding.lexicon import ShippedWords
from ..text import Analyser, word_spans, words

_NEAR = 0.3  # cosine from which a word is taken to be of a topic
_KEPT_WORDS = 20_000  # looked up before; a bound on memory


def topic_finder(topic: str) -> Callable[[str], Iterator[tuple[int, int]]]:
    """What finds the words of a text that are of a topic.

    Parameters
    ----------
    topic : str
        Words with commas between them. A word is of the topic when it has the stem of
        one of them, or is near to it in the lexicon that ships (a cosine of 0.3). Where
        several words stand between two commas, a text must have all of them.

    Examples
    --------
    >>> text = "What does the pilot earn in a year?"
    >>> [text[a:b] for a, b in topic_finder("salary, wages")(text)]
    ['earn']
    """
    groups = [
        [word.casefold() for word in words(group)] for group in topic.split(",") if group.strip()
    ]

    def ranges(text: str) -> Iterator[tuple[int, int]]:
        spans = [(start, start + len(word)) for start, word in zip(*word_spans(text), strict=True)]
        found: set[tuple[int, int]] = set()
        for group in groups:
            of_words = [
                {span for span in spans if _near(text[slice(*span)].casefold(), word)}
                for word in group
            ]
            if all(of_words):
                found.update(*of_words)
        yield from sorted(found)

    return ranges


@lru_cache(maxsize=_KEPT_WORDS)
def _near(word: str, other: str) -> bool:
    analyser, lexicon = _look_up()
    stems, others = analyser.terms(word), analyser.terms(other)
    if not stems:
        return False  # it carries nothing: of, the
    if not set(stems).isdisjoint(others):
        return True
    one, two = lexicon.vectors([word, other])
    return float(np.dot(one, two)) >= _NEAR


@lru_cache(maxsize=1)
def _look_up() -> tuple[Analyser, ShippedWords]:
    return Analyser("en"), ShippedWords()
