"""Which notes fit a question: by its words, weighed, and by words that are like them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from ..core import FoundNote, Note
from ..platform.storage import Array
from ..text import words

_LIKE = 0.6  # cosine from which a word counts as one that was asked
_LEAST = 0.45  # share of the question's weight that a note must have
_ONE_OF_MANY = 3  # words; of a shorter question all must be there

WordVectors = Callable[[Sequence[str]], Array]


def rank_notes(
    notes: Sequence[Note],
    weights: Mapping[str, float],
    asked: Mapping[str, Sequence[str]],
    terms_of: Callable[[str], Sequence[str]],
    vectors_of: WordVectors | None = None,
) -> list[FoundNote]:
    """The notes that fit a question, the best first; of equal ones the newer.

    Parameters
    ----------
    notes : sequence of Note
        Those that the caller may see, and that hold.
    weights : mapping of str to float
        Of the question's terms, as the search weighs them.
    asked : mapping of str to sequence of str
        The question's words, and their terms.
    terms_of : callable
        The terms of a text.
    vectors_of : callable, optional
        Unit vectors of words: then a word counts whose like a note has.

    Examples
    --------
    >>> one = Note("n1", "The crane is out of order", "ada", "2026-01-01", ("public",))
    >>> found = rank_notes([one], {"crane": 1.0}, {"crane": ["crane"]}, str.split)
    >>> found[0].note.id, found[0].score
    ('n1', 1.0)
    """
    of_word = {
        word: max((weights.get(term, 0.0) for term in terms), default=0.0)
        for word, terms in asked.items()
    }
    whole = sum(of_word.values())
    if not whole:
        return []
    found = []
    for note in notes:
        there = frozenset(terms_of(note.text))
        missing = [word for word in of_word if not there.intersection(asked[word])]
        likes = _likes(missing, note.text, vectors_of)
        held = sum(
            weight * (1.0 if word not in missing else likes.get(word, 0.0))
            for word, weight in of_word.items()
        )
        score = held / whole
        own = len(of_word) - len(missing)
        if score >= _LEAST and (own >= 1 or len(of_word) >= _ONE_OF_MANY):
            found.append(FoundNote(note, round(score, 4)))
    return sorted(found, key=lambda one: (-one.score, [-ord(letter) for letter in one.note.at]))


def _likes(missing: Sequence[str], text: str, vectors_of: WordVectors | None) -> dict[str, float]:
    """For words that a text lacks, how like its nearest word is, where that is like enough."""
    told = list(dict.fromkeys(word.casefold() for word in words(text)))
    if vectors_of is None or not missing or not told:
        return {}
    cosines = np.asarray(vectors_of(list(missing))) @ np.asarray(vectors_of(told)).T
    best = cosines.max(axis=1)
    return {
        word: float(cosine) for word, cosine in zip(missing, best, strict=True) if cosine >= _LIKE
    }
