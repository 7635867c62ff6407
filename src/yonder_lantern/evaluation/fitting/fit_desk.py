"""Tuning a desk: its candidates for judged questions."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from msgspec.structs import asdict
from msgspec.structs import replace as replace_settings

from ...conversation import full_question
from ...core import CallError, Progress, Query, QuestionSetError
from ...search import begin_search, ranked, ranking_weights, shortness_of
from ...settings import WeightSettings, parse_moment
from ..grading import Grades
from ..measures import Ranked
from ..questions import Question, load_questions
from .fit_threshold import FittedThreshold, fit_threshold
from .fittable import Fittable
from .tune_ranking import Candidates, Tuned, tune

_ANY = 1e-9  # a weight at which every part is worked out and none counts
_FEWEST = 10
_LIMIT = 50


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
        earlier: list[str] = []
        for turn in question.turns:
            earlier.append(str(full_question(turn, earlier)))
        asked = self._desk.resolve(
            Query(
                question.question,
                audience=question.audience or None,
                as_of=question.as_of or self._as_of,
                earlier=earlier,
            )
        )
        snapshot = self._desk.snapshot()
        ranking = ranked(begin_search(snapshot, self._settings, asked), _LIMIT)
        columns = snapshot.passages(ranking.passages)
        rows = snapshot.rows_of(columns.document).tolist()
        ids = snapshot.ids(rows)
        spans = zip(rows, columns.start.tolist(), columns.end.tolist(), strict=True)
        places = tuple(Ranked(ids[row], start, end) for row, start, end in spans)
        return Candidates(places, ranking.table())


def tune_desk(desk: Fittable, questions: str | Path | None, progress: Progress) -> Tuned:
    """Fit how a desk ranks passages. See `Desk.tune`."""
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
    as_of = (
        parse_moment(settings.as_of, desk.settings.desk.zone, "grade.as_of")
        if settings.as_of
        else None
    )
    return tune(
        TunableDesk(desk, as_of),
        loaded.questions,
        located,
        ranking_settings(desk),
        seed=settings.seed,
        resamples=settings.resamples,
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
            f"a share of {max_error_rate:g} cannot be aimed at",
            "max_error_rate",
            "give one between 0 and 1",
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
