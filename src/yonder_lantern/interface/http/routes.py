"""What each resource does."""

from __future__ import annotations

import json
import os
import re
from collections.abc import AsyncIterator, Callable, Iterator
from functools import partial
from typing import Any

import msgspec
from anyio import CapacityLimiter, to_thread
from starlette.requests import Request
from starlette.responses import JSONResponse, PlainTextResponse, Response, StreamingResponse

from ...conversation import Conversation, Turn, as_markdown
from ...core import Event, YonderError
from ...core.outgoing import (
    AnswerOut,
    ConversationOut,
    ConversationSummaryOut,
    DocumentOut,
    SearchOut,
    TurnOut,
    event_out,
)
from ...version import __version__
from .bodies import QuestionIn, TitleIn, body_of
from .problems import HttpProblem, status_of
from .running_turns import RunningTurn, RunningTurns
from .visitors import Doorman, Visitor

_Told = tuple[int, str, dict[str, Any]] | None
_END: Any = object()
_EVENTS = "text/event-stream"
_MARKDOWN = "text/markdown"
_ID = re.compile(r"[0-9A-Za-z-]{16,64}")
_LIST = 50  # conversations in a list


class Routes:
    """The routes of one desk.

    Parameters
    ----------
    doorman : Doorman
    turns : RunningTurns
    """

    def __init__(self, doorman: Doorman, turns: RunningTurns) -> None:
        self._doorman = doorman
        self._turns = turns
        # More threads than cores would only take turns at holding the interpreter.
        self._limiter = CapacityLimiter(max(2, os.cpu_count() or 1))

    async def health(self, request: Request) -> Response:  # noqa: ARG002
        """Whether the server runs."""
        name = self._doorman.desk.settings.desk.name
        return JSONResponse({"status": "ok", "version": __version__, "name": name})

    async def ready(self, request: Request) -> Response:  # noqa: ARG002
        """Whether there is something to answer from."""
        generation = await to_thread.run_sync(lambda: self._doorman.desk.snapshot().generation)
        return JSONResponse({"status": "ready", "generation": generation})

    async def search(self, request: Request) -> Response:
        """The passages found for a question."""
        visitor = self._visitor(request)
        query = (await body_of(request, QuestionIn)).query()
        self._doorman.count(visitor)
        result = await to_thread.run_sync(visitor.desk.search, query, limiter=self._limiter)
        return _json(SearchOut.of(query.text, result))

    async def question(self, request: Request) -> Response:
        """One answer, whole or as it is written, without a conversation."""
        visitor = self._visitor(request)
        query = (await body_of(request, QuestionIn)).query()
        self._doorman.count(visitor)
        if _wants(request, _EVENTS):
            events = _numbered(visitor.desk.stream(query))
            return _streamed(_in_threads(events, self._limiter))
        return _json(
            AnswerOut.of(await to_thread.run_sync(visitor.desk.ask, query, limiter=self._limiter))
        )

    async def conversations(self, request: Request) -> Response:
        """The visitor's conversations, newest first."""
        visitor = self._visitor(request)
        text = request.query_params.get("search", "")
        kept = visitor.desk.conversations

        def listed() -> list[ConversationSummaryOut]:
            found = kept.newest(text=text, owner=visitor.name)
            return [
                ConversationSummaryOut(one.id, one.title, one.changed, one.turns)
                for one, _ in zip(found, range(_LIST), strict=False)
            ]

        return _json({"conversations": await to_thread.run_sync(listed)})

    async def start(self, request: Request) -> Response:
        """A new conversation; it is kept with its first turn."""
        visitor = self._visitor(request)
        one = visitor.desk.conversations.start(owner=visitor.name)
        where = {"location": f"/conversations/{one.id}"}
        return _json({"id": one.id}, status=201, headers=where)

    async def conversation(self, request: Request) -> Response:
        """A conversation with its turns, as JSON or Markdown."""
        visitor = self._visitor(request)
        found = await to_thread.run_sync(self._resumed, visitor, request.path_params["id"])
        if _wants(request, _MARKDOWN):
            return PlainTextResponse(as_markdown(found), media_type=_MARKDOWN)
        turns = [turn_out(found, number) for number in range(len(found.turns))]
        return _json(ConversationOut(found.id, found.title, turns))

    async def rename(self, request: Request) -> Response:
        """Call a conversation something else."""
        visitor = self._visitor(request)
        title = (await body_of(request, TitleIn)).title
        rename = partial(visitor.desk.conversations.rename, owner=visitor.name)
        await to_thread.run_sync(rename, request.path_params["id"], title)
        return Response(status_code=204)

    async def delete(self, request: Request) -> Response:
        """Delete a conversation for good."""
        visitor = self._visitor(request)
        delete = partial(visitor.desk.conversations.delete, owner=visitor.name)
        await to_thread.run_sync(delete, request.path_params["id"])
        return Response(status_code=204)

    async def ask(self, request: Request) -> Response:
        """Begin a turn; where its events can be read."""
        visitor = self._visitor(request)
        query = (await body_of(request, QuestionIn)).query()
        self._doorman.count(visitor)
        id_ = request.path_params["id"]

        def events(cancel: Any) -> Iterator[Event]:
            one = self._resumed(visitor, id_, new=True)
            return visitor.desk.stream_turn(query, one, cancel=cancel)

        key = request.headers.get("idempotency-key", "")
        turn = self._turns.begin(visitor.name, id_, key, events)
        where = f"/conversations/{id_}/turns/{turn.id}"
        return _json(
            {"id": turn.id, "conversation": id_, "events": where},
            status=202,
            headers={"location": where},
        )

    async def turn(self, request: Request) -> Response:
        """A turn's events as they come, from after ``Last-Event-ID``; or all, once it has ended."""
        visitor = self._visitor(request)
        turn = self._found(visitor, request)
        if _wants(request, _EVENTS):
            seen = _whole(request.headers.get("last-event-id", ""))
            return _streamed(turn.after(seen or 0))
        events = [event async for event in turn.after(0) if event]
        if not events:
            raise HttpProblem(500, "the turn ended without an answer", "ask again")
        _, name, data = events[-1]
        if name == "problem":
            raise HttpProblem(int(data["status"]), data["detail"], data.get("remedy", ""))
        return _json(data)

    async def cancel(self, request: Request) -> Response:
        """Stop a turn that is under way."""
        visitor = self._visitor(request)
        turn = self._found(visitor, request)
        turn.cancel.set()
        return Response(status_code=204)

    async def document(self, request: Request) -> Response:
        """A document, and of it the span that is asked for."""
        visitor = self._visitor(request)
        id_ = request.path_params["id"]
        found = await to_thread.run_sync(visitor.desk.document, id_)
        if found is None:
            raise HttpProblem(404, "there is no such document", "see /search for what there is")
        length = len(found.text)
        start = _number(request, "start", 0, length)
        end = _number(request, "end", length, length)
        if start > end:
            raise HttpProblem(422, "the span ends before it starts", "swap start and end")
        version = request.query_params.get("version", found.version)
        return _json(
            DocumentOut(
                found.id, found.title, found.language, found.version, found.text, start, end,
                found.text[start:end], version != found.version,
            ),
            headers={"etag": f'"{found.version}"'},
        )  # fmt: skip

    def _found(self, visitor: Visitor, request: Request) -> RunningTurn:
        names = request.path_params
        return self._turns.find(visitor.name, str(names["id"]), str(names["turn"]))

    def _visitor(self, request: Request) -> Visitor:
        return self._doorman.visitor(request)

    @staticmethod
    def _resumed(visitor: Visitor, id_: str, *, new: bool = False) -> Conversation:
        """A conversation of the visitor's; with ``new`` one that has no turns yet will do."""
        try:
            return visitor.desk.conversations.resume(id_, owner=visitor.name)
        except YonderError as error:
            if not new or status_of(error) != 404 or visitor.desk.conversations.exists(id_):
                raise
        if not _ID.fullmatch(id_):
            raise HttpProblem(404, "there is no such conversation", "POST /conversations first")
        started = visitor.desk.conversations.start(owner=visitor.name)
        started.id = id_
        return started


