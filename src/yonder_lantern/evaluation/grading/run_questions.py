"""Running a question set against a desk."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from ...core import Cancel, CancelledError, Progress, ServiceError, no_progress
from ...platform import process_pool
from ...settings import parse_moment
from ..questions import Located, Question, QuestionSet
from .graded_question import QuestionGrade
from .grades import Grades
from .judge_question import Gradable, grade_question

_WORTH_A_PROCESS = 60  # questions; fewer are done before a second process is ready
_IN_A_ROW = 5  # failures of a service that end the grading: the server is down


@dataclass(frozen=True, slots=True)
class Task:
    """A question to be asked, where what it expects stands, and when it is asked."""

    question: Question
    located: Located
    moment: datetime


@dataclass(frozen=True, slots=True)
class Workers:
    """How the questions are shared out.

    Attributes
    ----------
    count : int
    opened : callable
        Opens the desk once more; picklable if processes are to be used.
    processes : bool
        Processes, or threads: for a model that is waited for.
    """

    count: int
    opened: Callable[[], Gradable]
    processes: bool = True


def grade(
    desk: Gradable,
    questions: QuestionSet,
    *,
    as_of: datetime,
    zone: ZoneInfo,
    depth: int = 50,
    seed: int = 1,
    resamples: int = 2000,
    repeat: int = 1,
    workers: Workers | None = None,
    progress: Progress = no_progress,
    cancel: Cancel | None = None,
) -> Grades:
    """Find and ask every question of a set and judge what comes back.

    A question whose document is not in the index is asked and missed; so is one for which a
    service fails.

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
    repeat : int
        How often each question is asked, where a model's answers vary.
    workers : Workers, optional
        Others that ask as well; this process alone without.
    progress : Progress
    cancel : Cancel, optional

    Raises
    ------
    QuestionSetError
        A quote no longer stands in its document.
    ServiceError
        A service failed for several questions in a row.
    CancelledError
        Interrupted.
    """
    tasks = tasks_of(desk, questions, as_of, zone)
    total = len(tasks) * repeat
    runs: list[list[QuestionGrade]] = []
    with _asking(desk, workers, depth, len(tasks)) as ask:
        for run in range(repeat):
            graded: list[QuestionGrade] = []
            failed = 0
            for one in ask(tasks):
                progress("grading", run * len(tasks) + len(graded), total)
                graded.append(one)
                failed = failed + 1 if one.problem else 0
                if failed == _IN_A_ROW:
                    raise ServiceError(
                        f"{failed} questions in a row failed: {one.problem}",
                        "grade",
                        "check that the service answers: yonder check",
                    )
                if cancel is not None and cancel.is_set():
                    raise CancelledError("interrupted", "grade", "grade again")
            runs.append(graded)
    progress("grading", total, total)
    return Grades(
        tuple(runs[0]),
        as_of=as_of.astimezone(UTC).isoformat(),
        seed=seed,
        resamples=resamples,
        left_out=questions.left_out,
        drafts=questions.drafts,
        asked=questions.fingerprint(),
        repeats=tuple(tuple(run) for run in runs[1:]),
    )


def tasks_of(
    desk: Gradable,
    questions: QuestionSet,
    as_of: datetime,
    zone: ZoneInfo,
    *,
    lost_is_missed: bool = False,
) -> list[Task]:
    """The questions with where what they expect stands.

    Parameters
    ----------
    desk, questions, as_of, zone
        As for `grade`.
    lost_is_missed : bool
        Whether a quote that no longer stands is only something that cannot be found.

    Raises
    ------
    QuestionSetError
        A quote no longer stands in a document that is there; names every one of them.
    """

    def text_of(id_: str) -> str | None:
        document = desk.document(id_)
        return document.text if document else None

    located = questions.locate(text_of)
    if not lost_is_missed:
        questions.refuse_lost([one for own in located for one in own.lost if not one.missing])
    return [
        Task(
            question,
            own,
            parse_moment(question.as_of, zone, question.id) if question.as_of else as_of,
        )
        for question, own in zip(questions.questions, located, strict=True)
    ]


Ask = Callable[[Sequence[Task]], Iterator[QuestionGrade]]


@contextmanager
def _asking(desk: Gradable, workers: Workers | None, depth: int, count: int) -> Iterator[Ask]:
    """What asks the questions, in their order: this process alone, or several."""
    if workers is None or workers.count < 2 or (workers.processes and count < _WORTH_A_PROCESS):
        yield lambda tasks: (
            grade_question(desk, one.question, one.located, one.moment, depth) for one in tasks
        )
        return
    if workers.processes:
        with process_pool(workers.count, _open_here, (workers.opened,)) as pool:
            size = max(1, min(8, count // 8))
            yield lambda tasks: pool.map(_ask_here, tasks, [depth] * len(tasks), chunksize=size)
        return
    threads = ThreadPoolExecutor(workers.count)
    try:
        yield lambda tasks: threads.map(
            lambda one: grade_question(desk, one.question, one.located, one.moment, depth), tasks
        )
    finally:
        threads.shutdown(wait=True, cancel_futures=True)


_here: dict[str, Gradable] = {}  # of a worker process: the desk it has open


def _open_here(opened: Callable[[], Gradable]) -> None:
    _here["desk"] = opened()


def _ask_here(task: Task, depth: int) -> QuestionGrade:
    return grade_question(_here["desk"], task.question, task.located, task.moment, depth)
