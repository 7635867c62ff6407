"""Measures of a ranking, judged by spans of the source."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from ...core import CallError
from ..questions import Span

_HALF = 0.5
_PERSISTENCE = 0.8
_AT = re.compile(r"(recall|precision|success|f1|ndcg|judged|mrr|map|characters)@(\d+)")
_RBP = re.compile(r"rbp@(0?\.\d+)")


@dataclass(frozen=True, slots=True)
class Ranked:
    """A stretch of a document that was found or cited, best first; ``tokens`` says how long."""

    document: str
    start: int
    end: int
    also: tuple[Ranked, ...] = ()  # other places that say the same
    tokens: int = 0


@dataclass(frozen=True, slots=True)
class JudgedRanking:
    """What a ranking was judged to hold, from which every measure of it follows.

    Attributes
    ----------
    met : tuple of (int, int)
        Rank and gain of each expected group that is met, by rank.
    grades : tuple of int
        The best grade of each group.
    relevant, irrelevant : tuple of int
        Ranks of the hits that cover an expected span, and of those judged to hold no answer.
        All others are unjudged.
    held : tuple of (int, float)
        After each hit: the tokens so far, and the share of the expected characters in them.
    """

    met: tuple[tuple[int, int], ...]
    grades: tuple[int, ...]
    relevant: tuple[int, ...]
    irrelevant: tuple[int, ...] = ()
    held: tuple[tuple[int, float], ...] = ()

    def value(self, name: str) -> float:
        """One measure, between 0 and 1.

        Parameters
        ----------
        name : str
            ``recall@k``, ``precision@k``, ``success@k``, ``f1@k``, ``ndcg@k``, ``judged@k`` for any
            k from 1; ``mrr``, ``map``, both also ``@k``; ``rbp``, ``rbp@p`` for another persistence
            than 0.8; ``characters@n``, the share of the expected characters in the first n tokens.

        Raises
        ------
        CallError
            There is no such measure.

        References
        ----------
        Järvelin, Kekäläinen (2002), Cumulated gain-based evaluation of IR techniques.
        Voorhees (1999), The TREC-8 question answering track report, for reciprocal
        rank. Buckley, Voorhees (2000), Evaluating evaluation measure stability. Moffat, Zobel
        (2008), Rank-biased precision for measurement of retrieval effectiveness. Van Rijsbergen
        (1979), Information retrieval, chapter 7, for F1.

        Examples
        --------
        >>> judged = JudgedRanking(met=((2, 1),), grades=(1,), relevant=(2,))
        >>> judged.value("mrr"), judged.value("recall@1"), round(judged.value("rbp@0.5"), 2)
        (0.5, 0.0, 0.25)
        """
        if name in ("mrr", "map"):
            return self._at(name, 0)
        if name == "rbp":
            return self._rank_biased(_PERSISTENCE)
        found = _RBP.fullmatch(name)
        if found and 0 < float(found[1]) < 1:
            return self._rank_biased(float(found[1]))
        found = _AT.fullmatch(name)
        if found is None or not int(found[2]):
            raise CallError(
                f"there is no measure {name!r} of a ranking",
                "measure",
                "recall@5, precision@5, success@5, f1@5, ndcg@10, judged@10, mrr, map, rbp, "
                "characters@1000, with any number from 1",
            )
        return self._at(found[1], int(found[2]))

    def _at(self, name: str, depth: int) -> float:
        within = [rank for rank, _ in self.met if not depth or rank <= depth]
        recall = len(within) / len(self.grades)
        precision = sum(rank <= depth for rank in self.relevant) / depth if depth else 0.0
        values: dict[str, Callable[[], float]] = {
            "recall": lambda: recall,
            "precision": lambda: precision,
            "success": lambda: float(bool(within)),
            "f1": lambda: 2 * recall * precision / (recall + precision) if within else 0.0,
            "mrr": lambda: 1 / within[0] if within else 0.0,
            "map": lambda: self._average_precision(within, depth),
            "ndcg": lambda: self._gain(depth),
            "judged": lambda: self._judged(depth),
            "characters": lambda: self._characters(depth),
        }
        return values[name]()

    def _average_precision(self, within: Sequence[int], depth: int) -> float:
        gained = sum(min(1.0, number / rank) for number, rank in enumerate(within, 1))
        return gained / min(len(self.grades), depth or len(self.grades))

    def _gain(self, depth: int) -> float:
        ideal = sorted(self.grades, reverse=True)[:depth]
        best = sum(gain / math.log2(rank + 1) for rank, gain in enumerate(ideal, 1))
        own = sum(gain / math.log2(rank + 1) for rank, gain in self.met if rank <= depth)
        return min(1.0, own / best)

    def _judged(self, depth: int) -> float:
        there = min(depth, len(self.held)) or 1
        return sum(rank <= depth for rank in (*self.relevant, *self.irrelevant)) / there

    def _rank_biased(self, persistence: float) -> float:
        ranks = {rank for rank, _ in self.met}
        return (1 - persistence) * sum(persistence ** (rank - 1) for rank in sorted(ranks))

    def _characters(self, tokens: int) -> float:
        """The share held by the first so many tokens; a hit that is cut counts in proportion."""
        before, share = 0, 0.0
        for after, held in self.held:
            if after > tokens:
                part = (tokens - before) / (after - before)
                return share + part * (held - share)
            before, share = after, held
        return share


def covers(found: Ranked, span: Span) -> bool:
    """Whether a hit holds at least half the characters of an expected span.

    Where a whole document is expected, any passage of it does.

    Examples
    --------
    >>> covers(Ranked("a", 0, 15), Span("a", 10, 20, 1))
    True
    """
    if any(covers(other, span) for other in found.also):
        return True
    shared = min(found.end, span.end) - max(found.start, span.start)
    enough = span.whole or shared >= _HALF * (span.end - span.start)
    return found.document == span.document and enough


def covered_together(found: Sequence[Ranked], span: Span) -> bool:
    """Whether several stretches together hold at least half of an expected span."""
    if span.whole:
        return any(one.document == span.document for one in found)
    return share_held(found, span) >= _HALF


def share_held(found: Sequence[Ranked], span: Span) -> float:
    """The share of a span's characters that several stretches hold together, each once.

    Examples
    --------
    >>> share_held([Ranked("a", 0, 12), Ranked("a", 10, 15)], Span("a", 10, 20, 1))
    0.5
    """
    parts = sorted(
        (max(one.start, span.start), min(one.end, span.end))
        for one in found
        if one.document == span.document
    )
    total, reached = 0, span.start
    for start, end in parts:
        total += max(0, end - max(start, reached))
        reached = max(reached, end)
    return total / max(1, span.end - span.start)


def judge_ranking(
    found: Sequence[Ranked], groups: Sequence[Sequence[Span]], irrelevant: Sequence[Span] = ()
) -> JudgedRanking:
    """Judge a ranking by the spans that are expected.

    A group is met at the first hit that covers any of its alternatives, and gains
    then, once, the best grade among the alternatives that hit covers. The ideal
    ranking meets one group a rank, the highest grades first; a ranking that does
    better, since one hit can meet several groups, counts as ideal.

    Parameters
    ----------
    found : sequence of Ranked
        Best first.
    groups : sequence of sequence of Span
        At least one group. One without alternatives cannot be met: its document is not there.
    irrelevant : sequence of Span
        Spans judged to hold no answer.
    """
    met: list[tuple[int, int]] = []
    for group in groups:
        for rank, one in enumerate(found, 1):
            grades = [span.grade for span in group if covers(one, span)]
            if grades:
                met.append((rank, max(grades)))
                break
    relevant = tuple(
        rank
        for rank, one in enumerate(found, 1)
        if any(covers(one, span) for group in groups for span in group)
    )
    return JudgedRanking(
        met=tuple(sorted(met)),
        grades=tuple(max((span.grade for span in group), default=1) for group in groups),
        relevant=relevant,
        irrelevant=tuple(
            rank
            for rank, one in enumerate(found, 1)
            if rank not in relevant and any(covers(one, span) for span in irrelevant)
        ),
        held=_held(found, groups),
    )


def _held(
    found: Sequence[Ranked], groups: Sequence[Sequence[Span]]
) -> tuple[tuple[int, float], ...]:
    """After each hit, the tokens so far and the share of the expected characters they hold."""
    tokens = list(itertools.accumulate(one.tokens for one in found))
    touching = [
        rank
        for rank, one in enumerate(found, 1)
        if any(_touches(one, span) for group in groups for span in group)
    ]
    shares, share, reached = [], 0.0, 0
    for rank in range(1, len(found) + 1):
        if reached < len(touching) and touching[reached] == rank:
            reached += 1
            there = [part for one in found[:rank] for part in (one, *one.also)]
            best = [max((_share(there, span) for span in group), default=0.0) for group in groups]
            share = sum(best) / len(groups)
        shares.append(share)
    return tuple(zip(tokens, shares, strict=True))


def _share(found: Sequence[Ranked], span: Span) -> float:
    return float(covered_together(found, span)) if span.whole else share_held(found, span)


def _touches(one: Ranked, span: Span) -> bool:
    return any(
        part.document == span.document and part.start < span.end and span.start < part.end
        for part in (one, *one.also)
    )


def rank_measures(
    found: Sequence[Ranked], groups: Sequence[Sequence[Span]], depths: Sequence[int] = (1, 5, 10)
) -> Mapping[str, float]:
    """Recall, precision, success and nDCG at each depth, reciprocal rank and average precision.

    Parameters
    ----------
    found, groups
        As for `judge_ranking`.
    depths : sequence of int

    Returns
    -------
    mapping
        ``recall@k``, ``precision@k``, ``success@k``, ``ndcg@k`` for each depth k,
        ``mrr`` and ``map``; all between 0 and 1.

    Examples
    --------
    >>> hits = [Ranked("a", 0, 9), Ranked("b", 0, 9)]
    >>> measures = rank_measures(hits, [[Span("b", 2, 6, 1)]], depths=(1, 2))
    >>> measures["recall@1"], measures["recall@2"], measures["mrr"]
    (0.0, 1.0, 0.5)
    """
    judged = judge_ranking(found, groups)
    names = [
        f"{name}@{depth}" for depth in depths for name in ("recall", "precision", "success", "ndcg")
    ]
    return {name: judged.value(name) for name in ("mrr", "map", *names)}
