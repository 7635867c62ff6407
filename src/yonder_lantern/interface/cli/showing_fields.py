"""How a typed answer is shown in a terminal, and as JSON."""

from __future__ import annotations

import json

from ...core import Extracted, ExtractedField
from .showing import show_cited, show_withdrawn, what_it_took
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
    echo(what_it_took(filled, *([f"asked {filled.attempts} times"] if filled.attempts > 1 else [])))


def _told(one: ExtractedField) -> str:
    if one.value in (None, []):
        return faint("not in the documents")
    return json.dumps(one.value, ensure_ascii=False)
