"""Which passages may be found: a filter on metadata, phrases in quotes, a passage left out."""

from __future__ import annotations

import numpy as np

from ..core import CallError
from ..index import Snapshot
from ..platform.storage import Array
from .lexical import LexicalScores
from .metadata_filter import documents_where
from .parse import ParsedQuery
from .phrases import passages_with_phrase
from .visible_passages import Visible


def documents_to_search(snapshot: Snapshot, visible: Visible, where: str) -> Array:
    """Which of the documents that a caller sees a filter lets through."""
    if not where:
        return visible.documents
    count = int(snapshot.layout.documents[-1])
    return visible.documents & documents_where(where, snapshot.columns, count, visible.documents)


def passages_to_search(
    snapshot: Snapshot,
    visible: Visible,
    fits: Array,
    parsed: ParsedQuery,
    lexical: LexicalScores,
    left_out: int | None,
) -> tuple[list[Array] | None, dict[str, int]]:
    """By segment, which passages may be found, None if all may; and how many hold each phrase.

    Parameters
    ----------
    snapshot : Snapshot
    visible : Visible
    fits : bool array
        From `documents_to_search`.
    parsed : ParsedQuery
    lexical : LexicalScores
    left_out : int or None
        A passage that is not to be found.
    """
    layout = snapshot.layout
    allowed = visible.passages if fits is visible.documents else snapshot.passages_of(fits)
    phrases: dict[str, int] = {}
    for phrase in parsed.phrases:
        found = passages_with_phrase(phrase, snapshot, lexical, parsed.language)
        phrases[phrase] = len(found)
        if len(found):
            mask = np.zeros(len(layout), dtype=bool)
            mask[found] = True
            holding = np.split(mask, layout.passages[1:-1])
            allowed = [one & other for one, other in zip(allowed, holding, strict=True)]
    if left_out is not None:
        number = int(np.searchsorted(layout.passages, left_out, "right")) - 1
        allowed = [part.copy() for part in allowed]
        allowed[number][left_out - int(layout.passages[number])] = False
    return (None if all(bool(part.all()) for part in allowed) else allowed), phrases


def passage_named(snapshot: Snapshot, visible: Visible, name: str) -> int:
    """The number of a passage: ``DOCUMENT``, ``DOCUMENT#OFFSET`` or ``DOCUMENT#START-END``.

    Without an offset, the document's first.

    Raises
    ------
    CallError
        The caller sees no such document, or it has no passages.
    """
    document, _, span = name.partition("#")
    offset = span.partition("-")[0] or "0"
    row = snapshot.document_row(document)
    number = -1
    if row is not None:
        number = int(snapshot.layout.numbers_of_rows(np.array([row]))[0])
    if number < 0 or not visible.documents[number] or not offset.isdecimal():
        raise CallError(
            f"there is no passage {name!r}",
            remedy="name DOCUMENT or DOCUMENT#OFFSET; see `yonder look --documents`",
        )
    passage = snapshot.layout.passage_at(number, int(offset))
    if passage is None:
        raise CallError(f"the document {document!r} has no passages", remedy="name another")
    return passage
