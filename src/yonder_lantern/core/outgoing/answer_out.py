"""Answers, extracted values and prompts, as they go out."""

from __future__ import annotations

from typing import Any

import msgspec

from ..answers import Answer, Citation, Tokens
from ..extracted import Extracted
from ..money import Money
from ..note import FoundNote
from ..step import Step
from ..ways import DialogueState, Route
from .hits_out import LocationOut


class MoneyOut(msgspec.Struct, frozen=True):
    """An amount; nothing has no currency."""

    amount: str
    currency: str | None
    simulated: bool = False

    @classmethod
    def of(cls, money: Money) -> MoneyOut:
        """An amount as it goes out."""
        currency = money.currency if money.amount else None
        return cls(f"{money.amount:f}", currency, money.simulated)


class TokensOut(msgspec.Struct, frozen=True):
    """What a model read and wrote; ``estimated`` where it did not say itself."""

    read: int
    written: int
    estimated: bool

    @classmethod
    def of(cls, tokens: Tokens) -> TokensOut:
        """Counts as they go out."""
        return cls(tokens.read, tokens.written, tokens.estimated)


class CitationOut(msgspec.Struct, frozen=True):
    """A span of one version of one document that a statement rests on."""

    number: int
    document: str
    version: str
    title: str
    start: int
    end: int
    quote: str
    location: LocationOut
    checked: str
    question_words: list[tuple[int, int]]
    live: bool

    @classmethod
    def of(cls, one: Citation) -> CitationOut:
        """A citation as it goes out."""
        return cls(
            one.number,
            one.document,
            one.version,
            one.title,
            one.start,
            one.end,
            one.quote,
            LocationOut.of(one.location),
            one.checked,
            list(one.question_words),
            one.live,
        )


class StatementOut(msgspec.Struct, frozen=True):
    """One piece of an answer and the numbers of its citations."""

    text: str
    kind: str
    citations: list[int]
    support: float
    formula: str


class NearestOut(msgspec.Struct, frozen=True):
    """What came close in a document, where an answer is declined."""

    document: str
    title: str
    location: str
    quote: str


class UnsupportedOut(msgspec.Struct, frozen=True):
    """A sentence of a model that its citations do not bear out, and why."""

    sentence: str
    why: str


class LookedUpOut(msgspec.Struct, frozen=True):
    """A value asked for when the question came."""

    name: str
    address: str
    values: dict[str, Any]
    cached: bool
    problem: str
    milliseconds: float


class NoteOut(msgspec.Struct, frozen=True):
    """A note that fits a question; nothing of it is in the answer."""

    id: str
    text: str
    by: str
    at: str
    audience: list[str]
    source: str
    about: str
    valid_from: str
    valid_until: str
    withdrawn: str
    score: float
    contradicts: list[str]
    newer: str

    @classmethod
    def of(cls, found: FoundNote) -> NoteOut:
        """A note as it goes out."""
        one = found.note
        return cls(
            one.id,
            one.text,
            one.by,
            one.at,
            list(one.audience),
            one.source,
            one.about,
            one.valid_from,
            one.valid_until,
            one.withdrawn,
            found.score,
            list(found.contradicts),
            found.newer,
        )


class RouteOut(msgspec.Struct, frozen=True):
    """Which way a question went: the documents, a fixed reply, a dialogue; and why."""

    way: str
    name: str
    why: str
    phrasing: str
    sure: float
    next_sure: float
    look_ups: list[LookedUpOut]

    @classmethod
    def of(cls, route: Route) -> RouteOut:
        """A route as it goes out."""
        looked_up = [
            LookedUpOut(
                one.name, one.address, dict(one.values), one.cached, one.problem, one.milliseconds
            )
            for one in route.look_ups
        ]
        return cls(
            route.way.value, route.name, route.why, route.phrasing, route.sure, route.next_sure,
            looked_up,
        )  # fmt: skip


class DialogueOut(msgspec.Struct, frozen=True):
    """Where a dialogue stands: the step whose value is waited for, and the values so far."""

    name: str
    step: str
    values: dict[str, Any]

    @classmethod
    def of(cls, state: DialogueState) -> DialogueOut:
        """A state as it goes out."""
        return cls(state.name, state.step, dict(state.values))

    def state(self) -> DialogueState:
        """The same as a query takes it."""
        return DialogueState(self.name, self.step, self.values)


