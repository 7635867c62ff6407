"""The vector stage: the cosine of question and passage."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import cast

import numpy as np

from ..core import TermShare
from ..embedding import TermEmbedding
from ..index import IndexReader
from ..platform.storage import Array

_OF_A_DOCUMENT = 32  # passages of a document that are looked at for its mean


class VectorScores:
    """Cosines of passages with one question.

    Callan (1994), Passage-level evidence in document retrieval, is behind
    `document_scores`.

    Parameters
    ----------
    snapshot : IndexReader
    question : float32 array or None
        A unit vector; None or zeros if there is none.
    text : str
    terms : mapping of str to float
        The question's words and terms, to tell each one's share where the embedding can.
    least : float, default 0.0
        The cosine that a passage must exceed to be found by it.
    """

    def __init__(
        self,
        snapshot: IndexReader,
        question: Array | None,
        text: str,
        terms: Mapping[str, float],
        least: float = 0.0,
    ) -> None:
        self._least = least
        self._snapshot = snapshot
        self._text = text
        self._terms = terms
        self._question = question if question is not None and question.any() else None
        self.best_score = 0.0
        self._scores: Array = np.zeros(0)  # of the best, largest first

    @property
    def works(self) -> bool:
        """Whether there is a question to compare with."""
        return self._question is not None

    def best(self, limit: int, allowed: Array | None) -> Array:
        """The passages nearest to the question; unordered.

        Parameters
        ----------
        limit : int
            How many at least, if there are so many; more may come.
        allowed : bool array, optional
            Which passages count; all by default.
        """
        if self._question is None:
            return np.zeros(0, dtype=np.int64)
        passages = self._snapshot.nearest(self._question, limit, allowed)
        scores = self.scores(passages)
        self.best_score = max(0.0, float(scores.max(initial=0.0)))
        self._scores = np.sort(scores)[::-1][:limit]
        if len(passages) > limit:
            least = np.partition(scores, len(scores) - limit)[len(scores) - limit]
            passages, scores = passages[scores >= least], scores[scores >= least]
        return np.asarray(passages[scores > self._least])

    def scores(self, passages: Array) -> Array:
        """The cosines of some passages, float64."""
        if self._question is None:
            return np.zeros(len(passages), dtype=np.float64)
        return self._snapshot.cosines(self._question, passages)

    def document_scores(self, documents: Array) -> Array:
        """How near whole documents are: half by how they open, half by the mean of their passages.

        Of a long document, so many passages are looked at, evenly spread.

        Parameters
        ----------
        documents : int64 array
            Numbers of documents, as the index has them.
        """
        first, last = self._snapshot.bounds_of(documents)
        opening = self.scores(first)
        sizes = np.minimum(last - first, _OF_A_DOCUMENT)
        starts = np.cumsum(sizes) - sizes
        steps = np.arange(int(sizes.sum())) - np.repeat(starts, sizes)
        gaps = np.maximum(np.repeat(sizes, sizes) - 1, 1)
        chosen = np.repeat(first, sizes) + steps * np.repeat(last - first - 1, sizes) // gaps
        vectors = self._snapshot.vectors(chosen) if len(chosen) else None
        if vectors is None or self._question is None:
            return opening
        sums = vectors[starts]
        for step in range(1, int(sizes.max())):  # much faster than NumPy's own sums by group
            longer = sizes > step
            sums[longer] += vectors[starts[longer] + step]
        lengths = np.maximum(np.linalg.norm(sums, axis=1), 1e-12)
        means = (sums * self._question).sum(axis=1) / lengths
        return np.asarray((opening + np.round(means.astype(np.float64), 6)) / 2)

    def rank(self, passage: int) -> int | None:
        """Which one a passage is by this stage alone, from 1; None if not among its best."""
        score = float(self.scores(np.array([passage]))[0])
        if score <= 0 or not len(self._scores) or score < self._scores[-1]:
            return None
        return int(np.count_nonzero(self._scores > score)) + 1

    def exact_rank(self, passage: int, allowed: Array | None) -> int | None:
        """Which one a passage is by this stage alone, by a scan of everything."""
        score = float(self.scores(np.array([passage]))[0])
        if self._question is None or score <= 0:
            return None
        return self._snapshot.count_above(self._question, score, allowed) + 1

    def shares(self, passage: int) -> tuple[TermShare, ...]:
        """What each term of the question added to the cosine, largest first.

        Empty where the embedding cannot tell.
        """
        vector = self._snapshot.vectors(np.array([passage])) if self._parts else None
        if vector is None:
            return ()
        found = [TermShare(term, float(part @ vector[0])) for term, part in self._parts.items()]
        return tuple(sorted(found, key=lambda share: (-share.share, share.term)))

    @cached_property
    def _parts(self) -> dict[str, Array]:
        """What each term adds to the question's vector; nothing if that is not known."""
        embedding = self._snapshot.embedding
        if self._question is None or embedding is None or not hasattr(embedding, "parts"):
            return {}
        parts = cast(TermEmbedding, embedding).parts(self._text, self._terms)
        whole = np.sum(list(parts.values()), axis=0)
        made_of_them = bool(parts) and np.allclose(whole, self._question, atol=1e-5)
        return parts if made_of_them else {}
