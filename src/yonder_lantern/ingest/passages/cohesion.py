"""Where in a text one subject gives way to another.

References
----------
Hearst (1997), TextTiling: segmenting text into multi-paragraph subtopic passages.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np

from ...platform.storage import Array
from ...text import Analyser

_CONTEXT_SIZE = 3  # sentences on either side of a gap that are compared

SentenceVectors = Callable[[Sequence[str]], Array]  # sums that can be added: (texts, dimensions)


@lru_cache(maxsize=16)
def _analyser(language: str) -> Analyser:
    return Analyser(language)


def gap_depths(
    texts: Sequence[str], language: str, vectors: SentenceVectors | None = None
) -> list[float]:
    """How far the sentences on both sides of each gap part, 0 to 2, or 4 with vectors.

    The words of up to three sentences before a gap and after it are compared by
    the cosine of their counts, to which that of their vectors is added if there are
    any; a gap's depth is how far its likeness lies below the peaks to its left and right.

    Parameters
    ----------
    texts : sequence of str
        Sentences, in order.
    language : str
        ISO 639-1 code.
    vectors : callable, optional
        The vectors of sentences.

    Returns
    -------
    list of float
        One for each gap, the first of which is between the first two sentences.

    Examples
    --------
    >>> boats = ["The boat needs paint.", "Paint the boat in May.", "A boat is work."]
    >>> tea = ["Tea wants hot water.", "Pour water over tea.", "Drink tea hot."]
    >>> depths = gap_depths(boats + tea, "en")
    >>> depths.index(max(depths))
    2
    """
    analyser = _analyser(language)
    counts = [Counter(analyser.terms(text)) for text in texts]
    alike = []
    for gap in range(1, len(counts)):
        before = sum(counts[max(0, gap - _CONTEXT_SIZE) : gap], Counter())
        after = sum(counts[gap : gap + _CONTEXT_SIZE], Counter())
        alike.append(_cosine(before, after))
    if vectors is not None:
        alike = [
            likeness + more for likeness, more in zip(alike, _near(vectors(texts)), strict=True)
        ]
    return [
        _peak(alike, gap, -1) + _peak(alike, gap, 1) - 2 * likeness
        for gap, likeness in enumerate(alike)
    ]


def _peak(alike: Sequence[float], gap: int, step: int) -> float:
    """The likeness of the nearest gap on one side beyond which it falls again."""
    best = alike[gap]
    at = gap + step
    while 0 <= at < len(alike) and alike[at] >= best:
        best = alike[at]
        at += step
    return best


def _near(vectors: Array) -> list[float]:
    """The cosine of the vectors before and after each gap."""
    sums = np.concatenate([np.zeros((1, vectors.shape[1])), np.cumsum(vectors, axis=0)])
    gaps = np.arange(1, len(vectors))
    before = sums[gaps] - sums[np.maximum(gaps - _CONTEXT_SIZE, 0)]
    after = sums[np.minimum(gaps + _CONTEXT_SIZE, len(vectors))] - sums[gaps]
    lengths = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    found: list[float] = ((before * after).sum(axis=1) / np.maximum(lengths, 1e-12)).tolist()
    return found


def _cosine(one: Counter[str], other: Counter[str]) -> float:
    together = sum(count * other[term] for term, count in one.items())
    lengths = math.sqrt(
        sum(count * count for count in one.values())
        * sum(count * count for count in other.values())
    )
    return together / lengths if lengths else 0.0
