"""What one search and several steps found, as one result for a model to answer from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ...answer import Unit
from ...core import Hit, SearchResult


def merged(
    result: SearchResult, steps: Sequence[SearchResult], units: Sequence[Unit]
) -> SearchResult:
    """The passages that the steps took, in their order, before those of the whole question.

    Parameters
    ----------
    result : SearchResult
        Of the whole question.
    steps : sequence of SearchResult
    units : sequence of Unit
        What each step took.
    """
    first = [
        hit
        for found, unit in zip(steps, units, strict=True)
        for hit in found.hits
        if hit.document == unit.document.id and hit.start < unit.end and unit.start < hit.end
    ]
    chosen: dict[tuple[str, int], Hit] = {}
    for hit in (*first, *result.hits):
        chosen.setdefault((hit.document, hit.start), hit)
    limit = max(len(result.hits), len(first))
    hits = [replace(hit, rank=rank) for rank, hit in enumerate(list(chosen.values())[:limit], 1)]
    documents = dict(result.documents)
    for found in steps:
        documents.update(found.documents)
    return replace(result, hits=tuple(hits), documents=documents, memo={})
