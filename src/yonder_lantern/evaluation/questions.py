"""Question sets: reading them, and finding their quotes in the documents."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from ..core import QuestionSetError


class Expected(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One span that bears out an answer: a quote of a document.

    ``occurrence`` counts from 1 where the quote stands more than once; ``grade``
    says how good the span is, 1 or more.
    """

    document: str
    quote: Annotated[str, Meta(min_length=1)]
    occurrence: Annotated[int, Meta(ge=1)] = 1
    grade: Annotated[int, Meta(ge=1)] = 1


class Question(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One question and what is expected of its answer.

    ``expected`` is groups, all of which are needed, of alternatives, any of which
    will do; with no group the question cannot be answered from the documents.
    """

    id: Annotated[str, Meta(min_length=1)]
    question: Annotated[str, Meta(min_length=1)]
    kind: str = "plain"
    expected: tuple[Annotated[tuple[Expected, ...], Meta(min_length=1)], ...] = ()
    answer: tuple[str, ...] = ()
    audience: Annotated[tuple[str, ...], Meta(min_length=1)] | None = None
    as_of: str | None = None
    turns: tuple[str, ...] = ()
    split: Literal["fit", "test"] = "test"

    @property
    def answerable(self) -> bool:
        """Whether the documents hold an answer."""
        return bool(self.expected)


@dataclass(frozen=True, slots=True)
class Span:
    """An expected span, found."""

    document: str
    start: int
    end: int
    grade: int


@dataclass(frozen=True, slots=True)
class QuestionSet:
    """Questions, where they are from, and which line each stands on."""

    path: Path
    questions: tuple[Question, ...]
    lines: tuple[int, ...]
    left_out: int = 0

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
        return replace(kept, left_out=len(self.questions) - len(kept.questions))

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

    def located(self, text_of: Callable[[str], str | None]) -> list[list[list[Span]]]:
        """For each question, its groups of spans.

        Parameters
        ----------
        text_of : callable
            The canonical text of a document, or None if there is no such one.

        Raises
        ------
        QuestionSetError
            A quote does not stand in its document, or the document is not there;
            names every one of them, by line.
        """
        wrong: list[str] = []
        texts: dict[str, str | None] = {}
        found: list[list[list[Span]]] = []
        for question, line in zip(self.questions, self.lines, strict=True):
            groups: list[list[Span]] = []
            for group in question.expected:
                spans: list[Span] = []
                for one in group:
                    if one.document not in texts:
                        texts[one.document] = text_of(one.document)
                    text = texts[one.document]
                    start = -1 if text is None else _occurrence(text, one.quote, one.occurrence)
                    if start < 0:
                        wrong.append(_complaint(line, question.id, one, text))
                    else:
                        end = start + len(one.quote)
                        spans.append(Span(one.document, start, end, one.grade))
                groups.append(spans)
            found.append(groups)
        if wrong:
            shown = "\n  ".join(wrong[:10])
            more = f"\n  and {len(wrong) - 10} more" if len(wrong) > 10 else ""
            raise QuestionSetError(
                f"{len(wrong)} expected quotes no longer stand:\n  {shown}{more}",
                str(self.path),
                "fix these quotes, or gather if the index is behind its sources",
            )
        return found


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
            "there is no question set", str(path), "write one: see docs/howto/grade.md"
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
            "the question set is empty", str(path), "write some: see docs/howto/grade.md"
        )
    return QuestionSet(path, tuple(questions), tuple(lines))


def _question(line: str, where: str) -> Question:
    try:
        return msgspec.json.decode(line.encode("utf-8"), type=Question)
    except msgspec.ValidationError as error:
        raise QuestionSetError(
            str(error).replace("`$.", "`"), where, "see docs/howto/grade.md"
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


def _complaint(line: int, id_: str, one: Expected, text: str | None) -> str:
    if text is None:
        return f"line {line}, {id_}: there is no document {one.document}"
    quote = one.quote if len(one.quote) <= 60 else one.quote[:57] + "…"
    return f"line {line}, {id_}: {one.document} does not hold {quote!r}"
