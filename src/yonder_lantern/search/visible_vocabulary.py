"""What the documents a caller may see tell about words: abbreviations and spelling.

References
----------
Damerau (1964), A technique for computer detection and correction of spelling errors.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ..index import IndexReader
from ..platform.storage import TermTable
from ..text import words
from .parse import analyser_for
from .visible_passages import Visible

_SHORTEST = 5  # letters of a word that may be repaired
_TWO_FROM = 10  # letters from which two mistakes are allowed
_LETTERS = 256
_MOST_TRIED = 400
_MOST_FORMS = 4
_TEXTS_READ = 8  # passages in which a term is looked up as a word


class VisibleVocabulary:
    """The words of the documents that a caller may see.

    Parameters
    ----------
    snapshot : IndexReader
    visible : Visible
        What the caller may see.
    glossary : mapping of str to str
        The user's own abbreviations, with their long forms.
    spelling : bool
        Whether unknown words are repaired.
    """

    def __init__(
        self,
        snapshot: IndexReader,
        visible: Visible,
        glossary: Mapping[str, str],
        *,
        spelling: bool,
    ) -> None:
        self._snapshot = snapshot
        self._visible = visible.passages
        self._caller = visible.caller
        self._moment = visible.moment
        self._spelling = spelling
        self._own: dict[str, list[str]] = {}
        for short, long in glossary.items():
            self._own.setdefault(short, []).append(long)
            self._own.setdefault(" ".join(words(long)).casefold(), []).append(short)

    def other_forms(self, texts: Sequence[str]) -> Mapping[str, Sequence[str]]:
        """The long forms of short ones, the short forms of long ones, for those that have any."""
        shorts = [
            text
            for text in texts
            if " " not in text and sum(character.isupper() for character in text) >= 2
        ]
        longs = [text for text in texts if " " in text]
        told: dict[str, list[str]] = {}
        if shorts or longs:
            for asked, form, seen in self._snapshot.other_forms(shorts, longs):
                if seen.by(self._caller, self._moment):
                    told.setdefault(asked, []).append(form)
        found = {}
        for text in texts:
            forms = dict.fromkeys(self._own.get(text, self._own.get(text.casefold(), [])))
            forms.update(dict.fromkeys(told.get(text.casefold() if " " in text else text, [])))
            if forms:
                found[text] = list(forms)[:_MOST_FORMS]
        return found

    def has(self, terms: Sequence[str]) -> bool:
        """Whether any of some terms is there."""
        return any(map(self._is_there, terms))

    def repaired(self, word: str, terms: Sequence[str], language: str) -> str:
        """A word of the documents that an unknown one was probably meant to be; or nothing.

        It is unknown if none of its ``terms`` is there, of which the first is that in
        ``language``.
        """
        if not self._spelling or len(word) < _SHORTEST or not word.isalpha():
            return ""
        if self.has(terms):
            return ""
        folded = word.casefold()
        most = 2 if len(word) >= _TWO_FROM else 1
        found = []
        for term in self._near(folded, terms[0]):
            mistakes = min(distance(folded, term, 2), distance(terms[0], term, 2))
            if mistakes <= most and (known := self._passages_with(term)):
                found.append((mistakes, -known, term))
        written = (self._as_written(term, folded, most, language) for _, _, term in sorted(found))
        return next(filter(None, written), "")

    def _is_there(self, term: str) -> bool:
        postings = self._snapshot.postings(term)
        return postings is not None and bool(self._visible[postings.passages].any())

    def _passages_with(self, term: str) -> int:
        postings = self._snapshot.postings(term)
        return 0 if postings is None else int(np.count_nonzero(self._visible[postings.passages]))

    def _near(self, word: str, stem: str) -> list[str]:
        """Terms nearly of the letters of a word or of its stem, the likeliest first.

        They begin as the word does: a first letter is seldom wrong, and another word often near.
        """
        found: dict[str, int] = {}
        for table in self._snapshot.term_tables():
            for wanted in {word, stem}:
                for term, apart in _by_letters(table, wanted, word[0]):
                    found[term] = min(apart, found.get(term, apart))
        ordered = sorted(found, key=lambda term: (found[term], term))[:_MOST_TRIED]
        return [term for term in ordered if term.isalpha()]

    def _as_written(self, term: str, meant: str, most: int, language: str) -> str:
        """A term as a whole word of the texts it stands in, near to the one meant; or nothing.

        The parts of an identifier are terms, too, and stems of words that are far apart may be
        near: neither is what a person misspelt.
        """
        postings = self._snapshot.postings(term)
        seen = () if postings is None else postings.passages[self._visible[postings.passages]]
        columns = self._snapshot.passages(np.array(seen[:_TEXTS_READ], dtype=np.int64))
        rows = self._snapshot.rows_of(columns.document).tolist()
        spans = zip(rows, columns.start.tolist(), columns.end.tolist(), strict=True)
        analyser = analyser_for(language)
        forms = {
            word.casefold()
            for text in self._snapshot.texts(list(spans))
            for word in words(text)
            if word.isalpha() and term in analyser.word_terms(word)
        }
        apart = [(distance(meant, form, most), form) for form in sorted(forms)]
        best = min(apart, default=(most + 1, ""))
        return best[1] if best[0] <= most else ""


def _by_letters(table: TermTable, wanted: str, first: str) -> list[tuple[str, int]]:
    """Terms that begin with a letter and differ from a word by at most four, and by how many."""
    low, high = table.beginning_with(first)
    letters, offsets = table.raw()
    offsets = offsets[low : high + 1]
    letters_of = wanted.encode("utf-8", "surrogatepass")
    sizes = np.diff(offsets)
    close = np.flatnonzero(np.abs(sizes - len(letters_of)) <= 2)
    if not len(close):
        return []
    limits = sizes[close]
    starts = np.repeat(offsets[close] - np.concatenate(([0], np.cumsum(limits)[:-1])), limits)
    positions = starts + np.arange(len(starts))
    owner = np.repeat(np.arange(len(close)), limits)
    # How many of the word's letters a term has: the smaller count of each letter, summed.
    alphabet = np.full(_LETTERS, -1)
    distinct = sorted(set(letters_of))
    alphabet[distinct] = np.arange(len(distinct))
    codes = alphabet[letters[positions]]
    known = codes >= 0
    counts = np.bincount(
        owner[known] * len(distinct) + codes[known], minlength=len(close) * len(distinct)
    ).reshape(len(close), -1)
    wanted_counts = np.array([letters_of.count(letter) for letter in distinct])
    common = np.minimum(counts, wanted_counts).sum(axis=1)
    apart = limits + len(letters_of) - 2 * common
    return [
        (table.at(low + int(close[at])), int(apart[at]))
        for at in np.flatnonzero(apart <= 4).tolist()
    ]


def distance(one: str, other: str, most: int) -> int:
    """How many letters to insert, drop, replace or swap with a neighbour; at most ``most`` + 1.

    Examples
    --------
    >>> distance("harbuor", "harbour", 2), distance("quay", "key", 2)
    (1, 3)
    """
    if abs(len(one) - len(other)) > most:
        return most + 1
    before: list[int] = []
    last = list(range(len(other) + 1))
    for row, letter in enumerate(one, 1):
        this = [row]
        for column, against in enumerate(other, 1):
            cost = min(
                last[column] + 1, this[column - 1] + 1, last[column - 1] + (letter != against)
            )
            swapped = row > 1 and column > 1 and letter == other[column - 2]
            if swapped and one[row - 2] == against:
                cost = min(cost, before[column - 2] + 1)
            this.append(cost)
        if min(this) > most:
            return most + 1
        before, last = last, this
    return min(last[-1], most + 1)
