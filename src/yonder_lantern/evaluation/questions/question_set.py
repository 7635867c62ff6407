"""Question sets: reading them, and finding their quotes in the documents."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta
from msgspec.structs import replace as replace_parts

from ...core import QuestionSetError

# What of a question decides how it is asked and its answer judged.
_BEARING = ("id", "question", "expected", "answer", "wrong", "audience", "as_of", "turns")


class Expected(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One span that bears out an answer: a quote of a document.

    Without a quote the whole document is meant: any passage of it will do. ``occurrence`` counts
    from 1 where the quote stands more than once; ``grade`` says how good the span is, 1 or more;
    ``version`` is the document's when the quote was last seen in it.
    """

    document: str
    quote: str = ""
    occurrence: Annotated[int, Meta(ge=1)] = 1
    grade: Annotated[int, Meta(ge=1)] = 1
    version: str = ""


class Question(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One question and what is expected of its answer.

    ``expected`` is groups, all of which are needed, of alternatives, any of which
    will do; with no group the question cannot be answered from the documents. ``answer`` are
    strings that a right answer holds, ``wrong`` such that it must not hold; ``irrelevant`` are
    spans judged to hold no answer. A ``draft`` nobody has accepted yet; ``origin`` says what a
    question was made from.
    """

    id: Annotated[str, Meta(min_length=1)]
    question: Annotated[str, Meta(min_length=1)]
    kind: str = "plain"
    expected: tuple[Annotated[tuple[Expected, ...], Meta(min_length=1)], ...] = ()
    answer: tuple[str, ...] = ()
    wrong: tuple[str, ...] = ()
    irrelevant: tuple[Expected, ...] = ()
    audience: Annotated[tuple[str, ...], Meta(min_length=1)] | None = None
    as_of: str | None = None
    turns: tuple[str, ...] = ()
    split: Literal["fit", "test"] = "test"
    draft: bool = False
    origin: str = ""

    @property
    def answerable(self) -> bool:
        """Whether the documents hold an answer."""
        return bool(self.expected)


@dataclass(frozen=True, slots=True)
class Span:
    """An expected span, found; ``whole`` where any part of its document will do."""

    document: str
    start: int
    end: int
    grade: int
    whole: bool = False


@dataclass(frozen=True, slots=True)
class LostQuote:
    """An expectation that is met nowhere: its document is not there, or does not hold the quote."""

    line: int
    question: str
    expected: Expected
    missing: bool

    def __str__(self) -> str:
        before = f"line {self.line}, {self.question}"
        if self.missing:
            return f"{before}: there is no document {self.expected.document}"
        quote = self.expected.quote
        quote = quote if len(quote) <= 60 else quote[:57] + "…"
        return f"{before}: {self.expected.document} does not hold {quote!r}"


@dataclass(frozen=True, slots=True)
class Located:
    """Where what a question expects stands.

    Attributes
    ----------
    groups : tuple of tuple of Span
        A group that no document has stays, empty: it cannot be met.
    irrelevant : tuple of Span
    lost : tuple of LostQuote
    """

    groups: tuple[tuple[Span, ...], ...]
    irrelevant: tuple[Span, ...]
    lost: tuple[LostQuote, ...] = ()


@dataclass(frozen=True, slots=True)
class QuestionSet:
    """Questions, where they are from, and which line each stands on."""

    path: Path
    questions: tuple[Question, ...]
    lines: tuple[int, ...]
    unread: tuple[Question, ...] = ()
    drafts: int = 0

    @property
    def left_out(self) -> int:
        """How many questions are about documents that could not be read here."""
        return len(self.unread)

    def without_drafts(self) -> QuestionSet:
        """The questions that somebody wrote or accepted; how many drafts there are besides."""
        kept = self._those(lambda question: not question.draft)
        return replace(kept, drafts=len(self.questions) - len(kept.questions))

    def readable(self, unread: Callable[[str], bool]) -> QuestionSet:
        """Without the questions about documents that could not be read here.

        Parameters
        ----------
        unread : callable
            Whether a document is missing because it, or its source, could not be read.
        """
        kept = self._those(
            lambda question: (
                not any(unread(one.document) for group in question.expected for one in group)
            )
        )
        there = {one.id for one in kept.questions}
        return replace(kept, unread=tuple(one for one in self.questions if one.id not in there))

    def of_split(self, split: str) -> QuestionSet:
        """The questions of one split."""
        return self._those(lambda question: question.split == split)

    def _those(self, fits: Callable[[Question], bool]) -> QuestionSet:
        there = [pair for pair in zip(self.questions, self.lines, strict=True) if fits(pair[0])]
        return replace(
            self,
            questions=tuple(question for question, _ in there),
            lines=tuple(line for _, line in there),
        )

    def locate(self, text_of: Callable[[str], str | None]) -> list[Located]:
        """Where what each question expects stands, and what of it is lost.

        Parameters
        ----------
        text_of : callable
            The canonical text of a document, or None if there is no such one.
        """
        texts: dict[str, str | None] = {}
        found = []
        for question, line in zip(self.questions, self.lines, strict=True):
            lost: list[LostQuote] = []
            groups: list[list[Span]] = []
            for group in question.expected:
                groups.append([])
                for one in group:
                    span = _there(one, texts, text_of)
                    if span is None:
                        missing = texts[one.document] is None
                        lost.append(LostQuote(line, question.id, one, missing))
                    else:
                        groups[-1].append(span)
            others = [_there(one, texts, text_of) for one in question.irrelevant]
            found.append(
                Located(
                    tuple(map(tuple, groups)),
                    tuple(span for span in others if span is not None),
                    tuple(lost),
                )
            )
        return found

    def located(self, text_of: Callable[[str], str | None]) -> list[list[list[Span]]]:
        """For each question, its groups of spans; nothing may be lost.

        Parameters
        ----------
        text_of : callable
            As for `locate`.

        Raises
        ------
        QuestionSetError
            A quote does not stand in its document, or the document is not there;
            names every one of them, by line.
        """
        found = self.locate(text_of)
        self.refuse_lost([one for own in found for one in own.lost])
        return [[list(group) for group in own.groups] for own in found]

    def refuse_lost(self, lost: Sequence[LostQuote]) -> None:
        """Raise an error that names every expectation that is lost, if there is any."""
        if not lost:
            return
        shown = "\n  ".join(str(one) for one in lost[:10])
        more = f"\n  and {len(lost) - 10} more" if len(lost) > 10 else ""
        raise QuestionSetError(
            f"{len(lost)} expected quotes no longer stand:\n  {shown}{more}",
            str(self.path),
            "gather if the index is behind its sources; then find them again with: "
            "yonder questions check",
        )

    def fingerprint(self) -> str:
        """A hash of what is asked and expected, whatever the order: results of one set compare.

        The version that a quote was last seen in changes nothing of it.
        """
        lines = sorted(
            repr([getattr(_unversioned(one), name) for name in _BEARING]) for one in self.questions
        )
        return hashlib.sha256("\n".join(lines).encode()).hexdigest()[:16]


def _unversioned(question: Question) -> Question:
    expected = tuple(
        tuple(replace_parts(one, version="") for one in group) for group in question.expected
    )
    return replace_parts(question, expected=expected)


def _there(
    expected: Expected, texts: dict[str, str | None], text_of: Callable[[str], str | None]
) -> Span | None:
    if expected.document not in texts:
        texts[expected.document] = text_of(expected.document)
    text = texts[expected.document]
    return None if text is None else span_of(text, expected)


def span_of(text: str, expected: Expected) -> Span | None:
    """Where an expected quote stands in its document's text; None if it does not."""
    if not expected.quote:
        return Span(expected.document, 0, len(text), expected.grade, whole=True)
    start = _occurrence(text, expected.quote, expected.occurrence)
    if start < 0:
        return None
    return Span(expected.document, start, start + len(expected.quote), expected.grade)


def expected_at(document: str, text: str, start: int, end: int, **parts: Any) -> Expected:
    """The expectation of a stretch of a document's text; the inverse of `span_of`.

    Parameters
    ----------
    document, text : str
    start, end : int
    **parts
        Of an `Expected`: its grade, its version.

    Examples
    --------
    >>> expected_at("a.md", "one two one", 8, 11).occurrence
    2
    """
    quote = text[start:end]
    occurrence, at = 1, text.find(quote)
    while 0 <= at < start:
        occurrence, at = occurrence + 1, text.find(quote, at + 1)
    return Expected(document=document, quote=quote, occurrence=occurrence, **parts)


def load_questions(path: Path) -> QuestionSet:
    """Read a question set, one JSON object a line.

    Raises
    ------
    QuestionSetError
        The file is missing or holds nothing, a line is not as it should be, or
        two questions have one id.
    """
    try:
        text = path.read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise QuestionSetError(
            "there is no question set", str(path), "draft some: yonder questions draft"
        ) from None
    except (OSError, UnicodeDecodeError) as error:
        raise QuestionSetError(f"it cannot be read: {error}", str(path)) from error
    questions: list[Question] = []
    lines: list[int] = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        questions.append(_question(line, f"{path}, line {number}"))
        lines.append(number)
    seen: dict[str, int] = {}
    for question, number in zip(questions, lines, strict=True):
        if question.id in seen:
            raise QuestionSetError(
                f"two questions have the id {question.id!r}",
                f"{path}, lines {seen[question.id]} and {number}",
                "give one of them another id",
            )
        seen[question.id] = number
    if not questions:
        raise QuestionSetError(
            "the question set is empty", str(path), "draft some: yonder questions draft"
        )
    return QuestionSet(path, tuple(questions), tuple(lines))


def _question(line: str, where: str) -> Question:
    try:
        return msgspec.json.decode(line.encode("utf-8"), type=Question)
    except msgspec.ValidationError as error:
        raise QuestionSetError(
            str(error).replace("`$.", "`"), where, "see docs/howto/question-sets.md"
        ) from None
    except msgspec.DecodeError as error:
        raise QuestionSetError(f"not JSON: {error}", where, "write one object a line") from None


def _occurrence(text: str, quote: str, occurrence: int) -> int:
    at = -1
    for _ in range(occurrence):
        at = text.find(quote, at + 1)
        if at < 0:
            return -1
    return at
