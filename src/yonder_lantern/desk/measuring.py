"""Grading and fitting: a desk measured on a question set."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace as replace_settings

from ..core import Cancel, NeverCancel, Progress, no_progress
from ..settings import parse_moment
from .talking import TalkingDesk

if TYPE_CHECKING:
    from ..evaluation import AdaptedLexicon, FittedThreshold, Grades, Tuned


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

    def adapt_lexicon(
        self,
        folder: str | Path = "lexicon",
        *,
        progress: Progress = no_progress,
        cancel: Cancel | None = None,
    ) -> AdaptedLexicon:
        """Fit the lexicon to this desk's passages, as a pretrained encoder sees them.

        The encoder is that of ``embedding.model``. Only documents that carry the label
        ``embedding.learn_from`` are used. What it embeds is kept: interrupted work goes
        on. Nothing changes until the settings name the folder and ``gather`` is run.

        Parameters
        ----------
        folder : path, default "lexicon"
            Where to write it, read against the desk's.
        progress : Progress
        cancel : Cancel, optional

        Raises
        ------
        SettingsError
            No encoder is named, or it cannot be opened.
        CallError
            The index is empty, or the folder holds something else.
        CancelledError
            Interrupted.
        """
        self._only_the_owner("adapt the lexicon")
        from ..evaluation import adapt_lexicon

        return adapt_lexicon(self, folder, progress, cancel or NeverCancel())

    def grade(
        self,
        questions: str | Path | None = None,
        *,
        split: str = "",
        progress: Progress = no_progress,
    ) -> Grades:
        """Measure retrieval and answers on a question set.

        Questions about documents that could not be read here, as a program for them is
        missing, say, are left out and counted.

        Parameters
        ----------
        questions : path, optional
            A question set; ``grade.questions`` of the settings by default.
        split : {"", "fit", "test"}
            Ask only the questions of one split; all of them without.
        progress : Progress

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
        from ..evaluation import grade, load_questions

        settings = self.settings.grade
        path = Path(questions) if questions is not None else self.folder / settings.questions
        as_of = (
            parse_moment(settings.as_of, self.settings.desk.zone, "grade.as_of")
            if settings.as_of
            else datetime.now(UTC)
        )
        steady = replace_settings(self.settings.gather, refresh_before_answering=False)
        quiet = type(self)(
            self.folder, replace_settings(self.settings, gather=steady), record=False
        )
        asked = load_questions(path)
        if split:
            asked = asked.of_split(split)
        try:
            asked = asked.readable(quiet.is_unread)
            return grade(
                quiet,
                asked,
                as_of=as_of,
                zone=self.settings.desk.zone,
                depth=settings.depth,
                seed=settings.seed,
                resamples=settings.resamples,
                progress=progress,
            )
        finally:
            quiet.close()
