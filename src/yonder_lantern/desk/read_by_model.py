"""Statements that the model reads from documents, besides those of our own rules."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from ..core import Cancel, Document, EntityStatement

if TYPE_CHECKING:
    from .pipeline import Pipeline

_PAGE = 3000  # characters that are shown at once


def reader(pipeline: Pipeline, cancel: Cancel) -> Callable[[Document], list[EntityStatement]]:
    """What reads the statements of a document by the model that answers, a page a call.

    Parameters
    ----------
    pipeline : Pipeline
    cancel : Cancel

    Raises
    ------
    CallError
        The desk has no model.
    """
    from ..knowledge import proposed_in

    pipeline.needs_model("no model reads the documents")

    def read(document: Document) -> list[EntityStatement]:
        found: list[EntityStatement] = []
        for start, end in _pages(document):
            page = document.text[start:end]
            reply = pipeline.reply_about("statements.j2", page, cancel, document.title)
            found += proposed_in(reply, document, start, end)
        return found

    return read


def _pages(document: Document) -> Iterator[tuple[int, int]]:
    """Stretches of whole blocks, none much longer than a page."""
    start = end = 0
    for block in document.blocks:
        if end > start and block.end - start > _PAGE:
            yield start, end
            start = block.start
        end = block.end
    if end > start:
        yield start, end
