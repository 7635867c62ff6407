"""What notes say of which things: drawn as from a document, kept apart from what those say."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import replace
from functools import lru_cache

from ..core import Block, BlockKind, Document, EntityStatement, Note, Origin
from .extract_statements import statements_of

_PARAGRAPH = re.compile(r"[^\n].*?(?=\n\s*\n|\Z)", re.S)
_SPEAKS = re.compile(r"(?:Asked|Answered):\s+")
_REMEMBERED = 2000  # notes


def statements_of_notes(notes: Iterable[Note]) -> Iterator[EntityStatement]:
    """What some notes say of which things.

    Parameters
    ----------
    notes : iterable of Note

    Yields
    ------
    EntityStatement
        ``document`` is ``note`` and the note's id; start and end are within its text.
    """
    for note in notes:
        for one in _said(note.text):
            yield replace(
                one,
                document=f"note {note.id}",
                version="",
                audience=note.audience,
                valid_from=note.valid_from,
                valid_until=note.valid_until,
                recorded=note.at,
                withdrawn=note.withdrawn,
                way="note",
            )


@lru_cache(maxsize=_REMEMBERED)
def _said(text: str) -> tuple[EntityStatement, ...]:
    blocks = []
    for match in _PARAGRAPH.finditer(text):
        start = match.start()
        if spoken := _SPEAKS.match(text, start):
            start = spoken.end()
        if start < match.end():
            blocks.append(Block(BlockKind.PARAGRAPH, start, match.end()))
    document = Document(
        "note", "", "", "", "", "en", "note", text, tuple(blocks), Origin(), {}, frozenset()
    )
    return tuple(dict.fromkeys(statements_of(document)))
