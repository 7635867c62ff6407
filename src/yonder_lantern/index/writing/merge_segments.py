"""Several segments → one, without reading a document again."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...platform.storage import Array, TermTable, byte_order
from ..open_segment import OpenSegment
from ..segment import Segment


def merge_segments(name: str, opened: Sequence[OpenSegment]) -> tuple[Segment, Array | None]:
    """One segment of the live documents of several, and its vectors if all have them.

    Passages keep their order, and every count is what it was: a search ranks the
    merged segment exactly as its parts.
    """
    kept_documents = [
        np.ones(len(one.segment.documents), bool) if one.live is None else one.live
        for one in opened
    ]
    kept = [
        live[one.segment.passages[:, 0]] for one, live in zip(opened, kept_documents, strict=True)
    ]
    terms, numbers = _all_terms([one.segment for one in opened])
    flat, passages, counts, leads, spans = [], [], [], [], []
    base = base_documents = 0
    for one, live, kept_here, renumber in zip(opened, kept_documents, kept, numbers, strict=True):
        segment = one.segment
        of_term = np.repeat(renumber, np.diff(segment.posting_offsets))
        of_passage = segment.posting_passages[:]
        here = kept_here[of_passage]
        flat.append(of_term[here])
        passages.append((np.cumsum(kept_here) - 1 + base)[of_passage[here]])
        counts.append(segment.posting_counts[:][here])
        leads.append(segment.posting_leads[:][here])
        spans.append(np.array(segment.passages[kept_here]))
        spans[-1][:, 0] = (np.cumsum(live) - 1 + base_documents)[spans[-1][:, 0]]
        base += int(kept_here.sum())
        base_documents += int(live.sum())
    all_flat = np.concatenate(flat)
    used = np.flatnonzero(np.bincount(all_flat, minlength=len(terms)))
    if len(used) < len(terms):
        squeezed = np.zeros(len(terms), dtype=np.int64)
        squeezed[used] = np.arange(len(used))
        all_flat = squeezed[all_flat]
        terms = [terms[number] for number in used.tolist()]
    order = np.argsort(all_flat, kind="stable")  # passages stay ascending within a term
    offsets = np.zeros(len(terms) + 1, dtype=np.int64)
    np.cumsum(np.bincount(all_flat, minlength=len(terms)), out=offsets[1:])
    merged = Segment(
        name,
        TermTable.of(terms),
        offsets,
        np.concatenate(passages)[order].astype(np.int32),
        np.concatenate(counts)[order],
        np.concatenate(leads)[order],
        np.concatenate(
            [one.segment.lengths[kept_here] for one, kept_here in zip(opened, kept, strict=True)]
        ),
        np.concatenate(spans),
        np.concatenate(
            [
                one.segment.documents[kept_here]
                for one, kept_here in zip(opened, kept_documents, strict=True)
            ]
        ),
    )
    parts = []
    for one, kept_here in zip(opened, kept, strict=True):
        if one.vectors is None:
            return merged, None
        parts.append(one.vectors.rows(np.flatnonzero(kept_here)))
    return merged, np.concatenate(parts)


def _all_terms(segments: Sequence[Segment]) -> tuple[list[str], list[Array]]:
    """The terms of all, in byte order, and for each segment the new number of each of its own."""
    segment_terms = [segment.terms.all() for segment in segments]
    terms = sorted({term for each in segment_terms for term in each}, key=byte_order)
    numbers = {term: number for number, term in enumerate(terms)}
    return terms, [
        np.array([numbers[term] for term in each], dtype=np.int64) for each in segment_terms
    ]
