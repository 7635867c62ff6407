"""Passages that hold a phrase word for word."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..index import IndexReader
from ..platform.storage import Array
from ..text import words
from .lexical import LexicalScores
from .parse import analyser_for

_MOST_READ = 500


def passages_with_phrase(
    phrase: str, snapshot: IndexReader, lexical: LexicalScores, language: str
) -> Array:
    """The passages in which the words of a phrase stand one after another.

    Case and marks do not matter. Of those that hold all its terms, the 500 that
    score best are read.

    Parameters
    ----------
    phrase : str
    snapshot : IndexReader
    lexical : LexicalScores
        Of a question that holds the phrase.
    language : str

    Returns
    -------
    int64 array
        Ascending.
    """
    wanted = [word.casefold() for word in words(phrase)]
    terms = [term for word in words(phrase) for term in analyser_for(language).word_terms(word)]
    if not terms:
        return np.zeros(0, dtype=np.int64)
    found = lexical.with_all(terms)
    if len(found) > _MOST_READ:
        best = np.argsort(-lexical.scores[found], kind="stable")[:_MOST_READ]
        found = np.sort(found[best])
    columns = snapshot.passages(found)
    rows = snapshot.rows_of(columns.document).tolist()
    texts = snapshot.texts(zip(rows, columns.start.tolist(), columns.end.tolist(), strict=True))
    return found[[_holds(wanted, text) for text in texts]]


def _holds(wanted: Sequence[str], text: str) -> bool:
    text_words = [word.casefold() for word in words(text)]
    size = len(wanted)
    return any(text_words[at : at + size] == wanted for at in range(len(text_words) - size + 1))
