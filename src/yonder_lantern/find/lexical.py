"""The lexical stage: BM25 over what the caller may see."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from ..index import Snapshot
from ..records import TermShare
from ..storage import Array

K1 = 1.2
B = 0.75


class LexicalScores:
    """BM25 scores of all passages for one question.

    Document frequencies, lengths and the number of passages are counted among
    the visible passages, at query time: an index grown in steps scores exactly
    as one built at once, and what a caller may not see moves nothing.

    The weight of a term is ``ln(1 + (n - df + 0.5) / (df + 0.5))``; its share is
    that times ``tf · (k1 + 1) / (tf + k1 · (1 - b + b · length / mean length))``.

    Parameters
    ----------
    snapshot : Snapshot
    visible : sequence of bool array
        By segment, which passages count.
    terms : mapping of str to float
        The question's terms and how much each counts.

    References
    ----------
    Robertson, Zaragoza (2009), The probabilistic relevance framework: BM25 and
    beyond.
    """

    def __init__(
        self, snapshot: Snapshot, visible: Sequence[Array], terms: Mapping[str, float]
    ) -> None:
        lengths = [opened.segment.lengths for opened in snapshot.segments]
        self.passages = sum(int(np.count_nonzero(seen)) for seen in visible)
        total = sum(
            int(own.sum(dtype=np.int64, where=seen))
            for own, seen in zip(lengths, visible, strict=True)
        )
        mean = total / self.passages if self.passages else 1.0
        offsets = np.cumsum([0, *(len(own) for own in lengths)])
        self.scores = np.zeros(int(offsets[-1]), dtype=np.float64)
        self.known: dict[str, int] = {}
        self.weights: dict[str, float] = {}
        self._shares: dict[str, tuple[Array, Array]] = {}
        for term in sorted(terms):  # one order always, so that sums are the same to the bit
            found = []
            for number, opened in enumerate(snapshot.segments):
                postings = opened.segment.postings(term)
                if postings is None:
                    continue
                passages, counts = np.asarray(postings[0]), np.asarray(postings[1])
                if not visible[number].all():
                    seen = visible[number][passages]
                    passages, counts = passages[seen], counts[seen]
                if len(passages):
                    norm = K1 * (1 - B + B * lengths[number][passages] / mean)
                    found.append((passages + offsets[number], counts / (counts + norm)))
            self.known[term] = sum(len(passages) for passages, _ in found)
            self.weights[term] = math.log(
                1 + (self.passages - self.known[term] + 0.5) / (self.known[term] + 0.5)
            )
            if found:
                where = np.concatenate([passages for passages, _ in found])
                frequency = np.concatenate([share for _, share in found])
                shares = self.weights[term] * (K1 + 1) * frequency * terms[term]
                self.scores[where] += shares
                self._shares[term] = (where, shares)

    def shares(self, passage: int) -> tuple[TermShare, ...]:
        """What each term added to a passage's score, largest first."""
        found = []
        for term, (where, shares) in self._shares.items():
            at = int(np.searchsorted(where, passage))
            if at < len(where) and where[at] == passage:
                found.append(TermShare(term, float(shares[at])))
        return tuple(sorted(found, key=lambda share: (-share.share, share.term)))
