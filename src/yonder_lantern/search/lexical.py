"""The lexical stage: BM25 over what the caller may see."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..core import TermShare
from ..index import IndexReader, top
from ..platform.storage import Array

K1 = 1.2
B = 0.75


@dataclass(frozen=True, slots=True)
class TermPostings:
    """Where a term stands: passages ascending, how often, how often in leads, and its shares."""

    passages: Array
    counts: Array
    leads: Array
    shares: Array
    weight: float


@dataclass(frozen=True)
class LexicalScores:
    """BM25 scores of all passages for one question.

    Document frequencies, lengths and the number of passages are counted among
    the visible passages, at query time: an index grown in steps scores exactly
    as one built at once, and what a caller may not see moves nothing.

    The weight of a term is ``ln(1 + (n - df + 0.5) / (df + 0.5))``; its share is
    that times ``tf · (k1 + 1) / (tf + k1 · (1 - b + b · length / mean length))``.

    Attributes
    ----------
    index : IndexReader
    passages, total : int
        How many passages count, and how many tokens they have.
    scores : float64 array
        Of every passage.
    known, weights : dict
        In how many passages each term stands, and how much it weighs.
    found : dict
        Where each term stands.
    best_score : float

    References
    ----------
    Robertson, Zaragoza (2009), The probabilistic relevance framework: BM25 and
    beyond. Callan (1994), Passage-level evidence in document retrieval, for
    `document_scores`.
    """

    index: IndexReader
    passages: int
    total: int
    scores: Array
    known: dict[str, int]
    weights: dict[str, float]
    found: dict[str, TermPostings]
    best_score: float

    def best(self, limit: int, allowed: Array | None) -> Array:
        """The passages that score best, with everything that ties with the last; unordered."""
        scores = self.scores
        if allowed is not None:
            scores = np.where(allowed, scores, 0.0)
        found = top(scores, limit)
        return np.asarray(found[scores[found] > 0])

    def rank(self, passage: int, allowed: Array | None) -> int | None:
        """Which one a passage is by this stage alone, from 1; None if it scores nothing."""
        score = self.scores[passage]
        if score <= 0:
            return None
        above = self.scores > score
        return int(np.count_nonzero(above if allowed is None else above & allowed)) + 1

    def shares(self, passage: int) -> tuple[TermShare, ...]:
        """What each term added to a passage's score, largest first."""
        found = []
        for term, postings in self.found.items():
            at = int(np.searchsorted(postings.passages, passage))
            if at < len(postings.passages) and postings.passages[at] == passage:
                found.append(TermShare(term, float(postings.shares[at])))
        return tuple(sorted(found, key=lambda share: (-share.share, share.term)))

    def document_scores(self, documents: Array, mean_documents: int) -> Array:
        """BM25 scores of whole documents: of all their passages' terms together.

        Parameters
        ----------
        documents : int64 array
            Numbers of documents, as the index has them.
        mean_documents : int
            Among how many documents the mean length is taken.
        """
        first, last = self.index.bounds_of(documents)
        mean = self.total / mean_documents if mean_documents else 1.0
        norm = K1 * (1 - B + B * self.index.lengths_of(documents) / mean)
        scores = np.zeros(len(documents), dtype=np.float64)
        for postings in self.found.values():
            sums = np.concatenate(([0], np.cumsum(postings.counts)))
            counts = (
                sums[np.searchsorted(postings.passages, last)]
                - sums[np.searchsorted(postings.passages, first)]
            )
            scores += postings.weight * counts / (counts + norm)
        return scores

    def holds(self, passages: Array) -> tuple[list[str], Array, Array]:
        """Which terms stand in passages, and which in their leads.

        Returns
        -------
        terms : list of str
            Those that stand anywhere.
        inside, above : bool array, shape (terms, passages)
            Whether a passage or its context header holds a term; whether its context header does.
        """
        inside = np.zeros((len(self.found), len(passages)), dtype=bool)
        above = np.zeros_like(inside)
        for row, postings in enumerate(self.found.values()):
            at = np.minimum(
                np.searchsorted(postings.passages, passages), len(postings.passages) - 1
            )
            inside[row] = postings.passages[at] == passages
            above[row] = inside[row] & (postings.leads[at] > 0)
        return list(self.found), inside, above

    def with_all(self, terms: Sequence[str]) -> Array:
        """The passages that hold all of some terms of the question, ascending."""
        found: Array | None = None
        for term in terms:
            postings = self.found.get(term)
            if postings is None:
                return np.zeros(0, dtype=np.int64)
            found = postings.passages if found is None else np.intersect1d(found, postings.passages)
        return np.zeros(0, dtype=np.int64) if found is None else found


def score_lexically(
    snapshot: IndexReader, visible: Array, terms: Mapping[str, float]
) -> LexicalScores:
    """The BM25 scores of all passages for the terms of a question.

    Parameters
    ----------
    snapshot : IndexReader
    visible : bool array
        Which passages count.
    terms : mapping of str to float
        The question's terms and how much each counts.
    """
    lengths = snapshot.lengths
    whole = bool(visible.all())
    count = int(np.count_nonzero(visible))
    total = int(
        lengths.sum(dtype=np.int64) if whole else lengths.sum(dtype=np.int64, where=visible)
    )
    mean = total / count if count else 1.0
    scores = np.zeros(snapshot.passage_count, dtype=np.float64)
    known: dict[str, int] = {}
    weights: dict[str, float] = {}
    found: dict[str, TermPostings] = {}
    for term in sorted(terms):  # one order always, so that sums are the same to the bit
        postings = snapshot.postings(term)
        known[term] = 0
        if postings is not None:
            passages, counts, headers = postings
            if not whole:
                seen = visible[passages]
                passages, counts, headers = passages[seen], counts[seen], headers[seen]
            known[term] = len(passages)
        weights[term] = math.log(1 + (count - known[term] + 0.5) / (known[term] + 0.5))
        if known[term]:
            norm = K1 * (1 - B) + (K1 * B / mean) * lengths[passages]
            weight = weights[term] * (K1 + 1) * terms[term]
            shares = weight * (counts / (counts + norm))
            scores[passages] += shares
            found[term] = TermPostings(passages, counts, headers, shares, weight)
    return LexicalScores(
        snapshot,
        count,
        total,
        scores,
        known,
        weights,
        found,
        best_score=float(scores.max(initial=0.0)),
    )
