"""Asking for passages that are like one there is."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from ..index import Snapshot
from ..records import Asked, CallError


def alike(asked: Asked, like: str, snapshot: Snapshot) -> Asked:
    """A question for the passages that are near to one in meaning, without that one.

    Parameters
    ----------
    asked : Asked
        Who asks, for when, and with which filter; its words may be empty.
    like : str
        A document's id, with ``#OFFSET`` or ``#START-END`` for another passage than
        its first.
    snapshot : Snapshot

    Raises
    ------
    CallError
        The caller sees no such document, or it has no vectors.
    """
    document, _, offset = like.partition("#")
    start = offset.partition("-")[0] or "0"
    row = snapshot.document_row(document)
    seen = snapshot.visible_documents(asked.audience, asked.as_of or datetime.now(UTC))
    number = -1
    if row is not None:
        number = int(snapshot.layout.numbers_of_rows(np.array([row]))[0])
    if number < 0 or not seen[number] or not start.isdigit():
        raise CallError(
            f"there is no passage {like!r}", "like", "name a document, or DOCUMENT#OFFSET"
        )
    passage = snapshot.layout.passage_at(number, int(start))
    own = snapshot.layout.vectors(np.array([passage])) if passage is not None else None
    if own is None or not own.any():
        raise CallError(f"{like!r} has no vector", "like", "gather with an embedding first")
    return replace(asked, vector=own[0], without=(document, int(start)))
