"""Which terms are left of documents that are gone."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .open_segment import OpenSegment


def dead_terms(segments: Sequence[OpenSegment]) -> set[str]:
    """The terms that segments hold and no document of theirs that is there has."""
    alive: set[str] = set()
    every: set[str] = set()
    for opened in segments:
        terms = opened.segment.terms.all()
        every.update(terms)
        if opened.live is None:
            alive.update(terms)
            continue
        live = opened.live[opened.segment.passages[:, 0]][opened.segment.posting_passages[:]]
        sums = np.concatenate([[0], np.cumsum(live)])
        offsets = opened.segment.posting_offsets[:]
        held = sums[offsets[1:]] > sums[offsets[:-1]]
        alive.update(term for term, here in zip(terms, held.tolist(), strict=True) if here)
    return every - alive
