"""What the interface offers, described for programs.

References
----------
OpenAPI Specification 3.1.
"""

from __future__ import annotations

from typing import Any

import msgspec
from starlette.requests import Request
from starlette.responses import JSONResponse

from ...core.outgoing import (
    AnswerOut,
    ConversationOut,
    ConversationSummaryOut,
    DocumentOut,
    ProblemDetailsOut,
    SearchOut,
    TurnOut,
)
from ...version import __version__
from .bodies import QuestionIn, TitleIn


class StartedOut(msgspec.Struct, frozen=True):
    """A conversation that was started."""

    id: str


class BegunOut(msgspec.Struct, frozen=True):
    """A turn that was begun, and where its events are."""

    id: str
    conversation: str
    events: str


class ListOut(msgspec.Struct, frozen=True):
    """Some conversations, newest first."""

    conversations: list[ConversationSummaryOut]


class HealthOut(msgspec.Struct, frozen=True):
    """Whether the server runs, and what the desk is called."""

    status: str
    version: str
    name: str


class ReadyOut(msgspec.Struct, frozen=True):
    """Whether there is something to answer from: a generation of the index."""

    status: str
    generation: int


_KINDS = (
    AnswerOut, BegunOut, ConversationOut, HealthOut, ListOut, ProblemDetailsOut, QuestionIn,
    ReadyOut, SearchOut, DocumentOut, StartedOut, TitleIn, TurnOut,
)  # fmt: skip
_REF = "#/components/schemas/{name}"
_EVENTS: dict[str, Any] = {
    "description": "Server-sent events: piece, checked, cited, withdrawn; last answer or problem. "
    "Each has an id; Last-Event-ID reads on after it.",
    "content": {"text/event-stream": {"schema": {"type": "string"}}},
}


async def description(request: Request) -> JSONResponse:  # noqa: ARG001
    """The route ``/openapi.json``."""
    return JSONResponse(document())


def document() -> dict[str, Any]:
    """The whole description.

    Examples
    --------
    >>> document()["openapi"]
    '3.1.0'
    """
    _, schemas = msgspec.json.schema_components(_KINDS, ref_template=_REF)
    question = _body(QuestionIn)
    both = {"200": _EVENTS | {"content": _json(AnswerOut) | _EVENTS["content"]}}
    return {
        "openapi": "3.1.0",
        "info": {"title": "Yonder Lantern", "version": __version__},
        "paths": {
            "/health": {"get": _operation("Whether the server runs", {"200": _reply(HealthOut)})},
            "/ready": {"get": _operation("Whether it can answer", {"200": _reply(ReadyOut)})},
            "/search": {
                "post": _operation("The passages found", {"200": _reply(SearchOut)}, question)},
            "/questions": {
                "post": _operation("One answer, whole or as it is written", both, question)},
            "/conversations": {
                "get": _operation("The caller's conversations", {"200": _reply(ListOut)},
                                  parameters=[_parameter("search", "query", "words said in them")]),
                "post": _operation("Start one", {"201": _reply(StartedOut)}),
            },
            "/conversations/{id}": {
                "parameters": [_parameter("id", "path")],
                "get": _operation("One with its turns", {"200": _reply(ConversationOut)}),
                "patch": _operation("Rename it", {"204": _nothing()}, _body(TitleIn)),
                "delete": _operation("Delete it for good", {"204": _nothing()}),
            },
            "/conversations/{id}/turns": {
                "parameters": [_parameter("id", "path")],
                "post": _operation(
                    "Ask; the same Idempotency-Key again is the same turn",
                    {"202": _reply(BegunOut)}, question,
                    parameters=[_parameter("Idempotency-Key", "header", "chosen by the caller")]),
            },
            "/conversations/{id}/turns/{turn}": {
                "parameters": [_parameter("id", "path"), _parameter("turn", "path")],
                "get": _operation("Its events, or its answer once it has ended", both),
                "delete": _operation("Stop it", {"204": _nothing()}),
            },
            "/documents/{id}": {
                "parameters": [_parameter("id", "path", "may hold slashes")],
                "get": _operation(
                    "A document, and of it a span", {"200": _reply(DocumentOut)},
                    parameters=[
                        _parameter("start", "query", "offset", "integer"),
                        _parameter("end", "query", "offset", "integer"),
                        _parameter("version", "query", "of the citation: is it stale?"),
                    ]),
            },
        },
        "components": {
            "schemas": schemas,
            "securitySchemes": {"token": {"type": "http", "scheme": "bearer"}},
        },
        "security": [{}, {"token": []}],
    }  # fmt: skip


def _operation(
    summary: str,
    replies: dict[str, Any],
    body: dict[str, Any] | None = None,
    parameters: list[dict[str, Any]] | None = None,
) -> dict[str, Any]:
    found: dict[str, Any] = {"summary": summary, "responses": {**replies, "default": _problem()}}
    if body:
        found["requestBody"] = body
    if parameters:
        found["parameters"] = parameters
    return found


def _json(kind: type) -> dict[str, Any]:
    return {"application/json": {"schema": {"$ref": _REF.format(name=kind.__name__)}}}


def _body(kind: type) -> dict[str, Any]:
    return {"required": True, "content": _json(kind)}


def _reply(kind: type) -> dict[str, Any]:
    said = (kind.__doc__ or "").strip().splitlines()[0]
    return {"description": said, "content": _json(kind)}


def _nothing() -> dict[str, Any]:
    return {"description": "Done."}


def _problem() -> dict[str, Any]:
    schema = {"$ref": _REF.format(name="ProblemDetailsOut")}
    return {"description": "What is wrong (RFC 9457).",
            "content": {"application/problem+json": {"schema": schema}}}  # fmt: skip


def _parameter(name: str, where: str, said: str = "", kind: str = "string") -> dict[str, Any]:
    found: dict[str, Any] = {"name": name, "in": where, "schema": {"type": kind}}
    if where == "path":
        found["required"] = True
    if said:
        found["description"] = said
    return found
