"""How answers to real questions go: from traces, and from what people said of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ...core import AnswerStatus
from ...platform.storage import Array

_ALIKE = 0.7  # cosine from which two questions ask about the same
_MOST = 1000  # questions without an answer that are compared with each other


@dataclass(frozen=True, slots=True)
class LiveShare:
    """How the questions of a day, or about a topic, went.

    Attributes
    ----------
    name : str
    asked, answered, excerpts, declined : int
    good, bad : int
        Answers that people rated so.
    """

    name: str
    asked: int
    answered: int
    excerpts: int
    declined: int
    good: int
    bad: int


@dataclass(frozen=True, slots=True)
class Gap:
    """Something that is asked and that the documents do not answer.

    Attributes
    ----------
    question : str
        The latest of those alike.
    count : int
    others : tuple of str
    """

    question: str
    count: int
    others: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class LiveQuality:
    """How answers to real questions go.

    Attributes
    ----------
    days, topics : tuple of LiveShare
        The latest day first; the commonest topic first.
    gaps : tuple of Gap
        The commonest first.
    """

    days: tuple[LiveShare, ...]
    topics: tuple[LiveShare, ...]
    gaps: tuple[Gap, ...]


@dataclass(slots=True)
class _Counts:
    asked: int = 0
    by_status: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    by_rating: dict[str, int] = field(default_factory=lambda: defaultdict(int))

    def share(self, name: str) -> LiveShare:
        return LiveShare(
            name,
            self.asked,
            self.by_status[AnswerStatus.ANSWER],
            self.by_status[AnswerStatus.EXCERPT],
            self.by_status[AnswerStatus.DECLINED],
            self.by_rating["good"],
            self.by_rating["bad"],
        )


def live_quality(
    traces: Iterable[Mapping[str, Any]],
    ratings: Mapping[str, Sequence[str]],
    topic_of: Callable[[str], str],
    vectors_of: Callable[[Sequence[str]], Array | None],
) -> LiveQuality:
    """Sum up traces by day and by topic, and group the questions that were declined.

    Parameters
    ----------
    traces : iterable of mapping
        The latest first.
    ratings : mapping of str to sequence of str
        By trace, ``good`` and ``bad``.
    topic_of : callable
        The topic of a document; empty if it has none.
    vectors_of : callable
        Unit vectors of questions; None without an embedding.
    """
    days: dict[str, _Counts] = defaultdict(_Counts)
    topics: dict[str, _Counts] = defaultdict(_Counts)
    declined: list[str] = []
    for trace in traces:
        answer = trace.get("answer") or {}
        if answer.get("courtesy") or not trace.get("question"):
            continue
        status = str(answer.get("status", ""))
        places = [days[str(trace["at"])[:10]]]
        hits = trace.get("hits") or []
        topic = topic_of(hits[0]["document"]) if hits else ""
        if topic:
            places.append(topics[topic])
        for counts in places:
            counts.asked += 1
            counts.by_status[status] += 1
            for rating in ratings.get(trace["id"], ()):
                counts.by_rating[rating] += 1
        if status == AnswerStatus.DECLINED and len(declined) < _MOST:
            declined.append(str(trace["question"]))
    return LiveQuality(
        tuple(days[name].share(name) for name in sorted(days, reverse=True)),
        tuple(
            counts.share(name)
            for name, counts in sorted(topics.items(), key=lambda one: -one[1].asked)
        ),
        tuple(_gaps(declined, vectors_of)),
    )


def _gaps(
    questions: Sequence[str], vectors_of: Callable[[Sequence[str]], Array | None]
) -> list[Gap]:
    """Questions that ask about the same, together: each joins the first that it is like."""
    distinct = list(dict.fromkeys(questions))
    vectors = vectors_of(distinct) if distinct else None
    groups: list[list[int]] = []
    for at in range(len(distinct)):
        near = -1
        if vectors is not None:
            firsts = [group[0] for group in groups]
            cosines = vectors[firsts] @ vectors[at] if firsts else np.zeros(0)
            if len(cosines) and cosines.max() >= _ALIKE:
                near = int(cosines.argmax())
        if near < 0:
            groups.append([at])
        else:
            groups[near].append(at)
    found = [
        Gap(
            distinct[group[0]],
            sum(questions.count(distinct[at]) for at in group),
            tuple(distinct[at] for at in group[1:]),
        )
        for group in groups
    ]
    return sorted(found, key=lambda one: -one.count)
