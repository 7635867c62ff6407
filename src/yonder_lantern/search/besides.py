"""Passages that something else than ranking brought in, as hits after those that were ranked."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from ..core import Hit, ScoreBreakdown, SearchResult, StageBreakdown
from ..index import IndexReader
from .present import Chosen, present
from .searchable_passages import documents_to_search
from .visible_passages import visible_in


def with_passages(
    snapshot: IndexReader, result: SearchResult, spots: Iterable[tuple[str, int]], stage: str
) -> SearchResult:
    """A result with further passages behind its hits, each once.

    Parameters
    ----------
    snapshot : IndexReader
    result : SearchResult
    spots : iterable of (str, int)
        A document's id and an offset in it. What the caller may not see, or the query's filter
        does not let through, is left out.
    stage : str
        What brought them in; their breakdown names it, with a share of nothing.
    """
    visible = visible_in(snapshot, result.query.caller)
    allowed = documents_to_search(snapshot, visible, result.query.where)
    hits = list(result.hits)
    documents = dict(result.documents)
    for id_, offset in spots:
        if any(hit.document == id_ and hit.start <= offset < hit.end for hit in hits):
            continue
        row = snapshot.document_row(id_)
        number = -1 if row is None else int(snapshot.numbers_of_rows(np.array([row]))[0])
        if number < 0 or not allowed[number]:
            continue
        passage = snapshot.passage_at(number, offset)
        document = documents.get(id_) or snapshot.document(id_)
        if passage is None or document is None:
            continue
        columns = snapshot.passages(np.array([passage]))
        start, end, block = (int(one[0]) for one in (columns.start, columns.end, columns.block))
        documents[id_] = document
        hits.append(_hit(Chosen(document, ((start, end),), block, 0), len(hits) + 1, stage))
    if len(hits) == len(result.hits):
        return result
    return replace(result, hits=tuple(hits), documents=documents)


def _hit(chosen: Chosen, rank: int, stage: str) -> Hit:
    breakdown = ScoreBreakdown((StageBreakdown(stage, None, 0.0, 1.0, 0.0, 0.0),))
    return present(chosen, rank, breakdown, (), (), ("", ""))
