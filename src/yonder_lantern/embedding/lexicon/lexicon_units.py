"""Words as the units a lexicon has vectors for: whole words, and pieces of the others."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Sequence
from itertools import chain
from typing import TYPE_CHECKING

import numpy as np

from ...platform.storage import Array, TermTable

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

INNER = "+"  # before a piece that does not begin a word; no word holds it
_LONGEST = 40  # characters of a word that are looked at: an address is no word
_KEPT_WORDS = 200_000  # whose units are remembered; a bound on memory
_MOST_CUT = 600_000  # words that are cut into pieces; files of random letters would take minutes


class Units:
    """Finds the units of words.

    A word that is no unit itself is cut into pieces, each time the longest that
    is one (Wu et al. 2016, Google's neural machine translation system).

    Parameters
    ----------
    table : TermTable
        Words, and pieces that do not begin a word with `INNER` before them.
    own_words : sequence of str, optional
        Further words, whose numbers follow those of the table.
    many : bool, default False
        Whether many words are to be looked up: then the table is read first.
    """

    def __init__(self, table: TermTable, own_words: TermTable | None = None, *, many: bool = False):
        self._find: Callable[[str], int] = table.find
        self._find_own: Callable[[str], int] = own_words.find if own_words is not None else _nothing
        self._count = len(table)
        self._cuts = 0
        if many:
            self._find = _numbers(table)
            self._find_own = _numbers(own_words) if own_words is not None else _nothing
        self._known = _Remembered(self._cut)

    def of(self, word: str) -> tuple[int, ...]:
        """The units of a word, by number; none if no part of it is known.

        Examples
        --------
        >>> units = Units(TermTable.of(["+ing", "moor"]))
        >>> units.of("mooring"), units.of("moor"), units.of("quay")
        ((1, 0), (1,), ())
        """
        return self._known[word]

    def is_whole(self, word: str) -> bool:
        """Whether a word is a unit of its own."""
        return self._find(word[:_LONGEST]) >= 0 or self._find_own(word[:_LONGEST]) >= 0

    def _cut(self, word: str) -> tuple[int, ...]:
        word = word[:_LONGEST]
        number = self._find_own(word)
        if number >= 0:
            return (self._count + number,)
        self._cuts += 1
        if self._cuts > _MOST_CUT:  # no language has so many: a word that is no unit says nothing
            whole = self._find(word)
            return (whole,) if whole >= 0 else ()
        found = []
        start = 0
        while start < len(word):
            for end in range(len(word), start, -1):
                number = self._find(word[start:end] if start == 0 else INNER + word[start:end])
                if number >= 0:
                    found.append(number)
                    start = end
                    break
            else:
                start += 1
        return tuple(found)

    def counts(self, texts: Iterable[Sequence[str]], columns: int) -> csr_matrix:
        """How often each text, given as its folded words, holds each unit.

        Returns
        -------
        float32 matrix, shape (texts, columns)
        """
        numbers = array("i")
        ends = array("q", [0])
        for words in texts:
            numbers.extend(chain.from_iterable(map(self._known.__getitem__, words)))
            ends.append(len(numbers))
        return counted(numbers, ends, columns)


class _Remembered(dict[str, tuple[int, ...]]):
    """What is worked out for a word, kept for the next time while there is room."""

    def __init__(self, work_out: Callable[[str], tuple[int, ...]]) -> None:
        super().__init__()
        self._work_out = work_out

    def __missing__(self, word: str) -> tuple[int, ...]:
        found = self._work_out(word)
        if len(self) < _KEPT_WORDS:
            self[word] = found
        return found


def counted(numbers: array[int], ends: array[int], columns: int) -> csr_matrix:
    """How often each number stands in each text; float32, shape (texts, columns).

    Parameters
    ----------
    numbers : array of int
        Of all texts, one after the other.
    ends : array of int
        Where each text ends, after a zero.
    columns : int
    """
    from scipy.sparse import csr_matrix

    ones: Array = np.ones(len(numbers), dtype=np.float32)
    indices = np.array(numbers, dtype=np.int32)
    offsets = np.array(ends, dtype=np.int64)
    found = csr_matrix((ones, indices, offsets), (len(ends) - 1, columns))
    found.sum_duplicates()
    return found


def _nothing(word: str) -> int:  # noqa: ARG001
    return -1


def _numbers(table: TermTable) -> Callable[[str], int]:
    found = {term: number for number, term in enumerate(table.all())}
    return lambda word: found.get(word, -1)
