"""What is known of a passage as an answer to a question, besides its scores.

Each feature is a number from 0 to 1; ``[find.weights]`` says what each adds to a
passage's score or takes from it.

=========== ====================================================================
coverage    share of the question's weight whose terms stand in it or its context header
nearness    how close to each other the question's words stand in it
phrase      longest run of the question's words that stands in it, as a share
heading     share of the question's weight that stands in its context header
codes       share of the question's codes and numbers that stand in it
opening     1 for a document's first passage, 1/2 for its second, and so on
length      towards 1 for a long passage, one half at 60 words and marks
freshness   1 for a document of today, one half for one of a year ago
agreement   the smaller of what both stages say
asking      share of its sentences and headings that ask instead of telling
=========== ====================================================================
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import chain

import numpy as np

from ..core import Memo
from ..index import IndexReader
from ..platform.storage import Array
from ..text import words
from .lexical import LexicalScores
from .parse import ParsedQuery, analyser_for

HALF_LENGTH = 60  # tokens
_FARTHEST = 8  # terms apart, from which two words are not near
_YEAR = 365.25 * 86_400 * 1e6  # microseconds
_KEPT_PASSAGES = 4000  # whose terms are kept at hand
_READ = ("nearness", "phrase")  # those for which passages have to be read


@dataclass(frozen=True, slots=True)
class Evidence:
    """What features are worked out from.

    Attributes
    ----------
    snapshot : IndexReader
    lexical : LexicalScores
    parsed : ParsedQuery
    moment : int
        What counts as today, in microseconds since 1970.
    memo : dict
        What was read before for the same question.
    """

    snapshot: IndexReader
    lexical: LexicalScores
    parsed: ParsedQuery
    moment: int
    memo: Memo = field(default_factory=dict)

    def known_at_once(
        self, passages: Array, weights: Mapping[str, float], agreement: Array
    ) -> dict[str, Array]:
        """The features of passages for which nothing has to be read.

        Parameters
        ----------
        passages : int64 array
        weights : mapping of str to float
            Features of weight 0 are left out.
        agreement : float64 array, shape (passages,)
            The smaller of what both stages say.
        """
        found: dict[str, Array] = {}
        wanted = {name for name, weight in weights.items() if weight} - {*_READ}
        if not wanted:
            return found
        columns = self.snapshot.passages(passages)
        if wanted & {"coverage", "heading", "codes"}:
            terms, inside, above = self.lexical.holds(passages)
            weights_of_terms = np.array(
                [self.lexical.weights[term] * self.parsed.terms[term] for term in terms]
            )
            whole = float(weights_of_terms.sum()) or 1.0
            found["coverage"] = weights_of_terms @ inside / whole
            found["heading"] = weights_of_terms @ above / whole
            codes = np.array([any(map(str.isdigit, term)) for term in terms], dtype=bool)
            asked = sum(any(map(str.isdigit, term)) for term in self.parsed.terms)
            found["codes"] = inside[codes].sum(axis=0) / max(1, asked)
        first = self.snapshot.bounds_of(columns.document)[0]
        found["opening"] = 1.0 / (1.0 + (passages - first))
        found["length"] = columns.tokens / (columns.tokens + HALF_LENGTH)
        found["agreement"] = agreement
        found["asking"] = columns.asking / 255.0
        if "freshness" in wanted:
            found["freshness"] = self._freshness(columns.document)
        return {name: found[name] for name in found if name in wanted}

    def _freshness(self, documents: Array) -> Array:
        starts = self.snapshot.valid_from(documents).astype(np.float64)
        age = np.maximum(self.moment - starts, 0.0) / _YEAR
        return np.asarray(1.0 / (1.0 + age))

    def read(self, passages: Array, weights: Mapping[str, float]) -> dict[str, Array]:
        """The features of passages that have to be read for them."""
        wanted = [name for name in _READ if weights.get(name)]
        order = self.parsed.order
        if not wanted or len(order) < 2:
            return {name: np.zeros(len(passages)) for name in wanted}
        known: dict[int, tuple[float, float]] = self.memo.setdefault("read", {})
        unread = np.array([one for one in passages.tolist() if one not in known], dtype=np.int64)
        columns = self.snapshot.passages(unread)
        rows = self.snapshot.rows_of(columns.document)
        positions = list(
            zip(rows.tolist(), columns.start.tolist(), columns.end.tolist(), strict=True)
        )
        weights_of = self.lexical.weights
        for passage, terms in zip(unread.tolist(), self._terms(positions), strict=True):
            near = nearness(order, terms, weights_of)
            known[passage] = near, longest_run(order, terms) / len(order)
        values = np.array([known[passage] for passage in passages.tolist()]).reshape(-1, 2)
        return {name: values[:, _READ.index(name)] for name in wanted}

    def _terms(self, spans: Sequence[tuple[int, int, int]]) -> list[tuple[str, ...]]:
        """The terms of passages, in order; kept with the generation, as they are used again."""
        kept, language = self.snapshot.term_cache, self.parsed.language
        found = {span: terms for span in spans if (terms := kept.get((language, *span)))}
        unread = [span for span in dict.fromkeys(spans) if span not in found]
        analyser = analyser_for(language)
        for span, text in zip(unread, self.snapshot.texts(unread), strict=True):
            terms = tuple(chain.from_iterable(map(analyser.word_terms, words(text))))
            while len(kept) >= _KEPT_PASSAGES:
                kept.pop(next(iter(kept)), None)
            kept[language, *span] = found[span] = terms
        return [found[span] for span in spans]


def nearness(order: Sequence[str], terms: Sequence[str], weights: Mapping[str, float]) -> float:
    """How near to each other neighbouring words of a question stand in a text, 0 to 1.

    For each pair, one over the least distance between the two in the text;
    farther than eight terms counts nothing. The pairs are weighed by their terms.

    Examples
    --------
    >>> nearness(["east", "quay"], ["the", "east", "quay"], {"east": 1, "quay": 1})
    1.0
    """
    positions: dict[str, list[int]] = {}
    for at, term in enumerate(terms):
        positions.setdefault(term, []).append(at)
    total = reached = 0.0
    for one, other in itertools.pairwise(order):
        weight = weights.get(one, 0.0) + weights.get(other, 0.0)
        total += weight
        if one in positions and other in positions:
            apart = min(abs(a - b) for a in positions[one] for b in positions[other])
            if 0 < apart <= _FARTHEST:
                reached += weight / apart
    return reached / total if total else 0.0


def longest_run(order: Sequence[str], terms: Sequence[str]) -> int:
    """How many words of a question stand in a text one after another, at most; 0 if not two.

    Examples
    --------
    >>> longest_run(["depth", "east", "basin"], ["the", "east", "basin", "depth"])
    2
    """
    positions: dict[str, list[int]] = {}
    for at, term in enumerate(order):
        positions.setdefault(term, []).append(at)
    here = [(number, term) for number, term in enumerate(terms) if term in positions]
    if len(here) < 2:
        return 0
    best, before = 0, -1
    runs: dict[int, int] = {}  # by place in the question, the run that ends there
    for number, term in here:
        known = runs if number == before + 1 else {}
        runs = {at: known.get(at - 1, 0) + 1 for at in positions[term]}
        best, before = max(best, *runs.values()), number
    return best if best > 1 else 0
