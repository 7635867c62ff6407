"""How a typed answer is shown in a terminal, and as JSON."""

from __future__ import annotations

import json
from typing import Any

from ...core import Extracted, ExtractedField
from .showing import citation_as_json, show_cited, show_withdrawn, took_as_json, what_it_took
from .terminal import AMBER, displayed, echo, faint, style


def show_extracted(filled: Extracted, limit: int | None = None) -> None:
    """Print each field, what it holds, and what it rests on; at most ``limit`` citations."""
    filled = displayed(filled)
    broad = max((len(location) for location in filled.fields), default=0)
    for location, one in filled.fields.items():
        marks = "".join(f"[{citation.number}]" for citation in one.citations)
        told = _told(one) + style(f" {marks}" if marks else "", fg=AMBER, bold=True)
        echo(f"{location:<{broad}}   {told}")
    show_withdrawn(filled.unsupported)
    show_cited(filled.citations, limit)
    echo()
    echo(what_it_took(filled, *([f"asked {filled.tries} times"] if filled.tries > 1 else [])))


def _told(one: ExtractedField) -> str:
    if one.value in (None, []):
        return faint("not in the documents")
    return json.dumps(one.value, ensure_ascii=False)


def extracted_as_json(filled: Extracted) -> dict[str, Any]:
    """A typed answer for programs."""
    return {
        "question": filled.question,
        "value": filled.value,
        "missing": list(filled.missing),
        "fields": {
            location: {
                "value": one.value,
                "support": one.support,
                "citations": [citation.number for citation in one.citations],
            }
            for location, one in filled.fields.items()
        },
        "citations": list(map(citation_as_json, filled.citations)),
        "tries": filled.tries,
        **took_as_json(filled),
    }
