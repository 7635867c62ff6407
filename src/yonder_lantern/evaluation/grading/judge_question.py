"""One question, asked of a desk, and what came back, judged."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Protocol

from ...conversation import full_question
from ...core import Answer, AnswerStatus, Document, FoundSpan, Hit, Query, ServiceError
from ...text import count_tokens
from ..measures import Ranked, covered_together, judge_ranking
from ..questions import Located, Question, Span
from .graded_question import QuestionGrade


class Gradable(Protocol):
    """What grading needs of a desk."""

    def find_and_answer(self, query: Query, depth: int) -> tuple[Sequence[FoundSpan], Answer]:
        """The spans found, down to a depth, and the answer, from a single search."""
        ...

    def document(self, id_: str) -> Document | None:
        """A document by id."""
        ...


def query_of_question(question: Question, moment: datetime) -> Query:
    """A question of a set as it is asked: of its audience, at its time, after its turns."""
    earlier: list[str] = []
    for turn in question.turns:
        earlier.append(str(full_question(turn, earlier)))
    return Query(question.question, audience=question.audience, as_of=moment, earlier=earlier)


def grade_question(
    desk: Gradable, question: Question, located: Located, moment: datetime, depth: int
) -> QuestionGrade:
    """Ask one question and judge what comes back.

    Parameters
    ----------
    desk : Gradable
    question : Question
    located : Located
        Where what it expects stands.
    moment : datetime
        When it is asked.
    depth : int
        How many hits are judged.
    """
    try:
        hits, answer = desk.find_and_answer(query_of_question(question, moment), depth)
    except ServiceError as error:
        return _not_asked(question, located, error.what)
    return judge(question, located, hits, answer)


def judge(
    question: Question, located: Located, hits: Sequence[FoundSpan], answer: Answer
) -> QuestionGrade:
    """Judge what was found and answered.

    Parameters
    ----------
    question, located
        As for `grade_question`.
    hits : sequence of FoundSpan
    answer : Answer
    """
    found = [ranked(hit) for hit in hits]
    if located.groups and all(span.whole for group in located.groups for span in group):
        found = _documents_once(found)
    cited = [Ranked(one.document, one.start, one.end) for one in answer.citations]
    groups = located.groups
    held = [any(covered_together(cited, span) for span in group) for group in groups]
    covered = bool(groups) and all(held)
    present = [_says(answer.text, words) for words in question.answer]
    wrong = [_says(answer.text, words) for words in question.wrong]
    written = len(answer.statements) + len(answer.unsupported)
    spans = [span for group in groups for span in group]
    return QuestionGrade(
        id=question.id,
        kind=question.kind,
        split=question.split,
        question=question.question,
        answerable=question.answerable,
        status=answer.status,
        support=answer.support,
        covered=covered and answer.answered,
        right=covered and all(present) and not any(wrong) and answer.answered,
        excerpt_holds=covered and not answer.answered,
        ranking=judge_ranking(found, groups, located.irrelevant) if groups else None,
        facts_present=_share(present),
        facts_wrong=_share(wrong),
        borne_out=len(answer.statements) / written if written else None,
        citation_precision=_share([any(_touch(one, span) for span in spans) for one in cited])
        if groups
        else None,
        citation_recall=_share(held),
        likeness=answer.likeness,
        length=count_tokens(answer.text),
        milliseconds=float((answer.times or {}).get("whole", 0.0)),
        tokens=answer.tokens.read + answer.tokens.written,
        cost=answer.cost.amount,
        currency=answer.cost.currency if answer.cost.amount else "",
        text=answer.text,
        hits=tuple(found),
        cited=tuple(cited),
    )


def _documents_once(found: Sequence[Ranked]) -> list[Ranked]:
    """Where whole documents are expected, each counts at its best hit."""
    best: dict[str, Ranked] = {}
    for one in found:
        best.setdefault(one.document, one)
    return list(best.values())


def ranked(hit: Hit | FoundSpan) -> Ranked:
    """A hit as it is judged."""
    also = tuple(Ranked(one.document, one.start, one.end) for one in hit.also)
    tokens = hit.tokens if isinstance(hit, FoundSpan) else count_tokens(hit.text)
    return Ranked(hit.document, hit.start, hit.end, also, tokens)


def _not_asked(question: Question, located: Located, problem: str) -> QuestionGrade:
    return QuestionGrade(
        id=question.id,
        kind=question.kind,
        split=question.split,
        question=question.question,
        answerable=question.answerable,
        status=AnswerStatus.DECLINED,
        support=0.0,
        covered=False,
        right=False,
        excerpt_holds=False,
        ranking=judge_ranking((), located.groups) if located.groups else None,
        problem=problem,
    )


def _says(text: str, words: str) -> bool:
    return " ".join(words.split()) in " ".join(text.split())


def _share(held: Sequence[bool]) -> float | None:
    return sum(held) / len(held) if held else None


def _touch(one: Ranked, span: Span) -> bool:
    inside = one.start < span.end and span.start < one.end
    return one.document == span.document and (span.whole or inside)
