"""Turns, conversations and the events of a streamed answer, as they go out."""

from __future__ import annotations

from typing import Any

import msgspec

from ..events import Checked, Cited, Event, Finished, Piece, Stepped, Withdrawn
from .answer_out import AnswerOut, CitationOut, StepOut
from .schemas import as_plain


class TurnOut(msgspec.Struct, frozen=True):
    """One question of a conversation and what became of it."""

    id: str
    conversation: str
    question: str
    rewritten: str
    status: str
    at: str
    answer: dict[str, Any]


class ConversationSummaryOut(msgspec.Struct, frozen=True):
    """A conversation as a list names it."""

    id: str
    title: str
    changed: str
    turns: int


class ConversationOut(msgspec.Struct, frozen=True):
    """A conversation with all its turns, and what the person said of themselves."""

    id: str
    title: str
    turns: list[TurnOut]
    preferences: list[str] = []


class DocumentOut(msgspec.Struct, frozen=True):
    """A document, with the span that was asked for; ``stale`` where it has changed since."""

    id: str
    title: str
    language: str
    version: str
    text: str
    start: int
    end: int
    quote: str
    stale: bool


class ProblemDetailsOut(msgspec.Struct, frozen=True):
    """What is wrong, as problem details (RFC 9457); ``remedy`` says what to do about it."""

    type: str
    title: str
    status: int
    detail: str
    remedy: str


def event_out(event: Event, citations: int | None = None) -> tuple[str, dict[str, Any]]:
    """An event of a streamed answer: its name and its data.

    Examples
    --------
    >>> event_out(Piece("At noon."))
    ('piece', {'text': 'At noon.'})
    """
    if isinstance(event, Piece):
        return "piece", {"text": event.text}
    if isinstance(event, Checked):
        return "checked", {"wrote": event.wrote, "text": event.text}
    if isinstance(event, Cited):
        return "cited", as_plain(CitationOut.of(event.citation))
    if isinstance(event, Withdrawn):
        return "withdrawn", {"sentence": event.sentence, "why": event.why}
    if isinstance(event, Stepped):
        return "step", as_plain(StepOut.of(event.step))
    assert isinstance(event, Finished)
    return "answer", as_plain(AnswerOut.of(event.answer, citations))