def turn_out(conversation: Conversation, at: int) -> TurnOut:
    """A turn of a conversation as it goes out."""
    turn: Turn = conversation.turns[at]
    return TurnOut(
        str(at + 1), conversation.id, turn.question, turn.rewritten, turn.status, turn.at,
        dict(turn.reply),
    )  # fmt: skip


def _number(request: Request, name: str, default: int, most: int) -> int:
    given = request.query_params.get(name)
    if given is None:
        return default
    number = _whole(given)
    if number is None or number > most:
        raise HttpProblem(422, f"{name} is no place in the document", f"0 to {most}")
    return number


def _whole(text: str) -> int | None:
    """A whole number; None for what is none, or longer than any offset."""
    return int(text) if text.isascii() and text.isdecimal() and len(text) < 16 else None


def _wants(request: Request, kind: str) -> bool:
    return kind in request.headers.get("accept", "")


def _json(value: Any, *, status: int = 200, headers: dict[str, str] | None = None) -> Response:
    return Response(msgspec.json.encode(value), status, headers, media_type="application/json")


def _numbered(events: Iterator[Event]) -> Iterator[_Told]:
    """Events of an answer with their numbers; what goes wrong is the last of them."""
    number = 0
    try:
        for number, event in enumerate(events, 1):
            yield (number, *event_out(event))
    except YonderError as error:
        told = {"status": status_of(error), "detail": error.what, "remedy": error.remedy}
        yield number + 1, "problem", told


async def _in_threads(events: Iterator[_Told], limiter: CapacityLimiter) -> AsyncIterator[_Told]:
    """What a thread works out, one step after the other."""
    step: Callable[[], Any] = partial(next, events, _END)
    run = partial(to_thread.run_sync, step, abandon_on_cancel=True, limiter=limiter)
    while (event := await run()) is not _END:
        yield event


def _streamed(events: AsyncIterator[_Told]) -> Response:
    """Events as server-sent events (HTML Living Standard)."""

    async def written() -> AsyncIterator[str]:
        async for event in events:
            if event is None:
                yield ": still there\n\n"
            else:
                number, name, data = event
                yield f"id: {number}\nevent: {name}\ndata: {json.dumps(data)}\n\n"

    headers = {"cache-control": "no-store", "x-accel-buffering": "no"}
    return StreamingResponse(written(), media_type=_EVENTS, headers=headers)
