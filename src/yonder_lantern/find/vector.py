"""The vector stage: the cosine of question and passage, by an exact scan."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ..index import Snapshot
from ..records import TermShare
from ..storage import Array

_DECIMALS = 6  # beyond these, float32 sums depend on how the rows were grouped


class VectorScores:
    """Cosines of all passages with one question; zero for those not visible."""

    def __init__(
        self, snapshot: Snapshot, visible: Sequence[Array], terms: Mapping[str, float]
    ) -> None:
        self._snapshot = snapshot
        embedding = snapshot.embedding
        self._parts = embedding.question_parts(terms) if embedding else {}
        sizes = [len(opened.segment.lengths) for opened in snapshot.segments]
        self.scores = np.zeros(sum(sizes), dtype=np.float64)
        if not self._parts:
            return
        question = np.sum(list(self._parts.values()), axis=0)
        at = 0
        for opened, seen, size in zip(snapshot.segments, visible, sizes, strict=True):
            if opened.vectors is not None:
                cosines = np.round((opened.vectors @ question).astype(np.float64), _DECIMALS)
                self.scores[at : at + size] = np.where(seen, cosines, 0.0)
            at += size

    def shares(self, passage: int) -> tuple[TermShare, ...]:
        """What each term of the question added to the cosine, largest first."""
        for opened in self._snapshot.segments:
            if passage < len(opened.segment.lengths):
                if opened.vectors is None:
                    return ()
                own = opened.vectors[passage]
                found = [TermShare(term, float(part @ own)) for term, part in self._parts.items()]
                return tuple(sorted(found, key=lambda share: (-share.share, share.term)))
            passage -= len(opened.segment.lengths)
        return ()
