"""For each question that was missed: at which step it was lost."""

from __future__ import annotations

import shlex
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from ...core import (
    AnswerStatus,
    CallError,
    Explanation,
    Hit,
    Progress,
    Query,
    no_progress,
)
from ..grading import Gradable, Grades, QuestionGrade, Task, grade_question, query_of_question
from ..grading import ranked as as_ranked
from ..measures import Ranked, covers
from ..questions import Question, Span
from .cause import MEANS, RUNGS, Cause, next_step

_HALF = 0.5
_STEPS = {cause: step for step, (_, causes) in enumerate(RUNGS) for cause in causes}


class Diagnosable(Gradable, Protocol):
    """What finding out why needs of a desk."""

    def explain(self, query: Query | str, passage: str) -> Explanation:
        """Why a passage stands where it does."""
        ...

    def passages_of(self, id_: str) -> Sequence[tuple[int, int]]:
        """Where the passages of a document start and end."""
        ...

    def passages_sent(self, query: Query) -> Sequence[Hit] | None:
        """What a model would be sent; None if no model answers."""
        ...

    def is_unread(self, id_: str) -> bool:
        """Whether a document is missing because it could not be read."""
        ...

    def answering_all(self) -> Gradable:
        """The same, declining nothing."""
        ...


@dataclass(frozen=True, slots=True)
class Failure:
    """A question that was missed, and why.

    Attributes
    ----------
    id, question, kind : str
    cause : Cause
    detail : str
        What was seen.
    passage : str
        What was expected, as ``DOCUMENT#OFFSET``; empty if there is no such document.
    advice, command : str
        What to try next.
    """

    id: str
    question: str
    kind: str
    cause: Cause
    detail: str
    passage: str
    advice: str
    command: str

    @property
    def means(self) -> str:
        """What the cause says, in a sentence."""
        return MEANS[self.cause]

    @property
    def why(self) -> str:
        """The command that accounts for the rank of what was expected; empty if it is not there."""
        if not self.passage:
            return ""
        return f"yonder find {shlex.quote(self.question)} --why-not {shlex.quote(self.passage)}"


@dataclass(frozen=True, slots=True)
class _Found:
    """How far one expected span got."""

    cause: Cause | None
    detail: str
    span: Span | None


def diagnose(
    desk: Diagnosable,
    tasks: Sequence[Task],
    grades: Grades,
    limit: int,
    *,
    progress: Progress = no_progress,
) -> list[Failure]:
    """Why each question that was missed was missed.

    Parameters
    ----------
    desk : Diagnosable
    tasks : sequence of Task
        The questions, and where what they expect stands.
    grades : Grades
        Of them.
    limit : int
        How many hits an answer rests on.
    progress : Progress

    Returns
    -------
    list of Failure
        In the order of the questions; those that are right are not among them.
    """
    found = []
    graded = {one.id: one for one in grades.questions}
    bold = desk.answering_all()
    for done, task in enumerate(tasks):
        progress("finding out why", done, len(tasks))
        own = graded.get(task.question.id)
        if own is None or own.outcome == "right":
            continue
        found.append(_failure(task, *_cause(desk, bold, task, own, limit)))
    progress("finding out why", len(tasks), len(tasks))
    return found


def unread(questions: Sequence[Question]) -> list[Failure]:
    """The failures of questions that were left out, as their documents could not be read."""
    return [
        Failure(
            one.id,
            one.question,
            one.kind,
            Cause.UNREADABLE,
            one.expected[0][0].document,
            "",
            *next_step(Cause.UNREADABLE),
        )
        for one in questions
    ]


def _failure(task: Task, cause: Cause, detail: str, span: Span | None) -> Failure:
    advice, command = next_step(cause)
    return Failure(
        task.question.id,
        task.question.question,
        task.question.kind,
        cause,
        detail,
        f"{span.document}#{span.start}" if span else "",
        advice,
        command,
    )


