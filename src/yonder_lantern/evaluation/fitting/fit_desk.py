"""Tuning a desk: its candidates for judged questions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np
from msgspec.structs import asdict
from msgspec.structs import replace as replace_settings

from ...conversation import full_question
from ...core import CallError, Progress, Query, QuestionSetError, ResolvedQuery
from ...platform.storage import Array
from ...search import (
    READING,
    Ranking,
    begin_search,
    ranked,
    ranking_weights,
    retrieve,
    shortness_of,
)
from ...settings import WeightSettings, parse_moment
from ..grading import Grades
from ..measures import Ranked
from ..questions import Question, Span, load_questions
from .fit_threshold import FittedThreshold, fit_threshold
from .fittable import Fittable
from .tune_ranking import Candidates, Tuned, tune

_ANY = 1e-9  # a weight at which every part is worked out and none counts
_FEWEST = 10
_LIMIT = 50


@dataclass(frozen=True, slots=True, eq=False)
class ReadCandidates:
    """A question to the reading model, and the passages that it could or should find.

    Attributes
    ----------
    question : float32 array
        Its vector, as no adaptation has moved it.
    passages : float32 array, shape (passages, dimensions)
    brought : bool array
        Which of them any stage brings.
    places : tuple of Ranked
    rest : float64 array
        What all but the reading model adds to their scores.
    weight : float
        What the reading model counts.
    """

    question: Array
    passages: Array
    brought: Array
    places: tuple[Ranked, ...]
    rest: Array
    weight: float


class TunableDesk:
    """Gives the candidates of a question, with every part of their scores."""

    def __init__(self, desk: Fittable, as_of: datetime | None) -> None:
        self._desk = desk
        self._as_of = as_of
        weights = WeightSettings(**dict.fromkeys(asdict(WeightSettings()), _ANY))
        self._settings = replace_settings(
            desk.settings.find,
            lexical_weight=0.5,
            document_share=0.5,
            reading_weight=_ANY,
            weights=weights,
        )

    def candidates(self, question: Question) -> Candidates:
        """The passages that a question could find."""
        search = begin_search(self._desk.snapshot(), self._settings, self._asked(question))
        ranking = ranked(search, _LIMIT)
        return Candidates(self._places(ranking), ranking.table())

    def read_candidates(
        self, question: Question, groups: Sequence[Sequence[Span]]
    ) -> ReadCandidates | None:
        """What the reading model says of a question and of what it could or should find.

        None if the question is in another language, or finds nothing.
        """
        snapshot = self._desk.snapshot()
        search = begin_search(snapshot, self._desk.settings.find, self._asked(question))
        ranking = ranked(search, _LIMIT, besides=self._expected(groups))
        part = next((one for one in ranking.parts if one.name == READING), None)
        if part is None or snapshot.reading is None:
            return None
        return ReadCandidates(
            snapshot.reading.vector(search.reading.question),
            snapshot.reading.read(ranking.passages),
            np.isin(ranking.passages, retrieve(search, _LIMIT)),
            self._places(ranking),
            ranking.scores - part.shares,
            part.weight,
        )

    def _expected(self, groups: Sequence[Sequence[Span]]) -> list[int]:
        """The passages that the expected spans begin in."""
        snapshot = self._desk.snapshot()
        found = []
        for span in (span for group in groups for span in group):
            row = snapshot.document_row(span.document)
            number = -1 if row is None else int(snapshot.numbers_of_rows(np.array([row]))[0])
            if number >= 0 and (passage := snapshot.passage_at(number, span.start)) is not None:
                found.append(passage)
        return sorted(set(found))

    def _asked(self, question: Question) -> ResolvedQuery:
        earlier: list[str] = []
        for turn in question.turns:
            earlier.append(str(full_question(turn, earlier)))
        return self._desk.resolve(
            Query(
                question.question,
                audience=question.audience or None,
                as_of=question.as_of or self._as_of,
                earlier=earlier,
            )
        )

    def _places(self, ranking: Ranking) -> tuple[Ranked, ...]:
        snapshot = self._desk.snapshot()
        columns = snapshot.passages(ranking.passages)
        rows = snapshot.rows_of(columns.document).tolist()
        ids = snapshot.ids(rows)
        spans = zip(rows, columns.start.tolist(), columns.end.tolist(), strict=True)
        return tuple(Ranked(ids[row], start, end) for row, start, end in spans)


@dataclass(frozen=True, slots=True)
class JudgedQuestions:
    """The questions of a set that a desk can be fitted to.

    Attributes
    ----------
    path : Path
    questions : sequence of Question
    located : sequence
        For each its groups of expected spans; none if it has no answer.
    as_of : datetime or None
        When all are asked that do not say so themselves.
    """

    path: Path
    questions: Sequence[Question]
    located: Sequence[Sequence[Sequence[Span]]]
    as_of: datetime | None

    @classmethod
    def of(cls, desk: Fittable, questions: str | Path | None) -> JudgedQuestions:
        """Those in a file, or in the desk's own.

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or too few questions are for fitting.
        """
        settings = desk.settings.grade
        path = Path(questions) if questions is not None else desk.folder / settings.questions
        loaded = load_questions(path).readable(desk.is_unread)
        located = loaded.located(lambda id_: getattr(desk.document(id_), "text", None))
        fit = sum(
            bool(groups) and one.split == "fit"
            for one, groups in zip(loaded.questions, located, strict=True)
        )
        if fit < _FEWEST:
            raise QuestionSetError(
                f"{fit} answerable questions are for fitting; at least {_FEWEST} are needed",
                str(path),
                "write more questions with the split `fit`",
            )
        zone = desk.settings.desk.zone
        as_of = parse_moment(settings.as_of, zone, "grade.as_of") if settings.as_of else None
        return cls(path, loaded.questions, located, as_of)

    @property
    def pairs(self) -> list[tuple[Question, Sequence[Sequence[Span]]]]:
        """The answerable ones for fitting and for testing, with their spans."""
        return [
            (question, groups)
            for question, groups in zip(self.questions, self.located, strict=True)
            if groups and question.split in ("fit", "test")
        ]


def tune_desk(desk: Fittable, questions: str | Path | None, progress: Progress) -> Tuned:
    """Fit how a desk ranks passages. See `Desk.tune`."""
    judged = JudgedQuestions.of(desk, questions)
    return tune(
        TunableDesk(desk, judged.as_of),
        judged.questions,
        judged.located,
        ranking_settings(desk),
        seed=desk.settings.grade.seed,
        resamples=desk.settings.grade.resamples,
        progress=progress,
    )


def tune_threshold(
    desk: Fittable,
    graded: Callable[[float, str], Grades],
    questions: str | Path | None,
    max_error_rate: float,
) -> FittedThreshold:
    """Fit the support below which a desk declines. See `Desk.tune_threshold`.

    ``graded`` grades the questions of a split with another threshold.
    """
    if not 0 < max_error_rate < 1:
        raise CallError(
            f"the share of wrong answers must be between 0 and 1, not {max_error_rate:g}",
            "max_error_rate",
            "for example 0.1",
        )
    settings = desk.settings.grade
    path = Path(questions) if questions is not None else desk.folder / settings.questions
    loaded = load_questions(path).readable(desk.is_unread).of_split("fit").questions
    if min(sum(one.answerable is kind for one in loaded) for kind in (True, False)) < _FEWEST:
        raise QuestionSetError(
            f"at least {_FEWEST} questions that are answered and {_FEWEST} that are not are needed",
            str(path),
            "write more questions with the split `fit`",
        )

    now = desk.settings.answer.min_support
    return fit_threshold(graded, now=now, max_error_rate=max_error_rate)


def ranking_settings(desk: Fittable) -> dict[str, float]:
    """The settings that tuning may change, as they are, by dotted key."""
    snapshot = desk.snapshot()
    caller = desk.resolve(Query("which?")).caller
    visible = snapshot.visible_documents(caller, caller.at())
    weights = ranking_weights(snapshot, desk.settings.find, shortness_of(snapshot, visible))
    found = {
        "lexical_weight": weights.lexical,
        "document_share": weights.document_share,
        "reading_weight": weights.reading,
    }
    found.update((f"weights.{name}", value) for name, value in weights.features.items())
    return found
