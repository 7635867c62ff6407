"""What each resource does."""

from __future__ import annotations

import json
import re
import threading
from collections.abc import AsyncIterator, Callable, Iterator
from functools import partial
from typing import Any

from anyio import CapacityLimiter, to_thread
from starlette.requests import Request
from starlette.responses import JSONResponse, PlainTextResponse, Response, StreamingResponse

from ...conversation import Conversation, Turn, as_markdown, recap
from ...core import Event, Finished, YonderError
from ...core.outgoing import (
    AnswerOut,
    ArticleOut,
    ConversationOut,
    ConversationSummaryOut,
    DocumentOut,
    SearchOut,
    TurnOut,
    event_out,
)
from ...version import __version__
from .bodies import ArticleIn, PreferenceIn, QuestionIn, TitleIn, body_of
from .problems import HttpProblem, status_of
from .running_turns import GATHERS, RunningTurn
from .served import Served, as_json, not_modified
from .shared_turns import FollowedTurn
from .visitors import Visitor

_Told = tuple[int, str, dict[str, Any]] | None
_END: Any = object()
_EVENTS = "text/event-stream"
_MARKDOWN = "text/markdown"
_ID = re.compile(r"[0-9A-Za-z-]{16,64}")
_LIST = 50  # conversations in a list


