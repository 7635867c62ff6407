"""What each resource does."""

from __future__ import annotations

import hashlib
import json
import re
import threading
from collections.abc import AsyncIterator, Callable, Iterator
from functools import partial
from typing import Any

import msgspec
from anyio import CapacityLimiter, to_thread
from starlette.requests import Request
from starlette.responses import JSONResponse, PlainTextResponse, Response, StreamingResponse

from ...conversation import Conversation, Turn, as_markdown, recap
from ...core import Event, Finished, Query, YonderError
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
from ...desk import check_sources
from ...version import __version__
from .answered_once import answered_once
from .bodies import ArticleIn, AskedIn, PreferenceIn, QuestionIn, TitleIn, body_of
from .callers import VISITOR_HEADER, HttpCaller, root_of
from .problems import HttpProblem, status_of
from .running_turns import GATHERS, Named, RunningTurn, answer_of
from .served import Served, as_json, not_modified
from .shared_turns import FollowedTurn

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
        below = root_of(request)
        beside = below != "/"  # of others, or of a product
        return JSONResponse(
            {"status": "ok", "version": __version__, "name": name, "path": below, "beside": beside}
        )

    async def ready(self, request: Request) -> Response:  # noqa: ARG002
        """Whether there is something to answer from."""
        await to_thread.run_sync(self._doorman.desk.snapshot)
        return JSONResponse({"status": "ready"})

    async def search(self, request: Request) -> Response:
        """The passages found for a question."""
        caller = self._served.caller(request)
        query = await self._query(caller, await body_of(request, QuestionIn))
        self._doorman.count(caller)
        result = await to_thread.run_sync(caller.desk.search, query, limiter=self._limiter)
        return as_json(SearchOut.of(query.text, result))

    async def question(self, request: Request) -> Response:
        """One answer, whole or as it is written, without a conversation."""
        caller = self._served.caller(request)
        wanted = await body_of(request, AskedIn)
        query = await self._query(caller, wanted)
        self._doorman.count(caller)
        if _wants(request, _EVENTS):
            stop = threading.Event()
            events = self._counted(caller, caller.desk.stream(query, cancel=stop))
            return _streamed(_in_threads(_numbered(events, wanted.citations), stop, self._limiter))
        answer = await to_thread.run_sync(caller.desk.ask, query, limiter=self._limiter)
        self._served.answered(caller, answer)
        return as_json(AnswerOut.of(answer, wanted.citations))

    async def article(self, request: Request) -> Response:
        """A longer piece about a topic."""
        caller = self._served.caller(request)
        wanted = await body_of(request, ArticleIn)
        self._doorman.count(caller)
        write = partial(
            caller.desk.write,
            await self._query(caller, wanted),
            sections=wanted.sections,
            voices=wanted.voices,
        )
        article = await to_thread.run_sync(write, limiter=self._limiter)
        self._doorman.spent(caller, article.cost)
        return as_json(ArticleOut.of(article, wanted.citations))

    async def conversations(self, request: Request) -> Response:
        """The caller's conversations, newest first."""
        caller = self._served.caller(request)
        _need_known(caller)
        text = request.query_params.get("search", "")
        kept = caller.desk.conversations

        def listed() -> list[ConversationSummaryOut]:
            found = kept.newest(text=text, owner=caller.name)
            return [
                ConversationSummaryOut(one.id, one.title, one.changed, one.turns)
                for one, _ in zip(found, range(_LIST), strict=False)
            ]

        return as_json({"conversations": await to_thread.run_sync(listed)})

    async def start(self, request: Request) -> Response:
        """A new conversation; lists name it once it has a turn."""
        caller = self._served.caller(request)
        _need_known(caller)
        begin = partial(caller.desk.conversations.begin, owner=caller.name)
        one = await to_thread.run_sync(begin)
        where = {"location": f"{root_of(request)}conversations/{one.id}"}
        return as_json({"id": one.id}, status=201, headers=where)

    async def conversation(self, request: Request) -> Response:
        """A conversation with its turns, as JSON or Markdown."""
        caller = self._served.caller(request)
        found = await to_thread.run_sync(self._resumed, caller, request.path_params["id"])
        if _wants(request, _MARKDOWN):
            return PlainTextResponse(as_markdown(found), media_type=_MARKDOWN)
        turns = [turn_out(found, number) for number in range(len(found.turns))]
        said = [one.text for one in found.preferences]
        return as_json(ConversationOut(found.id, found.title, turns, said))

    async def recap(self, request: Request) -> Response:
        """A conversation summed up."""
        caller = self._served.caller(request)
        found = await to_thread.run_sync(self._resumed, caller, request.path_params["id"])
        return as_json({"recap": recap(found)})

    async def undo(self, request: Request) -> Response:
        """Delete the last turn."""
        caller = self._served.caller(request)

        def undone() -> None:
            one = self._resumed(caller, request.path_params["id"])
            caller.desk.conversations.undo(one)

        await to_thread.run_sync(undone)
        return Response(status_code=204)

    async def forget(self, request: Request) -> Response:
        """Remove something that the person said of themselves."""
        caller = self._served.caller(request)
        said = await body_of(request, PreferenceIn)

        def forgotten() -> None:
            one = self._resumed(caller, request.path_params["id"])
            caller.desk.conversations.forget(one, said.text)

        await to_thread.run_sync(forgotten)
        return Response(status_code=204)

    async def rename(self, request: Request) -> Response:
        """Call a conversation something else."""
        caller = self._served.caller(request)
        title = (await body_of(request, TitleIn)).title
        rename = partial(caller.desk.conversations.rename, owner=caller.name)
        await to_thread.run_sync(rename, request.path_params["id"], title)
        return Response(status_code=204)

    async def delete(self, request: Request) -> Response:
        """Delete a conversation for good."""
        caller = self._served.caller(request)
        delete = partial(caller.desk.conversations.delete, owner=caller.name)
        await to_thread.run_sync(delete, request.path_params["id"])
        return Response(status_code=204)

    async def ask(self, request: Request) -> Response:
        """Begin a turn; where its events can be read."""
        caller = self._served.caller(request)
        said = await body_of(request, AskedIn)
        query = await self._query(caller, said)
        self._doorman.count(caller)
        id_ = request.path_params["id"]
        await to_thread.run_sync(self._resumed, caller, id_)

        def told(cancel: Any, key: str = "") -> Named:
            one = self._resumed(caller, id_)
            one.request = key
            events = caller.desk.stream_turn(query, one, cancel=cancel)
            return (event_out(event, said.citations) for event in self._counted(caller, events))

        key = request.headers.get("idempotency-key", "")
        found: RunningTurn | FollowedTurn | int
        if key:
            turn = self._turns.prepare(caller.name, id_)
            kept, body = caller.desk.conversations, msgspec.json.encode(said)
            found = await answered_once(self._turns, kept, turn, key, body, told)
        else:
            found = self._turns.begin(caller.name, id_, told)
        turn_id = str(found) if isinstance(found, int) else found.id
        where = f"{root_of(request)}conversations/{id_}/turns/{turn_id}"
        return as_json(
            {"id": turn_id, "conversation": id_, "events": where},
            status=202,
            headers={"location": where},
        )

    async def gather_events(self, request: Request) -> Response:
        """What a gather tells as it goes on, or its report once it has ended."""
        caller = self._served.caller(request)
        turn = self._turns.find(caller.known_as, GATHERS, request.path_params["id"])
        return await self._events(turn, request)

    async def stop_gather(self, request: Request) -> Response:
        """Stop a gather; what was taken in so far stays."""
        caller = self._served.caller(request)
        self._turns.find(caller.known_as, GATHERS, request.path_params["id"]).cancel.set()
        return Response(status_code=204)

    async def turn(self, request: Request) -> Response:
        """A turn's events as they come, from after ``Last-Event-ID``; or all, once it has ended.

        A turn that was kept has a number, too: by it, its answer is read at any time.
        """
        caller = self._served.caller(request)
        number = _whole(request.path_params["turn"])
        if number is None:
            return await self._events(self._found(caller, request), request)
        kept = await to_thread.run_sync(self._resumed, caller, request.path_params["id"])
        if not 1 <= number <= len(kept.turns):
            raise HttpProblem(404, "there is no such turn", "see the conversation's own turns")
        reply = dict(kept.turns[number - 1].reply)
        if _wants(request, _EVENTS):
            return _streamed(_only((1, "answer", reply)))
        return as_json(reply)

    @staticmethod
    async def _events(turn: RunningTurn | FollowedTurn, request: Request) -> Response:
        if _wants(request, _EVENTS):
            seen = _whole(request.headers.get("last-event-id", ""))
            return _streamed(turn.after(seen or 0))
        return as_json(await answer_of(turn))

    async def cancel(self, request: Request) -> Response:
        """Stop a turn that is under way."""
        caller = self._served.caller(request)
        turn = self._found(caller, request)
        turn.cancel.set()
        return Response(status_code=204)

    async def document(self, request: Request) -> Response:
        """A document, and of it the span that is asked for."""
        caller = self._served.caller(request)
        id_ = request.path_params["id"]
        found = await to_thread.run_sync(caller.desk.document, id_)
        if found is None:
            raise HttpProblem(404, "there is no such document", "see /search for what there is")
        length = len(found.text)
        start = _number(request, "start", 0, length)
        end = _number(request, "end", length, length)
        if start > end:
            raise HttpProblem(422, "the span ends before it starts", "swap start and end")
        version = request.query_params.get("version", found.version)
        asked = hashlib.sha256(f"{found.version} {start} {end} {version}".encode())
        etag = f'"{asked.hexdigest()[:32]}"'  # what was asked may hold anything
        if (known := not_modified(request, etag)) is not None:
            return known
        return as_json(
            DocumentOut(
                found.id, found.title, found.language, found.version, found.text, start, end,
                found.text[start:end], version != found.version,
            ),
            headers={"etag": etag, "cache-control": "private, no-cache"},
        )  # fmt: skip

    async def _query(self, caller: HttpCaller, said: QuestionIn) -> Query:
        """A question as the desk takes it; sources that the caller does not know are refused."""
        if said.sources:
            await to_thread.run_sync(check_sources, caller.desk, said.sources)
        if said.image and not caller.desk.settings.gather.image_service:
            raise HttpProblem(422, "no service describes images here", "ask in words")
        return said.query(self._timeout)

    def _counted(self, caller: HttpCaller, events: Iterator[Event]) -> Iterator[Event]:
        """Events of an answer, which is counted when it ends."""
        for event in events:
            if isinstance(event, Finished):
                self._served.answered(caller, event.answer)
            yield event

    def _found(self, caller: HttpCaller, request: Request) -> RunningTurn | FollowedTurn:
        names = request.path_params
        return self._turns.find(caller.name, str(names["id"]), str(names["turn"]))

    @staticmethod
    def _resumed(caller: HttpCaller, id_: str) -> Conversation:
        """A conversation of the caller's."""
        if not _ID.fullmatch(id_):
            raise HttpProblem(404, "there is no such conversation", "POST /conversations first")
        return caller.desk.conversations.resume(id_, owner=caller.name)


def turn_out(conversation: Conversation, at: int) -> TurnOut:
    """A turn of a conversation as it goes out."""
    turn: Turn = conversation.turns[at]
    return TurnOut(
        str(at + 1), conversation.id, turn.question, turn.rewritten, turn.status, turn.at,
        dict(turn.reply),
    )  # fmt: skip


def _need_known(caller: HttpCaller) -> None:
    """Refuse a conversation that its owner could not find again, or that others could."""
    if not caller.is_known:
        raise HttpProblem(403, "nobody could tell whose conversation this is",
                          f"send a random secret of your own as {VISITOR_HEADER}, 22 to 128 "
                          "letters, figures, - and _")  # fmt: skip


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


async def _only(event: _Told) -> AsyncIterator[_Told]:
    yield event


def _numbered(events: Iterator[Event], citations: int | None) -> Iterator[_Told]:
    """Events of an answer with their numbers; what goes wrong is the last of them."""
    number = 0
    try:
        for number, event in enumerate(events, 1):
            yield (number, *event_out(event, citations))
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
