"""Measures of a ranking, judged by spans of the source."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from .questions import Span

_HALF = 0.5


@dataclass(frozen=True, slots=True)
class Ranked:
    """A stretch of a document that was found or cited, best first."""

    document: str
    start: int
    end: int
    also: tuple[Ranked, ...] = ()  # other places that say the same


def covers(found: Ranked, span: Span) -> bool:
    """Whether a hit holds at least half the characters of an expected span.

    Examples
    --------
    >>> covers(Ranked("a", 0, 15), Span("a", 10, 20, 1))
    True
    """
    if any(covers(other, span) for other in found.also):
        return True
    shared = min(found.end, span.end) - max(found.start, span.start)
    return found.document == span.document and shared >= _HALF * (span.end - span.start)


def covered_together(found: Sequence[Ranked], span: Span) -> bool:
    """Whether several stretches together hold at least half of an expected span."""
    held = [False] * (span.end - span.start)
    for one in found:
        if one.document == span.document:
            for at in range(max(one.start, span.start), min(one.end, span.end)):
                held[at - span.start] = True
    return sum(held) >= _HALF * len(held)


def rank_measures(
    found: Sequence[Ranked], groups: Sequence[Sequence[Span]], depths: Sequence[int] = (1, 5, 10)
) -> dict[str, float]:
    """Recall, precision, success and nDCG at each depth, reciprocal rank and average precision.

    A group is met at the first hit that covers any of its alternatives, and gains
    then, once, the best grade among the alternatives that hit covers. The ideal
    ranking meets one group a rank, the highest grades first; a ranking that does
    better, since one hit can meet several groups, counts as ideal.

    Parameters
    ----------
    found : sequence of Ranked
        Best first.
    groups : sequence of sequence of Span
        At least one group, each with at least one alternative.
    depths : sequence of int

    Returns
    -------
    dict
        ``recall@k``, ``precision@k``, ``success@k``, ``ndcg@k`` for each depth k,
        ``mrr`` and ``map``; all between 0 and 1.

    References
    ----------
    Järvelin, Kekäläinen (2002), Cumulated gain-based evaluation of IR techniques.
    Voorhees (1999), The TREC-8 question answering track report, for reciprocal
    rank. Buckley, Voorhees (2000), Evaluating evaluation measure stability.

    Examples
    --------
    >>> hits = [Ranked("a", 0, 9), Ranked("b", 0, 9)]
    >>> measures = rank_measures(hits, [[Span("b", 2, 6, 1)]], depths=(1, 2))
    >>> measures["recall@1"], measures["recall@2"], measures["mrr"]
    (0.0, 1.0, 0.5)
    """
    met: list[tuple[int, int]] = []  # rank and gain of each group that is met
    for group in groups:
        for rank, one in enumerate(found, 1):
            grades = [span.grade for span in group if covers(one, span)]
            if grades:
                met.append((rank, max(grades)))
                break
    relevant = [any(covers(one, span) for group in groups for span in group) for one in found]
    ideal = sorted((max(span.grade for span in group) for group in groups), reverse=True)
    ranks = sorted(rank for rank, _ in met)
    measures = {
        "mrr": 1 / ranks[0] if ranks else 0.0,
        "map": sum(min(1.0, number / rank) for number, rank in enumerate(ranks, 1)) / len(groups),
    }
    for depth in depths:
        within = [rank for rank in ranks if rank <= depth]
        measures[f"recall@{depth}"] = len(within) / len(groups)
        measures[f"precision@{depth}"] = sum(relevant[:depth]) / depth
        measures[f"success@{depth}"] = float(bool(within))
        best = sum(gain / math.log2(rank + 1) for rank, gain in enumerate(ideal[:depth], 1))
        gained = sum(gain / math.log2(rank + 1) for rank, gain in met if rank <= depth)
        measures[f"ndcg@{depth}"] = min(1.0, gained / best)
    return measures