def _cause(
    desk: Diagnosable, bold: Gradable, task: Task, own: QuestionGrade, limit: int
) -> tuple[Cause, str, Span | None]:
    if own.problem:
        return Cause.SERVICE, own.problem, None
    if not own.answerable:
        return Cause.ANSWERED, f"support {own.support:.2f}", None
    if own.answered and own.facts_present == 1 and not own.facts_wrong:
        where = f"{own.cited[0].document}#{own.cited[0].start}" if own.cited else "nothing"
        return Cause.JUDGED, f"it says {task.question.answer[0]!r}, citing {where}", None
    span = next((one for group in task.located.groups for one in group), None)
    if not own.answered and span is not None:
        boldly = grade_question(bold, task.question, task.located, task.moment, limit)
        if boldly.right:  # by whichever way it was found
            return Cause.DECLINED, f"support {boldly.support:.2f}", span
    lost = [_how_far(desk, task, own, number, limit) for number in range(len(task.located.groups))]
    worst = min(
        (one for one in lost if one.cause),
        key=lambda one: _STEPS[one.cause] if one.cause else 0,
        default=None,
    )
    if worst is not None and worst.cause:
        return worst.cause, worst.detail, worst.span
    if own.answered and not own.covered and _says_it_elsewhere(desk, task, own):
        return Cause.JUDGED, "the words it cites hold what is expected", span
    return Cause.NOT_USED, _what_was_said(own), span


def _how_far(desk: Diagnosable, task: Task, own: QuestionGrade, number: int, limit: int) -> _Found:
    """How far the alternative of a group got that got furthest."""
    spans = task.located.groups[number]
    if not spans:
        documents = [one.document for one in task.question.expected[number]]
        if any(desk.is_unread(one) for one in documents):
            return _Found(Cause.UNREADABLE, documents[0], None)
        return _Found(Cause.NOT_GATHERED, documents[0], None)
    query = query_of_question(task.question, task.moment)
    before = own.hits[:limit]
    reached = [span for span in spans if any(covers(one, span) for one in before)]
    if reached:
        sent = desk.passages_sent(query)
        if sent is None or any(covers(as_ranked(one), span) for one in sent for span in reached):
            return _Found(None, "", reached[0])
        return _Found(Cause.NOT_SENT, "no room was left", reached[0])
    ways = [_not_found(desk, query, span, limit) for span in spans]
    return max(ways, key=lambda one: _STEPS[one.cause] if one.cause else 0)


def _not_found(desk: Diagnosable, query: Query, span: Span, limit: int) -> _Found:
    """Why a span is not among what was found."""
    passages = desk.passages_of(span.document)
    best = max(passages, key=lambda one: _shared(one, span), default=(0, 0))
    held = _shared(best, span) / max(1, span.end - span.start)
    try:
        told = desk.explain(query, f"{span.document}#{best[0]}")
    except CallError:
        return _Found(Cause.NOT_VISIBLE, span.document, span)
    if not told.allowed:
        return _Found(Cause.NOT_VISIBLE, span.document, span)
    if held < _HALF and not span.whole:
        detail = f"the best passage holds {held:.0%} of it"
        return _Found(Cause.CUT_BADLY, detail, span)
    if not told.candidate:
        words = ", ".join(told.missing[:5])
        detail = f"it has none of: {words}" if words else "it is not near enough in meaning"
        return _Found(Cause.NOT_RETRIEVED, detail, span)
    detail = f"rank {told.rank} of {told.ranked}; {limit} are shown"
    return _Found(Cause.RANKED_LOW, detail, span)


def _shared(passage: tuple[int, int], span: Span) -> int:
    return max(0, min(passage[1], span.end) - max(passage[0], span.start))


def _says_it_elsewhere(desk: Diagnosable, task: Task, own: QuestionGrade) -> bool:
    """Whether the words cited hold an expected quote of every group, in another place."""
    if not own.cited:
        return False
    said = " ".join(_flat(_words(desk, one)) for one in own.cited)
    return all(
        any(
            _flat(_words(desk, Ranked(span.document, span.start, span.end))) in said
            for span in group
            if not span.whole
        )
        for group in task.located.groups
    )


def _words(desk: Gradable, one: Ranked) -> str:
    document = desk.document(one.document)
    return document.text[one.start : one.end] if document else ""


def _flat(text: str) -> str:
    return " ".join(text.split()).casefold()


def _what_was_said(own: QuestionGrade) -> str:
    if own.status is AnswerStatus.DECLINED:
        return "declined: what it would have said is not right either"
    where = f"{own.cited[0].document}#{own.cited[0].start}" if own.cited else "nothing"
    return ("answered from " if own.answered else "shown instead: ") + where
