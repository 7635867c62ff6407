"""The record of one question, as it is kept and goes out."""

from __future__ import annotations

from typing import Any

import msgspec

from .answer_out import MoneyOut, RouteOut, StepOut


class TermOut(msgspec.Struct, frozen=True):
    """A term, how much it weighs, and in how many passages it stands."""

    term: str
    weight: float
    passages: int


class RankOut(msgspec.Struct, frozen=True):
    """Where one stage alone puts a hit."""

    rank: int | None
    score: float


class TracedHitOut(msgspec.Struct, frozen=True):
    """A hit of a trace: which span, and what made its score."""

    document: str
    version: str
    start: int
    end: int
    location: str
    score: float
    stages: dict[str, RankOut]
    shares: dict[str, float]


class FurtherOut(msgspec.Struct, frozen=True):
    """What was searched besides: a part of the question, a thing compared."""

    question: str
    searched: list[TermOut]
    hits: list[TracedHitOut]


class TracedCitationOut(msgspec.Struct, frozen=True):
    """A citation of a trace."""

    number: int
    document: str
    version: str
    start: int
    end: int
    quote: str
    location: str


class TracedAnswerOut(msgspec.Struct, frozen=True):
    """The answer of a trace."""

    text: str
    status: str
    cut: bool
    courtesy: str
    route: RouteOut
    support: float
    house_rules: list[str]
    citations: list[TracedCitationOut]
    steps: list[StepOut]


class TraceOut(msgspec.Struct, frozen=True):
    """The record of one question: ``yonder trace ID --json``.

    When it is kept it gets an ``id`` and the moment ``at`` which it was.
    """

    question: str
    rewritten: str
    audience: list[str] | None
    as_of: str | None
    generation: int
    passages: int
    language: str
    settings: dict[str, Any]
    searched: list[TermOut]
    where: str
    values: dict[str, str]
    read_as: dict[str, str]
    other_forms: dict[str, list[str]]
    phrases: dict[str, int]
    hits: list[TracedHitOut]
    further: list[FurtherOut]
    answer: TracedAnswerOut
    broken_off: str
    cost: MoneyOut
    milliseconds: dict[str, float]
    id: str = ""
    at: str = ""
