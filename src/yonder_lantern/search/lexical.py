"""The lexical stage: BM25 over what the caller may see."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..core import TermShare
from ..index import Layout, Snapshot, top
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
    layout : Layout
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

    layout: Layout
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
            Numbers of documents, as the layout has them.
        mean_documents : int
            Among how many documents the mean length is taken.
        """
        first, last = self.layout.bounds_of(documents)
        mean = self.total / mean_documents if mean_documents else 1.0
        norm = K1 * (1 - B + B * self.layout.lengths_of(documents) / mean)
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
    snapshot: Snapshot, visible: Sequence[Array], terms: Mapping[str, float]
) -> LexicalScores:
    """The BM25 scores of all passages for the terms of a question.

    Parameters
    ----------
    snapshot : Snapshot
    visible : sequence of bool array
        By segment, which passages count.
    terms : mapping of str to float
        The question's terms and how much each counts.
    """
    layout = snapshot.layout
    offsets = layout.passages
    lengths = [opened.segment.lengths[:] for opened in snapshot.segments]
    whole = [bool(seen.all()) for seen in visible]
    count = sum(int(np.count_nonzero(seen)) for seen in visible)
    total = sum(
        int(part.sum(dtype=np.int64) if all_ else part.sum(dtype=np.int64, where=seen))
        for part, seen, all_ in zip(lengths, visible, whole, strict=True)
    )
    mean = total / count if count else 1.0
    scores = np.zeros(int(offsets[-1]), dtype=np.float64)
    known: dict[str, int] = {}
    weights: dict[str, float] = {}
    postings_of: dict[str, TermPostings] = {}
    for term in sorted(terms):  # one order always, so that sums are the same to the bit
        found = []
        for number, opened in enumerate(snapshot.segments):
            postings = opened.segment.postings(term)
            if postings is None:
                continue
            passages, counts, leads = map(np.asarray, postings)
            if not whole[number]:
                seen = visible[number][passages]
                passages, counts, leads = passages[seen], counts[seen], leads[seen]
            if len(passages):
                norm = K1 * (1 - B) + (K1 * B / mean) * lengths[number][passages]
                frequency = counts / (counts + norm)
                found.append((passages + int(offsets[number]), counts, leads, frequency))
        known[term] = sum(len(one[0]) for one in found)
        weights[term] = math.log(1 + (count - known[term] + 0.5) / (known[term] + 0.5))
        if found:
            passages, counts, leads, frequency = (
                part[0] if len(part) == 1 else np.concatenate(part)
                for part in zip(*found, strict=True)
            )
            weight = weights[term] * (K1 + 1) * terms[term]
            shares = weight * frequency
            scores[passages] += shares
            postings_of[term] = TermPostings(passages, counts, leads, shares, weight)
    return LexicalScores(
        layout,
        count,
        total,
        scores,
        known,
        weights,
        postings_of,
        best_score=float(scores.max(initial=0.0)),
    )
