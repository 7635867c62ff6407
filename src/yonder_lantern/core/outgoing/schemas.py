"""The kinds of what goes out, their versions, and their JSON Schemas.

References
----------
JSON Schema, draft 2020-12.
"""

from __future__ import annotations

from typing import Any

import msgspec

from .answer_out import AnswerOut, ExtractionOut, PromptOut
from .article_out import ArticleOut
from .entity_out import EntityCardOut
from .gather_out import GatherOut
from .hits_out import ExplanationOut, SearchOut
from .trace_out import TraceOut

DIALECT = "https://json-schema.org/draft/2020-12/schema"
KINDS: dict[str, tuple[type[msgspec.Struct], int]] = {
    "answer": (AnswerOut, 1),
    "article": (ArticleOut, 1),
    "entity": (EntityCardOut, 1),
    "explanation": (ExplanationOut, 1),
    "extraction": (ExtractionOut, 1),
    "gather": (GatherOut, 1),
    "prompt": (PromptOut, 1),
    "search": (SearchOut, 1),
    "trace": (TraceOut, 1),
}


def as_plain(value: msgspec.Struct) -> dict[str, Any]:
    """What goes out as plain values, to be written as JSON."""
    plain: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(value))
    return plain


def schema_of(kind: str) -> dict[str, Any]:
    """The JSON Schema of one kind.

    Parameters
    ----------
    kind : str
        One of `KINDS`.

    Examples
    --------
    >>> schema_of("answer")["$id"]
    'urn:yonder-lantern:answer:1'
    """
    made_of, version = KINDS[kind]
    schema = msgspec.json.schema(made_of)
    definitions = schema.pop("$defs", {})
    return {
        "$schema": DIALECT,
        "$id": f"urn:yonder-lantern:{kind}:{version}",
        **schema,
        "$defs": definitions,
    }
