"""Everything a caller may see, where it is little enough to be read whole."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..core import Hit, ScoreBreakdown, SearchResult, location_of
from ..index import IndexReader
from .searchable_passages import documents_to_search
from .visible_passages import visible_in


def all_documents(snapshot: IndexReader, result: SearchResult, most: int) -> SearchResult | None:
    """A search's result with every document whole in place of the passages found.

    Those that the caller may see and the query's filter lets through, in the order of their ids,
    without a score: nothing was ranked.

    Parameters
    ----------
    snapshot : IndexReader
    result : SearchResult
    most : int
        Tokens that they may have together.

    Returns
    -------
    SearchResult or None
        None where there are more, or none at all.
    """
    visible = visible_in(snapshot, result.query.caller)
    chosen = documents_to_search(snapshot, visible, result.query.where)
    passages = snapshot.passages_of(chosen)
    if not chosen.any() or int(snapshot.lengths[passages].sum()) > most:
        return None
    rows = snapshot.rows_of(np.flatnonzero(chosen)).tolist()
    documents = sorted(snapshot.documents(rows).values(), key=lambda document: document.id)
    hits = tuple(
        Hit(
            rank=number,
            document=one.id,
            version=one.version,
            title=one.title,
            language=one.language,
            start=0,
            end=len(one.text),
            text=one.text,
            context_header=one.title,
            location=location_of(one, 0, len(one.text)),
            score=0.0,
            breakdown=ScoreBreakdown(()),
        )
        for number, one in enumerate(documents, 1)
    )
    return replace(result, hits=hits, documents={one.id: one for one in documents})
