"""A ranked run from elsewhere, judged by the same questions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ...core import QuestionSetError
from ..measures import JudgedRanking, Ranked, judge_ranking
from ..questions import Located, Question, Span
from ..statistics import Interval, mean_interval

RUN_MEASURES = ("recall@5", "recall@10", "precision@5", "success@5", "mrr", "map", "ndcg@10", "rbp")


@dataclass(frozen=True, slots=True)
class RunGrades:
    """What a run was judged to hold.

    Attributes
    ----------
    rankings : mapping of str to JudgedRanking
        By question.
    missing : int
        Questions that the run says nothing of: nothing was found for them.
    seed, resamples : int
    """

    rankings: Mapping[str, JudgedRanking]
    missing: int
    seed: int
    resamples: int

    def measure(self, name: str) -> Interval:
        """The mean of a measure with its interval; see `JudgedRanking.value`."""
        values = [one.value(name) for one in self.rankings.values()]
        return mean_interval(values, seed=self.seed, resamples=self.resamples)


def grade_run(
    questions: Sequence[Question],
    located: Sequence[Located],
    run: Mapping[str, Sequence[tuple[str, float]]],
    documents: Mapping[str, str],
    *,
    seed: int,
    resamples: int,
) -> RunGrades:
    """Judge a run by whole documents: what is expected of one is met by that document.

    Parameters
    ----------
    questions, located
        The answerable questions, and where what they expect stands.
    run : mapping
        By question, documents and scores, the best first.
    documents : mapping of str to str
        What documents are called in it.
    seed, resamples : int

    Raises
    ------
    QuestionSetError
        The run is of none of these questions.
    """
    asked = [
        (question, own)
        for question, own in zip(questions, located, strict=True)
        if question.answerable
    ]
    missing = sum(question.id not in run for question, _ in asked)
    if missing == len(asked):
        raise QuestionSetError(
            "the run is of none of these questions", "run", "its topics must be their ids"
        )
    rankings = {}
    for question, own in asked:
        names = dict.fromkeys(documents.get(name, name) for name, _ in run.get(question.id, ()))
        found = [Ranked(name, 0, 1) for name in names]
        groups = [tuple(_whole(span) for span in group) for group in own.groups]
        irrelevant = [_whole(span) for span in own.irrelevant]
        rankings[question.id] = judge_ranking(found, groups, irrelevant)
    return RunGrades(rankings, missing, seed, resamples)


def _whole(span: Span) -> Span:
    return Span(span.document, span.start, span.end, span.grade, whole=True)
