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
    ArticleOut,
    ConversationOut,
    ConversationSummaryOut,
    DocumentOut,
    EntitiesOut,
    EntityCardOut,
    GatherOut,
    ProblemDetailsOut,
    SearchOut,
    TraceOut,
    TurnOut,
)
from ...version import __version__
from .access_routes import CallerOut
from .beside_routes import ModelIn, SetUpOut, SpeechIn
from .bodies import ArticleIn, AskedIn, PreferenceIn, QuestionIn, TitleIn
from .source_routes import GatherIn, SourceIn, SourcesOut
from .watch_routes import FeedbackIn
from .webhook_routes import WebhookIn, WebhookOut


class StartedOut(msgspec.Struct, frozen=True):
    """A conversation that was started."""

    id: str


class BegunOut(msgspec.Struct, frozen=True):
    """A turn that was begun, and where its events are."""

    id: str
    conversation: str
    events: str


class GatherStartedOut(msgspec.Struct, frozen=True):
    """A gather that was begun, and where its events are."""

    id: str
    events: str


class ListOut(msgspec.Struct, frozen=True):
    """Some conversations, newest first."""

    conversations: list[ConversationSummaryOut]


class HealthOut(msgspec.Struct, frozen=True):
    """Whether the server runs, what the desk is called, where it is, and whether beside others."""

    status: str
    version: str
    name: str
    path: str
    beside: bool


class ReadyOut(msgspec.Struct, frozen=True):
    """Whether there is something to answer from."""

    status: str


class RecapOut(msgspec.Struct, frozen=True):
    """A conversation summed up, in Markdown."""

    recap: str


_KINDS = (
    ArticleIn, ArticleOut, EntitiesOut, EntityCardOut,
    AnswerOut, BegunOut, CallerOut, ConversationOut, DocumentOut, FeedbackIn, GatherIn, GatherOut,
    GatherStartedOut, HealthOut, ListOut, ModelIn, PreferenceIn, ProblemDetailsOut, QuestionIn,
    ReadyOut, RecapOut, SearchOut, SetUpOut, SourceIn, SpeechIn, SourcesOut, StartedOut, TitleIn,
    TraceOut, TurnOut, WebhookIn, WebhookOut,
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
    question, asked = _body(QuestionIn), _body(AskedIn)
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
                "post": _operation("One answer, whole or as it is written", both, asked)},
            "/articles": {
                "post": _operation("A longer piece about a topic", {"200": _reply(ArticleOut)},
                                   _body(ArticleIn))},
            "/conversations": {
                "get": _operation("The caller's conversations", {"200": _reply(ListOut)},
                                  parameters=[_parameter("search", "query", "words said in them")]),
                "post": _operation("Start one", {"201": _reply(StartedOut)}),
            },
            "/conversations/{id}": {
                "parameters": [_parameter("id", "path")],
                "get": _operation(
                    "Get a conversation with its turns", {"200": _reply(ConversationOut)}
                ),
                "patch": _operation("Rename it", {"204": _nothing()}, _body(TitleIn)),
                "delete": _operation("Delete it for good", {"204": _nothing()}),
            },
            "/conversations/{id}/recap": {
                "parameters": [_parameter("id", "path")],
                "get": _operation("Summarise a conversation", {"200": _reply(RecapOut)}),
            },
            "/conversations/{id}/preferences": {
                "parameters": [_parameter("id", "path")],
                "delete": _operation(
                    "Remove something the person said of themselves", {"204": _nothing()},
                    _body(PreferenceIn)),
            },
            "/conversations/{id}/turns/last": {
                "parameters": [_parameter("id", "path")],
                "delete": _operation("Delete the last turn", {"204": _nothing()}),
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
            "/caller": {
                "get": _operation("Get the current caller", {"200": _reply(CallerOut)})},
            "/sign-out": {"post": _operation("End the session", {"204": _nothing()})},
            "/entities": {
                "get": _operation("List the most-mentioned entities", {"200": _reply(EntitiesOut)},
                                  parameters=[_parameter("search", "query", "words of the name")]),
            },
            "/entities/{name}": {
                "parameters": [_parameter("name", "path", "any of its names")],
                "get": _operation("Get an entity's statements", {"200": _reply(EntityCardOut)}),
            },
            "/sources": {
                "get": _operation("What answers come from", {"200": _reply(SourcesOut)}),
                "post": _operation("Add one and gather it", {"202": _reply(GatherStartedOut)},
                                   _body(SourceIn)),
            },
            "/gathers": {
                "post": _operation("Gather", {"202": _reply(GatherStartedOut)}, _body(GatherIn))},
            "/gathers/{id}": {
                "parameters": [_parameter("id", "path")],
                "get": _operation("Its progress, or its report once it has ended",
                                  {"200": _gather_events()}),
                "delete": _operation("Stop it; what was taken in stays", {"204": _nothing()}),
            },
            "/page-pictures/{page}/{id}": {
                "parameters": [_parameter("page", "path", "the first is 1", "integer"),
                               _parameter("id", "path", "may hold slashes")],
                "get": _operation("A page of a PDF document, a span of it marked", {"200": {
                    "description": "The picture.",
                    "content": {"image/png": {"schema": {"type": "string"}}}}},
                    parameters=[_parameter("start", "query", "offset", "integer"),
                                _parameter("end", "query", "offset", "integer")]),
            },
            "/speech": {
                "post": _operation("Convert text to speech", {"200": {
                    "description": "The sound.",
                    "content": {"audio/wav": {"schema": {"type": "string"}}}}},
                    _body(SpeechIn))},
            "/set-up/model": {
                "put": _operation("Answer with a model until the server ends",
                                  {"200": _reply(SetUpOut)}, _body(ModelIn))},
            "/webhooks/{name}": {
                "parameters": [
                    _parameter("name", "path"),
                    *(_parameter(f"webhook-{one}", "header") for one in ("id", "timestamp",
                                                                         "signature")),
                ],
                "post": _operation("A signed message of a messenger",
                                   {"200": _reply(WebhookOut), "202": _nothing()},
                                   _body(WebhookIn)),
            },
            "/feedback": {
                "post": _operation("Judge an answer", {"204": _nothing()}, _body(FeedbackIn))},
            "/traces/{id}": {
                "parameters": [_parameter("id", "path")],
                "get": _operation("The record of a question", {"200": _reply(TraceOut)}),
            },
            "/metrics": {
                "get": _operation("Counts, in the Prometheus text format", {"200": {
                    "description": "Counts of this process.",
                    "content": {"text/plain": {"schema": {"type": "string"}}}}})},
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


def _gather_events() -> dict[str, Any]:
    stream = {"text/event-stream": {"schema": {"type": "string"}}}
    return {
        "description": "Server-sent events: progress; last gathered or problem.",
        "content": _json(GatherOut) | stream,
    }


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
