"""What a corpus adds to a lexicon: how common its words are, and vectors of words of its own."""

from __future__ import annotations

from array import array
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ...platform.storage import Array, StoredArray, TermTable, byte_order
from ..spherical import unit_rows
from .lexicon_units import Units, counted
from .table import LexiconTable

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

_COMMON = 3e-3  # the share of all words at which a word counts half
_ENOUGH = 10_000  # words that tell how common each is; of fewer, none is called common
_PIECES = 2.0  # how many passages the pieces of a word count for, beside those that hold it
_FEWEST = 2  # passages that hold a word of the corpus's own


@dataclass(frozen=True, slots=True)
class OwnWords:
    """What was learned of the words of a corpus.

    Attributes
    ----------
    words : TermTable
        Those that the lexicon does not have.
    vectors : float32 array, shape (words, dimensions)
    weights : float32 array, shape (units of the lexicon + words,)
        How much each counts here: less the more common it is.
    known : float
        The share of all words that are in the lexicon or among these, 0 to 1.
    """

    words: TermTable
    vectors: StoredArray
    weights: Array
    known: float


def learn(table: LexiconTable, texts: Iterable[Sequence[str]]) -> OwnWords:
    """Learn from the texts of a corpus, given as their folded words.

    A word counts ``a / (a + p)``, p being its share of all words (Arora, Liang, Ma
    2017, A simple but tough-to-beat baseline for sentence embeddings). A word that
    the lexicon does not have gets the mean of the vectors of the passages that hold
    it, less that of all passages, drawn towards what its pieces say (Herbelot,
    Baroni 2017, High-risk learning: acquiring new word vectors from tiny data).
    """
    words: defaultdict[str, int] = defaultdict()
    words.default_factory = words.__len__  # a new word has the next number
    numbers = array("i")
    ends = array("q", [0])
    for text in texts:
        numbers.extend(map(words.__getitem__, text))
        ends.append(len(numbers))
    counts = counted(numbers, ends, len(words))
    times = np.asarray(counts.sum(axis=0)).ravel()
    passages = np.bincount(counts.indices, minlength=len(words))
    units = Units(table.units, many=True)
    frequent = sorted(
        (
            word
            for word, number in words.items()
            if passages[number] >= _FEWEST and not units.is_whole(word) and _is_word(word)
        ),
        key=byte_order,
    )
    own_table = TermTable.of(frequent)
    all_units = Units(table.units, own_table, many=True)
    alone = [(word,) for word in words]
    made_of = all_units.counts(alone, len(table.units) + len(frequent))
    occurrences = made_of.T @ times
    weights = _COMMON / (_COMMON + occurrences / max(_ENOUGH, len(numbers)))
    vectors = np.zeros((len(frequent), table.dimensions), dtype=np.float32)
    if frequent:
        columns = np.array([words[word] for word in frequent], dtype=np.int64)
        by_pieces = units.counts(alone, len(table.units))
        vectors = _by_context(table, counts, columns, by_pieces, weights[: len(table.units)])
    known = sum(
        count for word, count in zip(words, times.tolist(), strict=True) if all_units.is_whole(word)
    )
    share = known / max(1, len(numbers))
    return OwnWords(own_table, vectors, weights.astype(np.float32), share)


def known_share(units: Units, texts: Iterable[Sequence[str]]) -> float:
    """The share of the folded words of texts that are units, 0 to 1."""
    known = total = 0
    for words in texts:
        total += len(words)
        known += sum(map(units.is_whole, words))
    return known / total if total else 0.0


def _is_word(word: str) -> bool:
    return len(word) > 1 and not any(map(str.isdigit, word))


def _by_context(
    table: LexiconTable, counts: csr_matrix, columns: Array, made_of: csr_matrix, weights: Array
) -> Array:
    """A vector for each of some words: what stands around it, and what its pieces say."""
    used = np.unique(made_of.indices)
    rows = table.vectors(used) * weights[used].astype(np.float32)[:, None]
    by_pieces = made_of[:, used] @ rows
    context = unit_rows(counts @ by_pieces)
    context = unit_rows(context - context.mean(axis=0))
    holds = counts[:, columns]
    holds.data[:] = 1
    found = np.asarray(holds.T @ context)
    times = np.bincount(holds.indices, minlength=len(columns))[:, None]
    pieces = unit_rows(by_pieces[columns])
    length = np.median(np.linalg.norm(table.vectors(used), axis=1))
    mixed = unit_rows(found) * times + pieces * _PIECES
    return np.asarray(unit_rows(mixed) * length, dtype=np.float32)
