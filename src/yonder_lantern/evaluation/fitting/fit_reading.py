"""Fitting the reading model to a desk's judged questions, and saying what that gains."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ...core import CallError, Progress, QuestionSetError, SettingsError
from ...platform.storage import Array
from ...reading import Adaptation, is_adaptation
from ...search import LEAST_COSINE
from ..questions import Span
from ..statistics import Difference, Interval, bootstrap_mean, paired_difference
from .fit_desk import JudgedQuestions, ReadCandidates, TunableDesk
from .fittable import Fittable
from .tune_ranking import Candidates, case_of, ndcg_of

_FOLDS = 5
_FEWEST = 10
_UNWANTED = 5  # passages nearest to a question that it should not find
_PARTS = ("rest", "reading")


@dataclass(frozen=True, slots=True)
class TunedReading:
    """An adaptation of the reading model, and what it gains.

    Attributes
    ----------
    folder : Path
        Where it was written; it is written only where it gains.
    setting : str
        The folder as the settings name it.
    questions : int
        How many judged questions it was fitted on.
    old, new : Interval
        Mean nDCG@10 of both on questions that it was not fitted on.
    gain : Difference
        Between them, question by question.
    test : Difference or None
        The same on the `test` questions, if there are any.
    """

    folder: Path
    setting: str
    questions: int
    old: Interval
    new: Interval
    gain: Difference
    test: Difference | None

    @property
    def better(self) -> bool:
        """Whether a gain is shown, by the paired randomisation test."""
        return self.gain.is_gain

    def patch(self) -> str:
        """The settings that use it, as a piece of ``yonder.toml``."""
        return f'[reading]\nadaptation = "{self.setting}"'


@dataclass(frozen=True, slots=True, eq=False)
class _Read:
    """A judged question with what it could and should find."""

    found: ReadCandidates
    groups: Sequence[Sequence[Span]]

    def ndcg(self, question: Array) -> float:
        """What a vector in the question's place would reach."""
        found = self.found
        cosines = np.maximum(found.passages @ question, 0.0).astype(np.float64)
        there = np.flatnonzero(found.brought | (cosines > LEAST_COSINE))
        reading = cosines[there] / max(float(cosines[there].max(initial=0.0)), 1e-12)
        places = tuple(found.places[at] for at in there)
        own = Candidates(places, {"rest": found.rest[there], "reading": reading})
        return ndcg_of(case_of(own, self.groups, _PARTS), np.array([1.0, found.weight]))

    def difference(self) -> Array | None:
        """What it should find less what it should not; None where it should find none of these."""
        found = self.found
        gains = case_of(Candidates(found.places, {}), self.groups, ()).gains
        right = gains.max(axis=1, initial=0.0) > 0
        if not right.any():
            return None
        wanted = found.passages[right].mean(axis=0)
        wrong = found.passages[~right]
        nearest = np.argsort(-(wrong @ found.question), kind="stable")[:_UNWANTED]
        return np.asarray(wanted - wrong[nearest].mean(axis=0) if len(wrong) else wanted)


def tune_reading(
    desk: Fittable, folder: str | Path, questions: str | Path | None, progress: Progress
) -> TunedReading:
    """Fit the reading model to a desk's judged questions. See `Desk.tune_reading`."""
    target = desk.folder / folder
    if target.exists() and not is_adaptation(target):
        raise CallError(f"{target} is there and holds something else", "--out", "name another")
    reading = desk.snapshot().reading
    if reading is None:
        raise SettingsError("the reading model is off", "reading.vectors", 'set it to "lazy"')
    judged = JudgedQuestions.of(desk, questions)
    read: dict[str, list[_Read]] = {"fit": [], "test": []}
    tunable = TunableDesk(desk, judged.as_of)
    for done, (question, groups) in enumerate(judged.pairs):
        progress("looking at candidates", done, len(judged.pairs))
        found = tunable.read_candidates(question, groups)
        if found is not None:
            read[question.split].append(_Read(found, groups))
    fit = read["fit"]
    if len(fit) < _FEWEST:
        raise QuestionSetError(
            f"{len(fit)} answerable questions are for fitting; at least {_FEWEST} are needed",
            str(judged.path),
            "write more questions with the split `fit`",
        )
    settings = desk.settings.grade
    folds = np.random.default_rng(settings.seed).permutation(len(fit)) % _FOLDS
    old = np.array([one.ndcg(one.found.question) for one in fit])
    new = old.copy()
    for fold in range(_FOLDS):
        progress("fitting", fold, _FOLDS)
        fitted = _fitted(reading.model, [fit[at] for at in np.flatnonzero(folds != fold)])
        for at in np.flatnonzero(folds == fold).tolist():
            new[at] = fit[at].ndcg(fitted.moved(fit[at].found.question))

    def interval(values: Array) -> Interval:
        return bootstrap_mean(values.tolist(), seed=settings.seed, resamples=settings.resamples)

    def gain(before: Sequence[float], then: Sequence[float]) -> Difference:
        draws = {"seed": settings.seed, "resamples": settings.resamples}
        return paired_difference(before, then, **draws)

    adaptation = _fitted(reading.model, fit)
    test = None
    if read["test"]:
        before = [one.ndcg(one.found.question) for one in read["test"]]
        moved = [one.ndcg(adaptation.moved(one.found.question)) for one in read["test"]]
        test = gain(before, moved)
    tuned = TunedReading(
        target,
        Path(folder).as_posix(),
        len(fit),
        interval(old),
        interval(new),
        gain(old.tolist(), new.tolist()),
        test,
    )
    if tuned.better:
        adaptation.save(target)
    return tuned


def _fitted(model: str, read: Sequence[_Read]) -> Adaptation:
    known = [(one.found.question, apart) for one in read if (apart := one.difference()) is not None]
    if not known:
        raise QuestionSetError(
            "nothing that the questions should find is in the index",
            "the questions for fitting",
            "judge more questions",
        )
    questions = np.array([question for question, _ in known], dtype=np.float32)
    return Adaptation.fitted(model, questions, np.array([apart for _, apart in known]))
