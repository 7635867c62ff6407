"""Answers: statements, the citations they rest on, and what they cost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from .documents import BlockKind, Location
from .money import Money
from .note import FoundNote
from .step import Step
from .ways import DialogueState, Route

_SURE, _LIKELY = 0.8, 0.5  # of support, from which an answer is called so


class AnswerStatus(StrEnum):
    """How a question ended: answered; the closest passages shown as they are; declined."""

    ANSWER = "answer"
    EXCERPT = "excerpt"
    DECLINED = "declined"


@dataclass(frozen=True, slots=True)
class Citation:
    """A span of one version of one document that a statement rests on.

    ``checked`` is when its source was last read, in UTC (ISO 8601). ``question_words`` are
    the words of the question in the quote of an excerpt: start and end within it. ``live`` is
    for values looked up when the question came: there is no document to open.
    """

    number: int
    document: str
    version: str
    title: str
    start: int
    end: int
    quote: str
    location: Location
    checked: str = ""
    question_words: tuple[tuple[int, int], ...] = ()
    live: bool = False

    def __str__(self) -> str:
        words = " ".join(self.quote.split())
        return f"[{self.number}] {self.location.within(self.document)}: “{words}”"


@dataclass(frozen=True, slots=True)
class Statement:
    """One piece of an answer, in the words of the source.

    ``support`` says how far the cited words bear it out as an answer to the
    question, 0 to 1. ``formula`` is how it was worked out from rows; empty for what is
    quoted.
    """

    text: str
    kind: BlockKind
    language: str
    citations: tuple[int, ...]
    support: float
    formula: str = ""


@dataclass(frozen=True, slots=True)
class Nearest:
    """What came close in a document, named when an answer is declined; the words as they stand."""

    document: str
    title: str
    location: Location
    quote: str = ""


@dataclass(frozen=True, slots=True)
class Unsupported:
    """A sentence of a model that its citations do not bear out, and why."""

    sentence: str
    why: str


@dataclass(frozen=True, slots=True)
class Tokens:
    """What a model read and wrote; ``estimated`` where it did not say itself."""

    read: int = 0
    written: int = 0
    estimated: bool = False

    def __add__(self, other: Tokens) -> Tokens:
        """Those of two calls together."""
        estimated = self.estimated or other.estimated
        return Tokens(self.read + other.read, self.written + other.written, estimated)


@dataclass(frozen=True, slots=True)
class Spent:
    """One call of a model: when (UTC, ISO 8601), which, and what it came to."""

    at: str
    model: str
    tokens: Tokens
    cost: Money


@dataclass(frozen=True, slots=True)
class Answer:
    """A grounded answer, the passages that come closest, or a declined question.

    Attributes
    ----------
    question : str
        As asked.
    text : str
        The whole answer as Markdown, with citation numbers; the passages of an excerpt
        after words that say so; when declined, the words that say that.
    statements : tuple of Statement
        None in an excerpt: nothing is claimed.
    citations : tuple of Citation
        Numbered from 1 in the order of the text.
    status : AnswerStatus
        ``answer``, ``excerpt`` or ``declined``.
    support : float
        Estimated probability, 0 to 1, that the answer is right; of an excerpt, that one of
        its passages holds the answer.
    likeness : float or None
        Estimated probability, 0 to 1, that it is in the style of the documents that
        ``answer.style`` names, and not of the others; None where it names none.
    looked_for : tuple of str
        The words that were searched for.
    missing : tuple of str
        Those of them that stand nowhere in what the caller may see.
    nearest : tuple of Nearest
        What came closest, best first.
    suggestions : tuple of str
        What sections near a declined question are called: what could be asked instead.
    choices : tuple of str
        What is asked back: the things that the question fits equally well.
    disagree : bool
        Whether the documents contradict each other.
    verdict : str
        ``yes`` or ``no``, where the question asks for that and the first sentence decides.
    read_as : mapping of str to str
        Words that no document has, and what they were read as.
    by : str
        The model that wrote it; empty for the built-in answerer.
    unsupported : tuple of Unsupported
        Sentences of a model that were removed or marked.
    cut : bool
        Whether a model's text ends too early: it had as many tokens as it may, or broke off.
    broke_off : str
        What went wrong where its server broke off in mid-answer.
    courtesy : str
        What was answered without searching: ``greeting``, ``thanks``, ``farewell``,
        ``help`` or ``identity``; empty for a question to the documents.
    route : Route
        Which way the question went, and why.
    dialogue : DialogueState or None
        Where a dialogue stands that waits for a value.
    preferences : tuple of str
        What the person said of themselves that was taken into account.
    rules : tuple of str
        The house rules that found something to do, by what they are called.
    tokens : Tokens
        What a model read and wrote.
    cost : Money
    notes : tuple of FoundNote
        Notes that fit the question; nothing of them is in the answer.
    steps : tuple of Step
        Those that led to it, where the question needed several searches; empty for one.
    trace : str
        The id of the trace that was kept, empty when none was.
    times : mapping of str to float
        Milliseconds by step.
    """

    question: str
    text: str
    statements: tuple[Statement, ...]
    citations: tuple[Citation, ...]
    status: AnswerStatus
    support: float
    looked_for: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    nearest: tuple[Nearest, ...] = ()
    suggestions: tuple[str, ...] = ()
    choices: tuple[str, ...] = ()
    disagree: bool = False
    verdict: str = ""
    read_as: Mapping[str, str] = field(default_factory=dict)
    by: str = ""
    unsupported: tuple[Unsupported, ...] = ()
    cut: bool = False
    broke_off: str = ""
    courtesy: str = ""
    route: Route = field(default_factory=Route)
    dialogue: DialogueState | None = None
    preferences: tuple[str, ...] = ()
    rules: tuple[str, ...] = ()
    tokens: Tokens = Tokens()
    cost: Money = Money()
    notes: tuple[FoundNote, ...] = ()
    steps: tuple[Step, ...] = ()
    trace: str = ""
    times: Mapping[str, float] | None = None
    likeness: float | None = None

    @property
    def answered(self) -> bool:
        """Whether it is an answer: neither an excerpt nor declined."""
        return self.status is AnswerStatus.ANSWER

    @property
    def certainty(self) -> str:
        """How sure the answer is, in a word: ``sure``, ``likely`` or ``unsure``."""
        return (
            "sure" if self.support >= _SURE else "likely" if self.support >= _LIKELY else "unsure"
        )

    @property
    def declined(self) -> bool:
        """Whether not even an excerpt was likely to hold the answer."""
        return self.status is AnswerStatus.DECLINED

    def __str__(self) -> str:
        if not self.citations:
            return self.text
        return f"{self.text}\n\n" + "\n".join(map(str, self.citations))
