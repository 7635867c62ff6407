"""Statements that the model reads from documents, besides those of our own rules."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from ..core import CallError, Cancel, Document, EntityStatement

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
    from ..platform.services import Prompt

    if not pipeline.settings.answer.model:
        raise CallError(
            "no model reads the documents",
            "answer.model",
            "name a model's profile there; see docs/howto/connect-a-model-server.md",
        )
    model, profile = pipeline.model()
    send = pipeline.send(profile, model.name, cancel)

    def read(document: Document) -> list[EntityStatement]:
        found: list[EntityStatement] = []
        for start, end in _pages(document):
            sent = pipeline.sent.applied(document.text[start:end])
            if sent.declined:
                continue
            digest = hashlib.sha256(sent.text.encode("utf-8", "surrogatepass")).hexdigest()[:8]
            values = {"title": document.title, "passage": sent.text, "fence": f"===== {digest}"}
            prompt = Prompt("", pipeline.templates().filled("statements.j2", values))
            found += proposed_in(send(prompt).text, document, start, end)
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