class Routes:
    """The routes of questions, conversations and documents.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served
        self._doorman = served.doorman
        self._turns = served.turns
        self._limiter = served.limiter
        self._timeout = served.doorman.desk.settings.serve.timeout

    async def health(self, request: Request) -> Response:
        """Whether the server runs."""
        name = self._doorman.desk.settings.desk.name
        beside = bool(request.scope.get("root_path"))  # of others, or of a product
        return JSONResponse(
            {"status": "ok", "version": __version__, "name": name, "beside": beside}
        )

    async def ready(self, request: Request) -> Response:  # noqa: ARG002
        """Whether there is something to answer from."""
        generation = await to_thread.run_sync(lambda: self._doorman.desk.snapshot().generation)
        return JSONResponse({"status": "ready", "generation": generation})

    async def search(self, request: Request) -> Response:
        """The passages found for a question."""
        visitor = self._visitor(request)
        query = (await body_of(request, QuestionIn)).query(self._timeout)
        self._doorman.count(visitor)
        result = await to_thread.run_sync(visitor.desk.search, query, limiter=self._limiter)
        return as_json(SearchOut.of(query.text, result))

    async def question(self, request: Request) -> Response:
        """One answer, whole or as it is written, without a conversation."""
        visitor = self._visitor(request)
        query = (await body_of(request, QuestionIn)).query(self._timeout)
        self._doorman.count(visitor)
        if _wants(request, _EVENTS):
            stop = threading.Event()
            events = self._counted(visitor, visitor.desk.stream(query, cancel=stop))
            return _streamed(_in_threads(_numbered(events), stop, self._limiter))
        answer = await to_thread.run_sync(visitor.desk.ask, query, limiter=self._limiter)
        self._served.answered(visitor, answer)
        return as_json(AnswerOut.of(answer))

    async def article(self, request: Request) -> Response:
        """A longer piece about a topic."""
        visitor = self._visitor(request)
        wanted = await body_of(request, ArticleIn)
        self._doorman.count(visitor)
        write = partial(
            visitor.desk.write,
            wanted.query(self._timeout),
            sections=wanted.sections,
            voices=wanted.voices,
        )
        article = await to_thread.run_sync(write, limiter=self._limiter)
        self._doorman.spent(visitor, article.cost)
        return as_json(ArticleOut.of(article))

    async def conversations(self, request: Request) -> Response:
        """The visitor's conversations, newest first."""
        visitor = self._visitor(request)
        if visitor.is_box:  # all who use a box come by one token
            raise HttpProblem(403, "a box lists no conversations", "keep the id of its own")
        text = request.query_params.get("search", "")
        kept = visitor.desk.conversations

        def listed() -> list[ConversationSummaryOut]:
            found = kept.newest(text=text, owner=visitor.name)
            return [
                ConversationSummaryOut(one.id, one.title, one.changed, one.turns)
                for one, _ in zip(found, range(_LIST), strict=False)
            ]

        return as_json({"conversations": await to_thread.run_sync(listed)})

    async def start(self, request: Request) -> Response:
        """A new conversation; lists name it once it has a turn."""
        visitor = self._visitor(request)
        begin = partial(visitor.desk.conversations.begin, owner=visitor.name)
        one = await to_thread.run_sync(begin)
        where = {"location": f"/conversations/{one.id}"}
        return as_json({"id": one.id}, status=201, headers=where)

    async def conversation(self, request: Request) -> Response:
        """A conversation with its turns, as JSON or Markdown."""
        visitor = self._visitor(request)
        found = await to_thread.run_sync(self._resumed, visitor, request.path_params["id"])
        if _wants(request, _MARKDOWN):
            return PlainTextResponse(as_markdown(found), media_type=_MARKDOWN)
        turns = [turn_out(found, number) for number in range(len(found.turns))]
        said = [one.text for one in found.preferences]
        return as_json(ConversationOut(found.id, found.title, turns, said))

    async def recap(self, request: Request) -> Response:
        """A conversation summed up."""
        visitor = self._visitor(request)
        found = await to_thread.run_sync(self._resumed, visitor, request.path_params["id"])
        return as_json({"recap": recap(found)})

    async def undo(self, request: Request) -> Response:
        """Take the last turn back."""
        visitor = self._visitor(request)

        def undone() -> None:
            one = self._resumed(visitor, request.path_params["id"])
            visitor.desk.conversations.undo(one)

        await to_thread.run_sync(undone)
        return Response(status_code=204)

    async def forget(self, request: Request) -> Response:
        """Remove something that the person said of themselves."""
        visitor = self._visitor(request)
        said = await body_of(request, PreferenceIn)

        def forgotten() -> None:
            one = self._resumed(visitor, request.path_params["id"])
            visitor.desk.conversations.forget(one, said.text)

        await to_thread.run_sync(forgotten)
        return Response(status_code=204)

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
        query = (await body_of(request, QuestionIn)).query(self._timeout)
        self._doorman.count(visitor)
        id_ = request.path_params["id"]
        await to_thread.run_sync(self._resumed, visitor, id_)

        def events(cancel: Any) -> Iterator[Event]:
            one = self._resumed(visitor, id_)
            return self._counted(visitor, visitor.desk.stream_turn(query, one, cancel=cancel))

        key = request.headers.get("idempotency-key", "")
        turn = self._turns.begin(visitor.name, id_, key, events)
        where = f"/conversations/{id_}/turns/{turn.id}"
        return as_json(
            {"id": turn.id, "conversation": id_, "events": where},
            status=202,
            headers={"location": where},
        )

    async def gather_events(self, request: Request) -> Response:
        """What a gather tells as it goes on, or its report once it has ended."""
        visitor = self._visitor(request)
        turn = self._turns.find(visitor.counted_as, GATHERS, request.path_params["id"])
        return await self._events(turn, request)

    async def stop_gather(self, request: Request) -> Response:
        """Stop a gather; what was taken in so far stays."""
        visitor = self._visitor(request)
        self._turns.find(visitor.counted_as, GATHERS, request.path_params["id"]).cancel.set()
        return Response(status_code=204)

    async def turn(self, request: Request) -> Response:
        """A turn's events as they come, from after ``Last-Event-ID``; or all, once it has ended."""
        visitor = self._visitor(request)
        return await self._events(self._found(visitor, request), request)

    @staticmethod
    async def _events(turn: RunningTurn | FollowedTurn, request: Request) -> Response:
        if _wants(request, _EVENTS):
            seen = _whole(request.headers.get("last-event-id", ""))
            return _streamed(turn.after(seen or 0))
        events = [event async for event in turn.after(0) if event]
        if not events:
            raise HttpProblem(500, "the turn ended without an answer", "ask again")
        _, name, data = events[-1]
        if name == "problem":
            raise HttpProblem(int(data["status"]), data["detail"], data.get("remedy", ""))
        return as_json(data)

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
        etag = f'"{found.version}-{start}-{end}-{version}"'
        if (known := not_modified(request, etag)) is not None:
            return known
        return as_json(
            DocumentOut(
                found.id, found.title, found.language, found.version, found.text, start, end,
                found.text[start:end], version != found.version,
            ),
            headers={"etag": etag, "cache-control": "private, no-cache"},
        )  # fmt: skip

    def _counted(self, visitor: Visitor, events: Iterator[Event]) -> Iterator[Event]:
        """Events of an answer, which is counted when it ends."""
        for event in events:
            if isinstance(event, Finished):
                self._served.answered(visitor, event.answer)
            yield event

    def _found(self, visitor: Visitor, request: Request) -> RunningTurn | FollowedTurn:
        names = request.path_params
        return self._turns.find(visitor.name, str(names["id"]), str(names["turn"]))

    def _visitor(self, request: Request) -> Visitor:
        return self._doorman.visitor(request)

    @staticmethod
    def _resumed(visitor: Visitor, id_: str) -> Conversation:
        """A conversation of the visitor's."""
        if not _ID.fullmatch(id_):
            raise HttpProblem(404, "there is no such conversation", "POST /conversations first")
        return visitor.desk.conversations.resume(id_, owner=visitor.name)


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


def _numbered(events: Iterator[Event]) -> Iterator[_Told]:
    """Events of an answer with their numbers; what goes wrong is the last of them."""
    number = 0
    try:
        for number, event in enumerate(events, 1):
            yield (number, *event_out(event))
    except YonderError as error:
        told = {"status": status_of(error), "detail": error.what, "remedy": error.remedy}
        yield number + 1, "problem", told


async def _in_threads(
    events: Iterator[_Told], stop: threading.Event, limiter: CapacityLimiter
) -> AsyncIterator[_Told]:
    """What a thread works out, one step after the other; a reader that leaves stops the work."""
    step: Callable[[], Any] = partial(next, events, _END)
    run = partial(to_thread.run_sync, step, abandon_on_cancel=True, limiter=limiter)
    try:
        while (event := await run()) is not _END:
            yield event
    finally:
        stop.set()


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