class AnswerOut(msgspec.Struct, frozen=True, omit_defaults=False):
    """An answer: ``yonder ask --json``."""

    question: str
    text: str
    status: str
    certainty: str
    support: float
    likeness: float | None
    statements: list[StatementOut]
    citations: list[CitationOut]
    house_rules: list[str]
    looked_for: list[str]
    missing: list[str]
    read_as: dict[str, str]
    nearest: list[NearestOut]
    suggestions: list[str]
    choices: list[str]
    disagree: bool
    verdict: str
    cut: bool
    broke_off: str
    courtesy: str
    route: RouteOut
    dialogue: DialogueOut | None
    preferences: list[str]
    by: str
    unsupported: list[UnsupportedOut]
    tokens: TokensOut
    cost: MoneyOut
    notes: list[NoteOut]
    steps: list[StepOut]
    trace: str
    milliseconds: dict[str, float]

    @classmethod
    def of(cls, answer: Answer, citations: int | None = None) -> AnswerOut:
        """An answer as it goes out, with so many of its citations at most."""
        return cls(
            question=answer.question,
            text=answer.text,
            status=answer.status.value,
            certainty=answer.certainty if answer.answered else "",
            support=answer.support,
            likeness=answer.likeness,
            statements=[
                StatementOut(
                    one.text, one.kind.name.lower(), list(one.citations), one.support, one.formula
                )
                for one in answer.statements
            ],
            citations=[CitationOut.of(one) for one in answer.citations[:citations]],
            house_rules=list(answer.rules),
            looked_for=list(answer.looked_for),
            missing=list(answer.missing),
            read_as=dict(answer.read_as),
            nearest=[
                NearestOut(one.document, one.title, str(one.location), one.quote)
                for one in answer.nearest
            ],
            suggestions=list(answer.suggestions),
            choices=list(answer.choices),
            disagree=answer.disagree,
            verdict=answer.verdict,
            cut=answer.cut,
            broke_off=answer.broke_off,
            courtesy=answer.courtesy,
            route=RouteOut.of(answer.route),
            dialogue=DialogueOut.of(answer.dialogue) if answer.dialogue else None,
            preferences=list(answer.preferences),
            by=answer.by,
            unsupported=[UnsupportedOut(one.sentence, one.why) for one in answer.unsupported],
            tokens=TokensOut.of(answer.tokens),
            cost=MoneyOut.of(answer.cost),
            notes=[NoteOut.of(one) for one in answer.notes],
            steps=[StepOut.of(one) for one in answer.steps],
            trace=answer.trace,
            milliseconds=dict(answer.times or {}),
        )


class StepSpanOut(msgspec.Struct, frozen=True):
    """Words that a step found, and where they stand."""

    document: str
    start: int
    end: int
    quote: str


class StepOut(msgspec.Struct, frozen=True):
    """What one step of a question asked, found and passed on."""

    question: str
    kind: str
    searched: list[str]
    found: StepSpanOut | None
    passed_on: str
    milliseconds: float

    @classmethod
    def of(cls, step: Step) -> StepOut:
        """A step as it goes out."""
        span = step.found
        return cls(
            step.question,
            step.kind,
            list(step.searched),
            StepSpanOut(span.document, span.start, span.end, span.quote) if span else None,
            step.passed_on,
            step.milliseconds,
        )


class FieldOut(msgspec.Struct, frozen=True):
    """One field of an extracted object and the numbers of its citations."""

    value: Any
    support: float
    citations: list[int]


class ExtractionOut(msgspec.Struct, frozen=True):
    """An object of a schema: ``yonder ask --schema FILE --json``."""

    question: str
    value: Any
    missing: list[str]
    fields: dict[str, FieldOut]
    citations: list[CitationOut]
    attempts: int
    by: str
    unsupported: list[UnsupportedOut]
    tokens: TokensOut
    cost: MoneyOut
    trace: str
    milliseconds: dict[str, float]

    @classmethod
    def of(cls, extracted: Extracted, citations: int | None = None) -> ExtractionOut:
        """An extracted object as it goes out, with so many citations at most."""
        return cls(
            question=extracted.question,
            value=extracted.value,
            missing=list(extracted.missing),
            fields={
                pointer: FieldOut(one.value, one.support, [c.number for c in one.citations])
                for pointer, one in extracted.fields.items()
            },
            citations=[CitationOut.of(one) for one in extracted.citations[:citations]],
            attempts=extracted.attempts,
            by=extracted.by,
            unsupported=[UnsupportedOut(one.sentence, one.why) for one in extracted.unsupported],
            tokens=TokensOut.of(extracted.tokens),
            cost=MoneyOut.of(extracted.cost),
            trace=extracted.trace,
            milliseconds=dict(extracted.times or {}),
        )


class PromptOut(msgspec.Struct, frozen=True):
    """What a model would be sent: ``yonder ask --show-prompt --json``."""

    instructions: str
    question: str
    tokens: int
    passages: int
    left_out: int
    most: MoneyOut
