"""Several settings of a desk, each with an index that shares with the others what it can."""

from __future__ import annotations

import hashlib
import json
import math
import shutil
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

from msgspec import to_builtins

from ..code_fingerprint import code_fingerprint
from ..core import CallError, Cancel, CancelledError, Progress, YonderError
from ..evaluation import (
    Comparison,
    Grades,
    KeptGrades,
    QuestionGrade,
    QuestionSet,
    Spending,
    Task,
    Variant,
    VariantResult,
    ask_variants,
    measure_named,
    tasks_of,
    with_baseline,
)
from ..observe import CostLedger
from ..platform.storage import FileLock, private_folder
from ..search import SharedSearch
from ..settings import ANSWER_SECTIONS, Settings, model_profile, with_overrides
from .pipeline import PROMPTS
from .steady import steady
from .talking import TalkingDesk

_FEWEST = 30  # questions before a variant is given up
_OF_AN_INDEX = ("passages", "embedding")  # what differs is cut and embedded anew
_OF_SOURCES = ("gather", "house_rule")  # what differs is read anew


@dataclass(frozen=True, slots=True)
class CompareOrder:
    """What to compare and how; see `Desk.compare`."""

    variants: Sequence[Variant]
    by: str = "right"
    halving: bool = False
    spending: Spending = field(default_factory=Spending)
    afresh: bool = False
    processes: int = 1


@dataclass(frozen=True, slots=True)
class _Prepared:
    """A variant with its settings and the state folder of its index."""

    variant: Variant
    settings: Settings
    state: Path
    key: str
    seconds: float = 0.0
    problem: str = ""


def compare(
    desk: TalkingDesk,
    questions: QuestionSet,
    as_of: datetime,
    order: CompareOrder,
    progress: Progress,
    cancel: Cancel | None,
) -> Comparison:
    """Ask the same questions under several settings. See `Desk.compare`."""
    began = time.monotonic()
    if not measure_named(order.by).judged:
        raise CallError(
            f"{order.by} cannot decide: it depends on what else the machine was doing",
            "by",
            "decide by another measure, such as right, and read the times beside it",
        )
    variants = with_baseline(order.variants)
    settings = {one.name: steady(with_overrides(desk.settings, one.settings)) for one in variants}
    folder = private_folder(desk.state / "comparisons")
    lock = FileLock(folder / "lock", shared=False)
    if not lock.take():
        raise CallError(
            "another comparison of this desk is running", str(folder), "wait until it has ended"
        )
    try:
        made = _made_with(desk)
        _sweep(folder, made)
        prepared = [
            _prepare(desk, one, settings[one.name], folder, made, progress, cancel)
            for one in variants
        ]
        return _ask(desk, questions, as_of, order, prepared, began, progress, cancel)
    finally:
        lock.release()


def _ask(
    desk: TalkingDesk,
    questions: QuestionSet,
    as_of: datetime,
    order: CompareOrder,
    prepared: Sequence[_Prepared],
    began: float,
    progress: Progress,
    cancel: Cancel | None,
) -> Comparison:
    """Ask the variants that could be prepared."""
    whole = [one for one in prepared if not one.problem]
    by_name = {one.variant.name: one for one in whole}
    tasks = _tasks(desk, whole, questions, as_of)
    grade = desk.settings.grade
    asked_of = f"{questions.fingerprint()} {as_of.isoformat()} {grade.depth} {code_fingerprint()}"
    keys = {name: _hash(one.key, asked_of) for name, one in by_name.items()}
    folder = desk.state / "comparisons"
    kept = {name: KeptGrades(folder / "grades" / f"{key}.jsonl") for name, key in keys.items()}
    if order.afresh:
        for own in kept.values():
            own.path.unlink(missing_ok=True)
    found = ask_variants(
        tasks,
        partial(
            open_variants,
            type(desk),
            desk.folder,
            desk.state,
            [(one.variant.name, one.settings, one.state) for one in whole],
        ),
        kept,
        depth=grade.depth,
        seed=grade.seed,
        processes=_processes(desk, whole, order.processes),
        spending=order.spending,
        rounds=_rounds(len(questions.questions), len(whole)) if order.halving else (),
        better=partial(_ranking, order.by),
        progress=progress,
        cancel=cancel,
    )
    results = []
    for one in prepared:
        name = one.variant.name
        grades = None
        if not one.problem:
            grades = _grades(desk, questions, as_of, one, found.grades[name])
        results.append(
            VariantResult(one.variant, grades, one.problem, one.seconds, found.dropped.get(name, 0))
        )
    return Comparison(
        id=_hash(*sorted(keys.values())),
        results=tuple(results),
        by=order.by,
        stopped=found.stopped,
        seconds=time.monotonic() - began,
        price=found.price,
        left_out=questions.left_out,
        drafts=questions.drafts,
    )


def open_variants(
    kind: type[TalkingDesk],
    folder: Path,
    state: Path,
    variants: Sequence[tuple[str, Settings, Path]],
) -> dict[str, TalkingDesk]:
    """The desk under several settings; those of one index read it through one snapshot."""
    opened: dict[Path, TalkingDesk] = {}
    shared = SharedSearch()
    found = {}
    for name, settings, own in variants:
        if own not in opened:
            opened[own] = kind(folder, settings, record=False, state=own)
            opened[own].costs = CostLedger(state / "costs")  # all spend what the desk may
        found[name] = opened[own].under(settings)
        found[name].share_search(shared)
    return found


