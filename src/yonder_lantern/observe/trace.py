"""What a trace holds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..core import Answer, Findings


def trace_of(
    findings: Findings,
    answer: Answer,
    *,
    settings: dict[str, Any],
    further: Sequence[Findings] = (),
    broken_off: str = "",
) -> dict[str, Any]:
    """The record of one question, as JSON can hold it.

    Parameters
    ----------
    findings, answer
        What was found and what was made of it.
    settings : dict
        The settings that bore on it.
    further : sequence of Findings, optional
        What was searched besides: the parts of a question, the things compared.
    broken_off : str
        Why the answer did not come to its end; empty if it did.
    """
    asked = findings.asked
    return {
        "question": asked.question,
        "became": asked.rewritten,
        "audience": None if asked.audience is None else sorted(asked.audience),
        "as_of": None if asked.as_of is None else asked.as_of.isoformat(),
        "generation": findings.generation,
        "passages": findings.passages,
        "language": findings.language,
        "settings": settings,
        "searched": _searched(findings),
        "where": asked.where,
        "read_as": dict(findings.read_as),
        "other_forms": {form: list(own) for form, own in findings.other_forms.items()},
        "phrases": dict(findings.phrases),
        "hits": _hits(findings),
        "further": [
            {
                "question": own.asked.rewritten,
                "searched": _searched(own),
                "hits": _hits(own),
            }
            for own in further
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
                    "words": citation.words,
                    "place": str(citation.place),
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


def _searched(findings: Findings) -> list[dict[str, Any]]:
    """The terms, how much each weighs, and in how many passages it stands."""
    return [
        {"term": term, "weight": round(weight, 4), "passages": findings.known[term]}
        for term, weight in findings.terms.items()
    ]


def _hits(findings: Findings) -> list[dict[str, Any]]:
    """Where each hit is, and what made its score."""
    return [
        {
            "document": hit.document,
            "version": hit.version,
            "start": hit.start,
            "end": hit.end,
            "place": str(hit.place),
            "score": round(hit.score, 6),
            "stages": {
                stage.stage: {"rank": stage.rank, "score": round(stage.score, 6)}
                for stage in hit.account.stages
                if stage.stage in ("lexical", "vector")
            },
            "shares": {
                **{stage.stage: round(stage.share, 6) for stage in hit.account.stages},
                **{own.feature: round(own.share, 6) for own in hit.account.features},
            },
        }
        for hit in findings.hits
    ]
