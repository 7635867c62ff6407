"""Grading and fitting: a desk measured on a question set."""

from __future__ import annotations

import logging
import platform
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

import msgspec
import numpy as np
from msgspec.structs import replace as replace_settings

from ..code_fingerprint import code_fingerprint
from ..core import (
    CallError,
    Cancel,
    Hit,
    NeverCancel,
    NoRecorder,
    Progress,
    Query,
    QuestionSetError,
    no_progress,
)
from ..observe import FeedbackBook
from ..platform.storage import Array
from ..settings import model_profile, parse_moment
from ..version import __version__
from .steady import steady
from .talking import TalkingDesk

if TYPE_CHECKING:
    from ..evaluation import (
        Comparison,
        Failure,
        FittedThreshold,
        GradeResults,
        Grades,
        LiveQuality,
        QuestionSet,
        Tuned,
        TunedReading,
        Variant,
        Workers,
    )

_LOG = logging.getLogger("yonder_lantern.desk")


class MeasuringDesk(TalkingDesk):
    """The methods of a desk that measure and fit it."""

    def tune(
        self, questions: str | Path | None = None, *, progress: Progress = no_progress
    ) -> Tuned:
        """Fit how passages are ranked on the question set, and measure what that gains.

        Nothing is changed: `Tuned.patch` gives the settings to write.

        Parameters
        ----------
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        progress : Progress

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or has too few answerable questions to fit.
        """
        self._only_the_owner("tune")
        from ..evaluation import tune_desk

        return tune_desk(self, questions, progress)

    def tune_threshold(
        self,
        max_error_rate: float = 0.2,
        questions: str | Path | None = None,
        *,
        progress: Progress = no_progress,
    ) -> FittedThreshold:
        """Fit the support below which a question is declined, and measure what comes of it.

        Nothing is changed: `FittedThreshold.patch` gives the settings to write.

        Parameters
        ----------
        max_error_rate : float, default 0.2
            Of the answers given, the share that may be wrong, between 0 and 1.
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        progress : Progress

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or has too few questions to fit.
        """
        self._only_the_owner("tune")
        from ..evaluation import tune_threshold

        def graded(threshold: float, split: str) -> Grades:
            answer = replace_settings(self.settings.answer, min_support=threshold)
            settings = replace_settings(self.settings, answer=answer)
            other = type(self)(self.folder, settings, record=False)
            return other.grade(questions, split=split, progress=progress)

        return tune_threshold(self, graded, questions, max_error_rate)

    def tune_reading(
        self,
        folder: str | Path = "reading",
        questions: str | Path | None = None,
        *,
        progress: Progress = no_progress,
    ) -> TunedReading:
        """Fit the reading model to judged questions: how questions move to find what they should.

        Nothing is read again, and nothing changes until the settings name the folder.

        Parameters
        ----------
        folder : path, default "reading"
            Where to write it if it gains, read against the desk's.
        questions : path, optional
            A question set; the desk's own by default.
        progress : Progress

        Returns
        -------
        TunedReading

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or has too few questions to fit.
        SettingsError
            The reading model is off.
        CallError
            The folder holds something else.
        """
        self._only_the_owner("tune the reading model")
        from ..evaluation import tune_reading

        return tune_reading(self, folder, questions, progress)

    def grade(
        self,
        questions: str | Path | None = None,
        *,
        split: str = "",
        repeat: int = 1,
        processes: int = 1,
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> Grades:
        """Measure retrieval and answers on a question set.

        Questions about documents that could not be read here, as a program for them is
        missing, say, and drafts that nobody has accepted are left out and counted. The result is
        kept, unless the desk was opened to record nothing: see `grade_results`.

        Parameters
        ----------
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        split : {"", "fit", "test"}
            Ask only the questions of one split; all of them without.
        repeat : int, default 1
            How often each question is asked, where a model's answers vary.
        processes : int, default 1
            Processes that ask; 0 is one a core. More than one needs what every program needs that
            starts processes: what is run stands under ``if __name__ == "__main__"``.
        progress : Progress
        cancel : Cancel, optional

        Returns
        -------
        Grades
            With pandas frames by question and in summary.

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or a quote no longer stands.
        """
        self._only_the_owner("grade")
        from ..evaluation import grade

        asked = self._question_set(questions, split)
        settings = self.settings.grade
        with self._quiet() as quiet:
            asked = asked.readable(quiet.is_unread)
            grades = grade(
                quiet,
                asked,
                as_of=self._graded_as_of(),
                zone=self.settings.desk.zone,
                depth=settings.depth,
                seed=settings.seed,
                resamples=settings.resamples,
                repeat=repeat,
                workers=self._workers(processes),
                progress=progress,
                cancel=cancel,
            )
            grades = replace(grades, settings=self._graded_settings(), versions=quiet.made_with())
        return self._kept(grades)

    def compare(
        self,
        variants: Sequence[Variant | Mapping[str, Any]],
        questions: str | Path | None = None,
        *,
        split: str = "",
        by: str = "right",
        halving: bool = False,
        seconds: float | None = None,
        price: Decimal | None = None,
        afresh: bool = False,
        processes: int = 1,
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> Comparison:
        """Measure several settings over the same questions, beside the settings as they are.

        What differs in how documents are cut, embedded or read gets an index of its own beside
        the desk's; the desk's is not touched. What was asked is kept: the same comparison goes
        on where it was interrupted.

        Parameters
        ----------
        variants : sequence of Variant or mapping
            Settings by dotted key, ``{"passages.tokens": 300}``.
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        split : {"", "fit", "test"}
            Ask only the questions of one split; all of them without.
        by : str, default "right"
            The measure that decides.
        halving : bool
            Give up the worse half of the variants every time the questions have doubled.
        seconds : float, optional
            Most that it may take.
        price : Decimal, optional
            Most that models may cost.
        afresh : bool
            Ask again what was asked before.
        processes : int, default 1
            As for `grade`.
        progress : Progress
        cancel : Cancel, optional

        Returns
        -------
        Comparison
            With pandas frames, what may be concluded and proposed settings.

        Raises
        ------
        SettingsError
            A variant's key is unknown, or its value wrong.
        QuestionSetError
            The set is missing or broken.
        CancelledError
            Interrupted; what was asked is kept.
        """
        self._only_the_owner("compare settings")
        from ..evaluation import Spending, Variant
        from .compare_settings import CompareOrder, compare

        whole = [Variant.of(one) if isinstance(one, Mapping) else one for one in variants]
        asked = self._question_set(questions, split)
        with self._quiet() as quiet:
            as_of = self._graded_as_of()
            if not self.settings.grade.as_of:  # of today, so that it can go on where it was
                midnight = as_of.astimezone(self.settings.desk.zone)
                as_of = midnight.replace(hour=0, minute=0, second=0, microsecond=0)
            return compare(
                quiet,
                asked.readable(quiet.is_unread),
                as_of.astimezone(UTC),
                CompareOrder(whole, by, halving, Spending(seconds, price), afresh, processes),
                progress,
                cancel,
            )

    def failures(
        self,
        grades: Grades,
        questions: str | Path | None = None,
        *,
        progress: Progress = no_progress,
    ) -> list[Failure]:
        """Why each question that was missed was missed, and what to try next.

        Parameters
        ----------
        grades : Grades
            Of this desk as it is.
        questions : path, optional
            The question set they are of.
        progress : Progress

        Returns
        -------
        list of Failure
            In the order of the questions.

        Raises
        ------
        QuestionSetError
            The set is missing or broken, or the grades are of another.
        """
        self._only_the_owner("grade")
        from ..evaluation import diagnose, tasks_of, unread

        ids = {one.id for one in grades.questions}
        whole = self._question_set(questions, "")
        with self._quiet() as quiet:
            readable = whole.readable(quiet.is_unread)
            tasks = [
                task
                for task in tasks_of(quiet, readable, self._graded_as_of(), self.settings.desk.zone)
                if task.question.id in ids
            ]
            found = diagnose(quiet, tasks, grades, self.settings.find.limit, progress=progress)
        return found + unread(readable.unread)

    @property
    def grade_results(self) -> GradeResults:
        """The results that were kept."""
        from ..evaluation import GradeResults

        self._only_the_owner("see what was graded")
        return GradeResults(self.state / "grades")

    def results_so_far(self, grades: Grades) -> list[Grades]:
        """The kept results of the same question set, the latest first, one just made among them."""
        kept = [one for one in self.grade_results.newest_first() if one.asked == grades.asked]
        return kept if any(one.id == grades.id for one in kept) else [grades, *kept]

    def live_quality(self) -> LiveQuality:
        """How answers to real questions go: shares by day and topic, and what is missing."""
        self._only_the_owner("see how answers go")
        from ..evaluation import live_quality

        ratings: dict[str, list[str]] = {}
        for one in FeedbackBook(self.state, self.traces).all():
            ratings.setdefault(one.trace, []).append(one.rating)
        with self._index.reading() as snapshot:
            topics = snapshot.topic_of_row
            embedding = snapshot.embedding

            def topic_of(id_: str) -> str:
                row = snapshot.document_row(id_)
                return topics.get(row, "") if row is not None else ""

            def vectors_of(questions: Sequence[str]) -> Array | None:
                if hasattr(embedding, "questions"):
                    none: list[dict[str, float]] = [{} for _ in questions]
                    return np.asarray(cast(Any, embedding).questions(questions, none))
                if hasattr(embedding, "texts"):
                    return np.asarray(cast(Any, embedding).texts(list(questions)))
                return None

            return live_quality(self.traces.newest_first(), ratings, topic_of, vectors_of)

    def passages_of(self, id_: str) -> list[tuple[int, int]]:
        """Where the passages of a document start and end; none of one that is not there."""
        with self._index.reading() as snapshot:
            row = snapshot.document_row(id_)
            if row is None:
                return []
            first, last = snapshot.bounds_of(snapshot.numbers_of_rows(np.array([row])))
            columns = snapshot.passages(np.arange(int(first[0]), int(last[0])))
        return list(zip(columns.start.tolist(), columns.end.tolist(), strict=True))

    def passages_sent(self, query: Query) -> list[Hit] | None:
        """The passages that a model would be sent for a question; None if no model answers."""
        if not self.settings.answer.model:
            return None
        with self._pipeline() as pipeline:
            try:
                prepared, _ = pipeline.prepared(self.resolve(query))
            except CallError:  # a house rule keeps it from being sent
                return []
        return [one.hit for one in prepared.context.passages]

    def ask_for_a_question(self, passage: str) -> str:
        """Ask the model to write a question that a passage answers; its reply."""
        with self._pipeline() as pipeline:
            return pipeline.drafted_question(passage, NeverCancel())

    def answering_all(self) -> MeasuringDesk:
        """The same desk, declining nothing."""
        answer = replace_settings(self.settings.answer, min_support=0.0, min_supported=0.0)
        return self.under(replace_settings(self.settings, answer=answer))

    def made_with(self) -> dict[str, str]:
        """The versions that a result depends on: of the index, this program, Python."""
        with self._index.reading() as snapshot:
            entry = snapshot.embedding_entry
            return {
                "generation": str(snapshot.generation),
                "documents": str(len(snapshot.live_rows())),
                "embedding": entry.method if entry else "none",
                "yonder_lantern": __version__,
                "code": code_fingerprint(),
                "python": platform.python_version(),
            }

    def _question_set(self, questions: str | Path | None, split: str) -> QuestionSet:
        from ..evaluation import load_questions

        settings = self.settings.grade
        path = Path(questions) if questions is not None else self.folder / settings.questions
        asked = load_questions(path).without_drafts()
        if split:
            asked = asked.of_split(split)
        if not asked.questions:
            which = f" of the split {split!r}" if split else " but drafts"
            raise QuestionSetError(
                f"there are no questions{which}",
                str(path),
                "draft some: yonder questions draft",
            )
        return asked

    def _graded_as_of(self) -> datetime:
        as_of = self.settings.grade.as_of
        if not as_of:
            return datetime.now(UTC)
        return parse_moment(as_of, self.settings.desk.zone, "grade.as_of")

    def _opener(self) -> Callable[[], MeasuringDesk]:
        """Opens the desk once more: it records nothing, and gathers nothing while it is asked."""
        settings = steady(self.settings)
        return partial(type(self), self.folder, settings, record=False, state=self.state)

    @contextmanager
    def _quiet(self) -> Iterator[MeasuringDesk]:
        desk = self._opener()()
        try:
            yield desk
        finally:
            desk.close()

    def _graded_settings(self) -> dict[str, Any]:
        """The settings that bear on a result, secrets by their names."""
        names = ("passages", "embedding", "find", "answer", "steps", "grade")
        values = {name: getattr(self.settings, name) for name in names}
        plain: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(values))
        return plain

    def _workers(self, processes: int) -> Workers:
        """Processes, one a core; threads where a model is waited for."""
        from ..evaluation import Workers

        if self.settings.answer.model:
            profile = model_profile(self.settings, self.folder)
            return Workers(max(1, profile.max_concurrent), self._opener(), processes=False)
        return Workers(processes or self.settings.gather.workers, self._opener())

    def _kept(self, grades: Grades) -> Grades:
        if isinstance(self._recorder, NoRecorder):
            return grades
        try:
            return self.grade_results.keep(grades)
        except OSError as error:  # a full disk or a folder to read only: show it all the same
            _LOG.warning("the result could not be kept: %s", error)
            return grades
