"""What people judged of passages, and how far two of them agree."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

from msgspec.structs import replace

from ...core import CallError
from ...platform.storage import append_record, read_records
from .question_set import Question, expected_at

_SAME = 0.5  # of the shorter one, from which two passages are judged as one
GRADES = {0: "no answer", 1: "part of the answer", 2: "the answer"}


@dataclass(frozen=True, slots=True)
class PooledPassage:
    """A passage that some setting found for a question; which one is not told."""

    question: str
    document: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class Judgement:
    """What a person judged of a passage: 0 no answer, 1 part of it, 2 the answer."""

    question: str
    document: str
    start: int
    end: int
    grade: int
    judge: str
    at: str = ""


@dataclass(frozen=True, slots=True)
class Agreement:
    """How far two judges agree.

    Attributes
    ----------
    judges : tuple of str
    count : int
        Passages that both judged.
    same : float
        The share they judged alike.
    kappa : float
        Cohen's: 1 is full agreement, 0 what chance gives; NaN where chance alone gives all.
    """

    judges: tuple[str, str]
    count: int
    same: float
    kappa: float


class JudgementBook:
    """The judgements of a desk, one a line; a later one of the same person takes its place.

    Parameters
    ----------
    path : Path
    """

    def __init__(self, path: Path) -> None:
        self._path = path

    def add(self, passage: PooledPassage, grade: int, judge: str) -> Judgement:
        """Keep a judgement.

        Raises
        ------
        CallError
            There is no such grade, or the judge has no name.
        """
        if grade not in GRADES or not judge.strip():
            raise CallError(
                f"not a judgement: {grade!r} by {judge!r}", "judge", "give 0, 1 or 2, and a name"
            )
        now = datetime.now(UTC).isoformat(timespec="seconds")
        made = Judgement(
            passage.question, passage.document, passage.start, passage.end, grade, judge, now
        )
        append_record(self._path, asdict(made))
        return made

    def all(self) -> list[Judgement]:
        """Those that stand."""
        if not self._path.exists():
            return []
        found: dict[tuple[str, str, int, int, str], Judgement] = {}
        for kept in read_records(self._path):
            one = Judgement(**{name: kept[name] for name in Judgement.__dataclass_fields__})
            found[one.question, one.document, one.start, one.end, one.judge] = one
        return list(found.values())

    def left(self, pool: Sequence[PooledPassage], judge: str) -> list[PooledPassage]:
        """What of a pool a person has not judged yet."""
        done = [one for one in self.all() if one.judge == judge]
        return [one for one in pool if not any(_same(one, other) for other in done)]


def pooled(
    found: Mapping[str, Sequence[Sequence[PooledPassage]]], depth: int, seed: int
) -> list[PooledPassage]:
    """The passages that several settings found, each once, in a drawn order for each question.

    Parameters
    ----------
    found : mapping
        By question, what each setting found, the best first.
    depth : int
        How many of each.
    seed : int
        Of the order, which tells nothing of rank or setting.

    References
    ----------
    Sparck Jones, van Rijsbergen (1975), Report on the need for and provision of an ideal
    information retrieval test collection, for pooling.
    """
    whole: list[PooledPassage] = []
    for question, rankings in found.items():
        own: list[PooledPassage] = []
        for ranking in rankings:
            for one in ranking[:depth]:
                if not any(_same(one, other) for other in own):
                    own.append(one)
        random.Random(f"{seed} {question}").shuffle(own)
        whole += own
    return whole


def agreement(judgements: Sequence[Judgement]) -> list[Agreement]:
    """How far each two judges agree on what both judged.

    References
    ----------
    Cohen (1960), A coefficient of agreement for nominal scales.

    Examples
    --------
    >>> def told(judge, grades):
    ...     return [Judgement("q", "d", at, at + 9, grade, judge) for at, grade in grades.items()]
    >>> both = told("ada", {0: 2, 10: 0, 20: 2, 30: 0}) + told("bo", {0: 2, 10: 0, 20: 0, 30: 0})
    >>> agreement(both)[0].same, agreement(both)[0].kappa
    (0.75, 0.5)
    """
    by_judge: dict[str, dict[tuple[str, str, int, int], int]] = {}
    for one in judgements:
        place = (one.question, one.document, one.start, one.end)
        by_judge.setdefault(one.judge, {})[place] = one.grade
    names = sorted(by_judge)
    found = []
    for number, first in enumerate(names):
        for second in names[number + 1 :]:
            both = [place for place in by_judge[first] if place in by_judge[second]]
            if both:
                pairs = [(by_judge[first][place], by_judge[second][place]) for place in both]
                found.append(Agreement((first, second), len(both), *_kappa(pairs)))
    return found


def _kappa(pairs: Sequence[tuple[int, int]]) -> tuple[float, float]:
    same = sum(one == other for one, other in pairs) / len(pairs)
    chance = (
        sum(
            sum(one == grade for one, _ in pairs) * sum(other == grade for _, other in pairs)
            for grade in GRADES
        )
        / len(pairs) ** 2
    )
    return same, (same - chance) / (1 - chance) if chance < 1 else float("nan")


def with_judged(
    question: Question, judgements: Sequence[Judgement], text_of: Callable[[str], str | None]
) -> Question:
    """A question with what was judged of passages: what answers it, and what does not.

    A passage counts as the best of what its judges say, if one says that it is the answer and
    none that it is none; those that all call no answer become irrelevant. A question that expects
    several things keeps its groups: what is judged is another way to the first.

    Parameters
    ----------
    question : Question
    judgements : sequence of Judgement
    text_of : callable
        Of a document.
    """
    grades: dict[tuple[str, int, int], list[int]] = {}
    for one in judgements:
        if one.question == question.id:
            grades.setdefault((one.document, one.start, one.end), []).append(one.grade)
    relevant, irrelevant = [], []
    for (document, start, end), given in grades.items():
        text = text_of(document)
        if text is None or end > len(text):
            continue
        made = expected_at(document, text, start, end, grade=max(1, *given))
        if min(given) > 0 and max(given) == max(GRADES):
            relevant.append(made)
        elif max(given) == 0:
            irrelevant.append(made)
    first = question.expected[0] if question.expected else ()
    known = {(one.document, one.quote) for one in first}
    new = tuple(one for one in relevant if (one.document, one.quote) not in known)
    expected = ((*first, *new), *question.expected[1:]) if first or new else ()
    there = {(one.document, one.quote) for one in question.irrelevant}
    others = tuple(one for one in irrelevant if (one.document, one.quote) not in there)
    return replace(question, expected=expected, irrelevant=(*question.irrelevant, *others))


def _same(one: PooledPassage, other: PooledPassage | Judgement) -> bool:
    if one.question != other.question or one.document != other.document:
        return False
    shared = min(one.end, other.end) - max(one.start, other.start)
    return shared >= _SAME * min(one.end - one.start, other.end - other.start)
