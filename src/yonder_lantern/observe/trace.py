"""What a trace holds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..core import Answer, SearchResult


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
    findings, answer
        What was found and what was made of it.
    settings : dict
        The settings that bore on it.
    further : sequence of SearchResult, optional
        What was searched besides: the parts of a question, the things compared.
    broken_off : str
        Why the answer did not come to its end; empty if it did.
    """
    asked = result.query
    return {
        "question": asked.question,
        "rewritten": asked.rewritten,
        "audience": None if asked.caller.labels is None else sorted(asked.caller.labels),
        "as_of": None if asked.caller.as_of is None else asked.caller.as_of.isoformat(),
        "generation": result.generation,
        "passages": result.passages,
        "language": result.language,
        "settings": settings,
        "searched": _searched(result),
        "where": asked.where,
        "values": dict(asked.values),
        "read_as": dict(result.read_as),
        "other_forms": {form: list(item) for form, item in result.other_forms.items()},
        "phrases": dict(result.phrases),
        "hits": _hits(result),
        "further": [
            {
                "question": item.query.rewritten,
                "searched": _searched(item),
                "hits": _hits(item),
            }
            for item in further
        ],
        "answer": {
            "text": answer.text,
            "declined": answer.declined,
            "cut": answer.cut,
            "courtesy": answer.courtesy,
            "support": round(answer.support, 4),
            "house_rules": list(answer.rules),
            "citations": [
                {
                    "number": citation.number,
                    "document": citation.document,
                    "version": citation.version,
                    "start": citation.start,
                    "end": citation.end,
                    "quote": citation.quote,
                    "location": str(citation.location),
                }
                for citation in answer.citations
            ],
        },
        "broken_off": broken_off,
        "cost": {
            "amount": str(answer.cost.amount),
            "currency": answer.cost.currency if answer.cost.amount else None,
            "simulated": answer.cost.simulated,
        },
        "milliseconds": dict(answer.times or {}),
    }


def _searched(result: SearchResult) -> list[dict[str, Any]]:
    """The terms, how much each weighs, and in how many passages it stands."""
    return [
        {"term": term, "weight": round(weight, 4), "passages": result.known[term]}
        for term, weight in result.terms.items()
    ]


def _hits(result: SearchResult) -> list[dict[str, Any]]:
    """Where each hit is, and what made its score."""
    return [
        {
            "document": hit.document,
            "version": hit.version,
            "start": hit.start,
            "end": hit.end,
            "location": str(hit.location),
            "score": round(hit.score, 6),
            "stages": {
                stage.stage: {"rank": stage.rank, "score": round(stage.score, 6)}
                for stage in hit.breakdown.stages
                if stage.stage in ("lexical", "vector")
            },
            "shares": {
                **{stage.stage: round(stage.share, 6) for stage in hit.breakdown.stages},
                **{share.feature: round(share.share, 6) for share in hit.breakdown.features},
            },
        }
        for hit in result.hits
    ]
