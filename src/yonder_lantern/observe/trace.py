"""What a trace holds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..core import Answer, SearchResult
from ..core.outgoing import (
    FurtherOut,
    MoneyOut,
    RankOut,
    RouteOut,
    StepOut,
    TermOut,
    TracedAnswerOut,
    TracedCitationOut,
    TracedHitOut,
    TraceOut,
    as_plain,
)


def trace_of(
    result: SearchResult,
    answer: Answer,
    *,
    settings: dict[str, Any],
    further: Sequence[SearchResult] = (),
    broken_off: str = "",
) -> dict[str, Any]:
    """The record of one question, as JSON can hold it.

    Parameters
    ----------
    result, answer
        What was found and what was made of it.
    settings : dict
        The settings that bore on it.
    further : sequence of SearchResult, optional
        What was searched besides: the parts of a question, the things compared.
    broken_off : str
        Why the answer did not come to its end; empty if it did.
    """
    asked = result.query
    record = TraceOut(
        question=asked.question,
        rewritten=asked.rewritten,
        audience=None if asked.caller.labels is None else sorted(asked.caller.labels),
        as_of=None if asked.caller.as_of is None else asked.caller.as_of.isoformat(),
        generation=result.generation,
        passages=result.passages,
        language=result.language,
        settings=settings,
        searched=_searched(result),
        where=asked.where,
        values=dict(asked.values),
        read_as=dict(result.read_as),
        other_forms={form: list(others) for form, others in result.other_forms.items()},
        phrases=dict(result.phrases),
        hits=_hits(result),
        further=[FurtherOut(one.query.rewritten, _searched(one), _hits(one)) for one in further],
        answer=_answered(answer),
        broken_off=broken_off,
        cost=MoneyOut.of(answer.cost),
        milliseconds=dict(answer.times or {}),
    )
    whole = as_plain(record)
    del whole["id"], whole["at"]  # it gets them when it is kept
    return whole


def _answered(answer: Answer) -> TracedAnswerOut:
    return TracedAnswerOut(
        answer.text,
        answer.status.value,
        answer.cut,
        answer.courtesy,
        RouteOut.of(answer.route),
        round(answer.support, 4),
        list(answer.rules),
        [
            TracedCitationOut(
                one.number,
                one.document,
                one.version,
                one.start,
                one.end,
                one.quote,
                str(one.location),
            )
            for one in answer.citations
        ],
        [StepOut.of(one) for one in answer.steps],
    )


def _searched(result: SearchResult) -> list[TermOut]:
    """The terms, how much each weighs, and in how many passages it stands."""
    return [
        TermOut(term, round(weight, 4), result.known[term]) for term, weight in result.terms.items()
    ]


def _hits(result: SearchResult) -> list[TracedHitOut]:
    """Where each hit is, and what made its score."""
    return [
        TracedHitOut(
            hit.document,
            hit.version,
            hit.start,
            hit.end,
            str(hit.location),
            round(hit.score, 6),
            {
                stage.stage: RankOut(stage.rank, round(stage.score, 6))
                for stage in hit.breakdown.stages
                if stage.stage in ("lexical", "vector")
            },
            {
                **{stage.stage: round(stage.share, 6) for stage in hit.breakdown.stages},
                **{one.feature: round(one.share, 6) for one in hit.breakdown.features},
            },
        )
        for hit in result.hits
    ]
