"""Running a question set against a desk."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Protocol
from zoneinfo import ZoneInfo

from ..conversation import full_question
from ..core import Answer, Document, Hit, Progress, Query, no_progress
from ..settings import parse_moment
from .grades import Grades, QuestionGrade
from .measures import Ranked, covered_together, rank_measures
from .questions import Question, QuestionSet, Span


class Gradable(Protocol):
    """What grading needs of a desk."""

    def find_and_answer(self, query: Query, depth: int) -> tuple[Sequence[Hit], Answer]:
        """The passages found, to a depth, and the answer: of one search."""
        ...

    def document(self, id_: str) -> Document | None:
        """A document by id."""
        ...


def grade(
    desk: Gradable,
    questions: QuestionSet,
    *,
    as_of: datetime,
    zone: ZoneInfo,
    depth: int = 50,
    seed: int = 1,
    resamples: int = 2000,
    progress: Progress = no_progress,
) -> Grades:
    """Find and ask every question of a set and judge what comes back.

    Parameters
    ----------
    desk : Gradable
    questions : QuestionSet
    as_of : datetime
        For questions that name no date of their own.
    zone : ZoneInfo
        The zone that dates without one are in.
    depth : int
        How many hits are looked at.
    seed, resamples : int
        For the intervals.
    progress : Progress

    Raises
    ------
    QuestionSetError
        A quote no longer stands in its document.
    """

    def text_of(id_: str) -> str | None:
        document = desk.document(id_)
        return document.text if document else None

    located = questions.located(text_of)
    graded = []
    total = len(questions.questions)
    for done, (question, groups) in enumerate(zip(questions.questions, located, strict=True)):
        progress("grading", done, total)
        moment = parse_moment(question.as_of, zone, question.id) if question.as_of else as_of
        graded.append(_grade_one(desk, question, groups, moment, depth))
    progress("grading", total, total)
    return Grades(
        tuple(graded),
        as_of=as_of.astimezone(UTC).isoformat(),
        seed=seed,
        resamples=resamples,
        left_out=questions.left_out,
    )


def _ranked(hit: Hit) -> Ranked:
    also = tuple(Ranked(one.document, one.start, one.end) for one in hit.also)
    return Ranked(hit.document, hit.start, hit.end, also)


def _grade_one(
    desk: Gradable,
    question: Question,
    groups: Sequence[Sequence[Span]],
    moment: datetime,
    depth: int,
) -> QuestionGrade:
    earlier: list[str] = []
    for turn in question.turns:
        earlier.append(str(full_question(turn, earlier)))
    query = Query(question.question, audience=question.audience, as_of=moment, earlier=earlier)
    hits, answer = desk.find_and_answer(query, depth)
    found = [_ranked(hit) for hit in hits]
    measures = rank_measures(found, groups) if groups else {}
    cited = [Ranked(one.document, one.start, one.end) for one in answer.citations]
    covered = bool(groups) and all(
        any(covered_together(cited, span) for span in group) for group in groups
    )
    flat = " ".join(answer.text.split())
    said = all(" ".join(words.split()) in flat for words in question.answer)
    return QuestionGrade(
        id=question.id,
        kind=question.kind,
        split=question.split,
        answerable=question.answerable,
        status=answer.status,
        support=answer.support,
        covered=covered and answer.answered,
        right=covered and said and answer.answered,
        excerpt_holds=covered and not answer.answered,
        measures=measures,
    )
