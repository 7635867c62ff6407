"""Asking the questions of every variant, question by question, so that they share what they can."""

from __future__ import annotations

import itertools
import random
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Protocol

from ...core import Cancel, CancelledError, Progress, no_progress
from ...platform import process_pool
from ..grading import Gradable, QuestionGrade, Task, grade_question
from .kept_grades import KeptGrades


class Comparable(Gradable, Protocol):
    """A desk that is closed when it has been asked."""

    def close(self) -> None:
        """Give back what it holds open."""
        ...


Opened = Callable[[], Mapping[str, Comparable]]
_WORTH_A_PROCESS = 120  # questions times variants; fewer are done before a process is ready


@dataclass(frozen=True, slots=True)
class Spending:
    """What a comparison may take.

    Attributes
    ----------
    seconds : float or None
    price : Decimal or None
        Most that models may cost; looked at after each question.
    """

    seconds: float | None = None
    price: Decimal | None = None


@dataclass(slots=True)
class Asked:
    """What came of asking.

    Attributes
    ----------
    grades : dict
        By variant, its graded questions by id.
    dropped : dict
        The variants that were given up, and after how many questions.
    stopped : str
        Why not every question was asked; empty if every one was.
    price : Decimal
        What models cost.
    """

    grades: dict[str, dict[str, QuestionGrade]]
    dropped: dict[str, int] = field(default_factory=dict)
    stopped: str = ""
    price: Decimal = Decimal(0)


def ask_variants(
    tasks: Mapping[str, Sequence[Task]],
    opened: Opened,
    kept: Mapping[str, KeptGrades],
    *,
    depth: int,
    seed: int,
    processes: int,
    spending: Spending,
    rounds: Sequence[int] = (),
    better: Callable[[Mapping[str, Sequence[QuestionGrade]]], list[str]] | None = None,
    progress: Progress = no_progress,
    cancel: Cancel | None = None,
) -> Asked:
    """Ask every variant the same questions in the same, drawn order.

    Parameters
    ----------
    tasks : mapping
        By variant, the questions, all in one order.
    opened : callable
        Opens the desk once under each variant's settings; picklable.
    kept : mapping
        By variant, what was asked before and is not asked again.
    depth : int
        Hits judged.
    seed : int
        Of the order of the questions, and of the variants within a question: which of them comes
        first, and so reads what the others find in the cache, is left to chance.
    processes : int
    spending : Spending
    rounds : sequence of int
        For successive halving: after so many questions the worse half of the variants is given up.
    better : callable, optional
        The names of the variants, the best first, by the questions so far.
    progress : Progress
    cancel : Cancel, optional

    Raises
    ------
    CancelledError
        Interrupted. What was asked is kept.

    References
    ----------
    Jamieson, Talwalkar (2016), Non-stochastic best arm identification and hyperparameter
    optimization, for successive halving.
    """
    order = list(range(len(next(iter(tasks.values())))))
    random.Random(seed).shuffle(order)
    found = Asked({name: {} for name in tasks})
    known = {name: kept[name].read() for name in tasks}
    alive = list(tasks)
    began = time.monotonic()
    stops = sorted({count for count in rounds if count < len(order)})
    done = 0
    with _asking(opened, processes, depth, len(order) * len(alive)) as ask:
        for stop in [*stops, len(order)]:
            for number, graded in ask(_wanted(order[done:stop], alive, tasks, known, seed)):
                for name in alive:
                    own = graded.get(name)
                    id_ = tasks[name][number].question.id
                    if own is None:
                        own = known[name][id_]
                    else:
                        kept[name].add(own)
                        found.price += own.cost
                    found.grades[name][id_] = own
                done += 1
                progress("comparing", done, len(order))
                if cancel is not None and cancel.is_set():
                    raise CancelledError(
                        f"interrupted after {done} of {len(order)} questions",
                        "compare",
                        "run the same comparison again: it goes on from there",
                    )
                found.stopped = _spent(spending, time.monotonic() - began, found.price)
                if found.stopped:
                    return found
            if stop < len(order) and better is not None:
                ranking = better({name: list(found.grades[name].values()) for name in alive})
                for name in ranking[max(2, (len(alive) + 1) // 2) :]:
                    found.dropped[name] = done
                alive = [name for name in alive if name not in found.dropped]
    return found


def _spent(spending: Spending, seconds: float, price: Decimal) -> str:
    if spending.seconds is not None and seconds > spending.seconds:
        return f"the {spending.seconds:g} seconds were spent"
    if spending.price is not None and price >= spending.price:
        return f"the price of {spending.price} was reached"
    return ""


@dataclass(frozen=True, slots=True)
class _Work:
    """A question, and the variants that it is still to be asked of, in their order."""

    number: int
    tasks: tuple[tuple[str, Task], ...]


def _wanted(
    order: Sequence[int],
    alive: Sequence[str],
    tasks: Mapping[str, Sequence[Task]],
    known: Mapping[str, Mapping[str, QuestionGrade]],
    seed: int,
) -> Iterator[_Work]:
    for number in order:
        missing = [
            (name, tasks[name][number])
            for name in alive
            if tasks[name][number].question.id not in known[name]
        ]
        random.Random(seed * 1_000_003 + number).shuffle(missing)
        yield _Work(number, tuple(missing))


Ask = Callable[[Iterator[_Work]], Iterator[tuple[int, dict[str, QuestionGrade]]]]


@contextmanager
def _asking(opened: Opened, processes: int, depth: int, count: int) -> Iterator[Ask]:
    """What asks: this process alone, or several."""
    if processes < 2 or count < _WORTH_A_PROCESS:
        desks = opened()
        try:
            yield lambda work: (_ask(desks, one, depth) for one in work)
        finally:
            for desk in desks.values():
                desk.close()
        return
    with process_pool(processes, _open_here, (opened,)) as pool:
        yield lambda work: pool.map(_ask_here, work, itertools.repeat(depth), chunksize=2)


def _ask(
    desks: Mapping[str, Comparable], work: _Work, depth: int
) -> tuple[int, dict[str, QuestionGrade]]:
    return work.number, {
        name: grade_question(desks[name], task.question, task.located, task.moment, depth)
        for name, task in work.tasks
    }


_here: dict[str, Comparable] = {}  # of a worker process: the desk under each variant's settings


def _open_here(opened: Opened) -> None:
    _here.update(opened())


def _ask_here(work: _Work, depth: int) -> tuple[int, dict[str, QuestionGrade]]:
    return _ask(_here, work, depth)