def _prepare(
    desk: TalkingDesk,
    variant: Variant,
    settings: Settings,
    folder: Path,
    made: str,
    progress: Progress,
    cancel: Cancel | None,
) -> _Prepared:
    """A variant's index: the desk's own, one that another variant made, or a new one beside it."""
    parts = (*_OF_AN_INDEX, *_OF_SOURCES)
    own = _section_values(settings, parts)
    base = _section_values(desk.settings, parts)
    language = settings.desk.language != desk.settings.desk.language
    key = _hash(made, json.dumps([own, settings.desk.language], default=str, sort_keys=True))
    found = _Prepared(variant, settings, desk.state, _answer_key(desk.folder, settings, key))
    if own == base and not language:
        return found
    read_again = language or any(own[name] != base[name] for name in _OF_SOURCES)
    beside = folder / "indexes" / f"{made}-{key}"
    if beside.exists():
        return replace(found, state=beside)
    from .gathering import gather_beside

    began = time.monotonic()
    try:
        gather_beside(
            desk.folder,
            desk.state,
            beside,
            settings,
            read_again=read_again,
            progress=progress,
            cancel=cancel,
        )
    except CancelledError:
        raise
    except YonderError as error:
        return replace(found, problem=error.what)
    return replace(found, state=beside, seconds=time.monotonic() - began)


def _tasks(
    desk: TalkingDesk, prepared: Sequence[_Prepared], questions: QuestionSet, as_of: datetime
) -> dict[str, list[Task]]:
    """The questions of each variant, located in the texts that it has."""
    zone = desk.settings.desk.zone
    usual = tasks_of(desk, questions, as_of, zone)
    found = {}
    by_state = {desk.state: usual}
    for one in prepared:
        if one.state not in by_state:
            own = type(desk)(desk.folder, one.settings, record=False, state=one.state)
            by_state[one.state] = tasks_of(own, questions, as_of, zone, lost_is_missed=True)
            own.close()
        found[one.variant.name] = by_state[one.state]
    return found


def _grades(
    desk: TalkingDesk,
    questions: QuestionSet,
    as_of: datetime,
    one: _Prepared,
    graded: Mapping[str, QuestionGrade],
) -> Grades:
    order = [question.id for question in questions.questions]
    grade = desk.settings.grade
    return Grades(
        tuple(graded[id_] for id_ in order if id_ in graded),
        as_of=as_of.isoformat(),
        seed=grade.seed,
        resamples=grade.resamples,
        asked=questions.fingerprint(),
        settings=dict(one.variant.settings),
    )


def _processes(desk: TalkingDesk, prepared: Sequence[_Prepared], processes: int) -> int:
    """One a core; one alone where a model is waited for: what it may cost is looked at between."""
    if any(one.settings.answer.model for one in prepared):
        return 1
    return processes or desk.settings.gather.workers


def _ranking(by: str, grades: Mapping[str, Sequence[QuestionGrade]]) -> list[str]:
    """The variants, the best first, by the mean of a measure so far."""
    measure = measure_named(by)
    means = {}
    for name, graded in grades.items():
        values = [value for one in graded if (value := measure.value(one)) is not None]
        mean = sum(values) / len(values) if values else 0.0
        means[name] = mean if measure.lower_is_better else -mean
    first = next(iter(means))  # the settings as they are stay to the end
    return [first, *sorted((name for name in means if name != first), key=lambda one: means[one])]


def _rounds(questions: int, variants: int) -> list[int]:
    """After how many questions the worse half is given up."""
    halvings = max(0, math.ceil(math.log2(max(1, variants))) - 1)
    counts = [questions // 2**number for number in range(halvings, 0, -1)]
    return [count for count in counts if count >= _FEWEST]


def _section_values(settings: Settings, names: Sequence[str]) -> dict[str, Any]:
    return {name: to_builtins(getattr(settings, name)) for name in names}


def _answer_key(folder: Path, settings: Settings, index: str) -> str:
    """A hash of all that bears on an answer: index, settings, prompts, examples, the model."""
    bearing = _section_values(settings, ANSWER_SECTIONS)
    files = sorted((folder / PROMPTS).glob("*.j2"))
    files += [folder / settings.answer.examples] if settings.answer.examples else []
    texts = [path.name + path.read_text("utf-8", "replace") for path in files if path.is_file()]
    model = repr(model_profile(settings, folder)) if settings.answer.model else ""
    return _hash(index, json.dumps(bearing, sort_keys=True, default=str), model, *texts)


def _made_with(desk: TalkingDesk) -> str:
    """A hash of the desk's own index."""
    return _hash((desk.state / "index" / "manifest.json").read_text(encoding="utf-8"))


def _sweep(folder: Path, made: str) -> None:
    """Remove the indexes that were made beside an earlier one."""
    for path in (folder / "indexes").glob("*"):
        if not path.name.startswith(made) or path.name.endswith(".making"):
            shutil.rmtree(path, ignore_errors=True)


def _hash(*parts: str) -> str:
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()[:12]
