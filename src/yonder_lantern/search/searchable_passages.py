"""Which passages may be found: a filter on metadata, phrases in quotes, a passage left out."""

from __future__ import annotations

import numpy as np

from ..core import CallError
from ..index import IndexReader
from ..platform.storage import Array
from .lexical import LexicalScores
from .metadata_filter import documents_where
from .parse import ParsedQuery
from .phrases import passages_with_phrase
from .visible_passages import Visible


def documents_to_search(snapshot: IndexReader, visible: Visible, where: str) -> Array:
    """Which of the documents that a caller sees a filter lets through."""
    if not where:
        return visible.documents
    count = snapshot.document_count
    return visible.documents & documents_where(where, snapshot.columns, count, visible.documents)


def passages_to_search(
    snapshot: IndexReader,
    visible: Visible,
    fits: Array,
    parsed: ParsedQuery,
    lexical: LexicalScores,
    left_out: int | None,
) -> tuple[Array | None, dict[str, int]]:
    """Which passages may be found, None if all may; and how many hold each phrase.

    Parameters
    ----------
    snapshot : IndexReader
    visible : Visible
    fits : bool array
        From `documents_to_search`.
    parsed : ParsedQuery
    lexical : LexicalScores
    left_out : int or None
        A passage that is not to be found.
    """
    allowed = visible.passages if fits is visible.documents else snapshot.passages_of(fits)
    phrases: dict[str, int] = {}
    for phrase in parsed.phrases:
        found = passages_with_phrase(phrase, snapshot, lexical, parsed.language)
        phrases[phrase] = len(found)
        if len(found):
            mask = np.zeros(snapshot.passage_count, dtype=bool)
            mask[found] = True
            allowed = allowed & mask
    if left_out is not None:
        allowed = allowed.copy()
        allowed[left_out] = False
    return (None if bool(allowed.all()) else allowed), phrases


def passage_named(snapshot: IndexReader, visible: Visible, name: str) -> int:
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
        number = int(snapshot.numbers_of_rows(np.array([row]))[0])
    if number < 0 or not visible.documents[number] or not offset.isdecimal():
        raise CallError(
            f"there is no passage {name!r}",
            remedy="name DOCUMENT or DOCUMENT#OFFSET; see `yonder look --documents`",
        )
    passage = snapshot.passage_at(number, int(offset))
    if passage is None:
        raise CallError(f"the document {document!r} has no passages", remedy="name another")
    return passage
