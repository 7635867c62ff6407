"""Which notes fit a question: by its words, weighed, and by words that are like them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import lru_cache

import numpy as np

from ..core import FoundNote, Note
from ..platform.storage import Array
from ..text import words

_LIKE = 0.6  # cosine from which a word counts as one that was asked
_LEAST = 0.45  # share of the question's weight that a note must have
_ONE_OF_MANY = 3  # words; of a shorter question all must be there

_READ = 20_000  # notes whose words are remembered

WordVectors = Callable[[Sequence[str]], Array]


def rank_notes(
    notes: Sequence[Note],
    weights: Mapping[str, float],
    asked: Mapping[str, Sequence[str]],
    terms_of: Callable[[str], Iterable[str]],
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
    near = _near(list(of_word), [note.text for note in notes], vectors_of)
    found = []
    for note in notes:
        there, told = frozenset(terms_of(note.text)), _folded(note.text)
        held, own = 0.0, 0
        for word, weight in of_word.items():
            if not there.isdisjoint(asked[word]):
                held, own = held + weight, own + 1
            elif word in near:
                like = max((near[word][one] for one in near[word].keys() & told), default=0.0)
                held += weight * like
        score = held / whole
        if score >= _LEAST and (own >= 1 or len(of_word) >= _ONE_OF_MANY):
            found.append(FoundNote(note, round(score, 4)))
    return sorted(found, key=lambda one: (-one.score, [-ord(letter) for letter in one.note.at]))


def _near(
    asked: Sequence[str], texts: Sequence[str], vectors_of: WordVectors | None
) -> dict[str, dict[str, float]]:
    """For each word that is asked, the words of some texts that are like it, and how like."""
    told = list(dict.fromkeys(word for text in texts for word in sorted(_folded(text))))
    if vectors_of is None or not told:
        return {}
    cosines = np.asarray(vectors_of(asked)) @ np.asarray(vectors_of(told)).T
    found: dict[str, dict[str, float]] = {}
    for row, column in zip(*np.nonzero(cosines >= _LIKE), strict=True):
        found.setdefault(asked[row], {})[told[column]] = float(cosines[row, column])
    return found


@lru_cache(maxsize=_READ)
def _folded(text: str) -> frozenset[str]:
    return frozenset(word.casefold() for word in words(text))
