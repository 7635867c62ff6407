"""Messages from messengers and telephone systems, signed by a shared secret."""

from __future__ import annotations

import hashlib
import hmac
import logging
from functools import partial
from typing import Annotated, Any

import msgspec
from anyio import to_thread
from msgspec import Meta
from starlette.requests import Request
from starlette.responses import Response

from ...core import Finished, Query, YonderError
from ...core.outgoing import event_out
from ...platform.http import Client
from ...policy import is_signed, signed
from ...settings import WebhookSettings, revealed
from .answered_once import answered_once
from .bodies import LONGEST, bytes_of, decoded
from .callers import HttpCaller
from .problems import HttpProblem
from .running_turns import Named, RunningTurn, answer_of
from .served import Served, as_json
from .shared_turns import FollowedTurn

_LOG = logging.getLogger("yonder_lantern.http")
_MOST_BYTES = 64 * 1024


class WebhookIn(msgspec.Struct, frozen=True):
    """A message: its text, and whose it is; what else a messenger sends is not looked at."""

    text: Annotated[str, Meta(min_length=1, max_length=LONGEST)]
    sender: str


class CitedOut(msgspec.Struct, frozen=True):
    """What an answer rests on, short enough for a messenger."""

    number: int
    title: str
    location: str
    quote: str


class WebhookOut(msgspec.Struct, frozen=True):
    """The answer to a message."""

    text: str
    sender: str
    status: str
    citations: list[CitedOut]


class WebhookRoutes:
    """The routes of messengers.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served

    async def message(self, request: Request) -> Response:
        """Answer a message, in the reply or by a message back."""
        desk = self._served.doorman.desk
        name = request.path_params["name"]
        settings = desk.settings.serve.webhook.get(name)
        body = await bytes_of(request, _MOST_BYTES)
        secret = revealed(settings.secret) if settings else ""
        known = is_signed(secret or "none", request.headers, body)
        if settings is None or not secret or not known:  # one reply for all of them
            raise HttpProblem(
                401, "the message is not signed as it should be", "see docs/howto/serve.md"
            )
        said = decoded(body, WebhookIn)
        caller = HttpCaller(f"webhook {name}", desk.as_caller(settings.audience))
        caller.desk.asked_by = caller.name
        # A message is sent again until it is heard to be taken: one id is one turn.
        id_ = request.headers["webhook-id"]
        conversation = hmac.new(secret.encode(), said.sender.encode(), hashlib.sha256)
        turn = self._served.turns.prepare(caller.name, conversation.hexdigest()[:32])

        def told(cancel: Any, key: str) -> Named:
            last: dict[str, Any] = {}
            for event in self._answered(caller, said, turn.conversation, cancel, key):
                _, last = event
                yield event
            if settings.reply and "text" in last:
                self._send(settings, f"{name} {id_}", secret, _short(last, said.sender))

        kept = caller.desk.conversations
        found = await answered_once(self._served.turns, kept, turn, id_, body, told)
        if settings.reply:
            return Response(status_code=202)
        return as_json(_short(await self._last(found, caller, turn.conversation), said.sender))

    def _answered(
        self, caller: HttpCaller, said: WebhookIn, conversation: str, cancel: Any, key: str
    ) -> Named:
        """Answer a message in the sender's own conversation."""
        kept = caller.desk.conversations
        if kept.exists(conversation):
            one = kept.resume(conversation, owner=caller.name)
        else:
            one = kept.start(owner=caller.name)
            one.id = conversation
        one.request = key
        query = Query(said.text, timeout=caller.desk.settings.serve.timeout)
        for event in caller.desk.stream_turn(query, one, cancel=cancel):
            if isinstance(event, Finished):
                self._served.answered(caller, event.answer)
            yield event_out(event)

    @staticmethod
    async def _last(
        found: RunningTurn | FollowedTurn | int, caller: HttpCaller, conversation: str
    ) -> dict[str, Any]:
        """The answer of a turn, once it is there."""
        if isinstance(found, int):
            resume = partial(caller.desk.conversations.resume, owner=caller.name)
            one = await to_thread.run_sync(resume, conversation)
            return dict(one.turns[found - 1].reply)
        return await answer_of(found)

    @staticmethod
    def _send(settings: WebhookSettings, message: str, secret: str, answer: WebhookOut) -> None:
        """Send an answer to the address that the settings name."""
        body = msgspec.json.encode(answer)
        id_ = hashlib.sha256(message.encode()).hexdigest()[:24]
        headers = {"content-type": "application/json", **signed(secret, id_, body)}
        host = settings.reply.partition("://")[2].partition("/")[0]
        try:
            with Client(private_hosts=(host, host.partition(":")[0]), timeout=30.0) as client:
                client.post(settings.reply, content=body, headers=headers)
        except YonderError as error:
            _LOG.warning("an answer could not be sent: %s", error)


def _short(answer: dict[str, Any], sender: str) -> WebhookOut:
    """An answer, as an event or a kept turn has it, short enough for a messenger."""
    cited = [
        CitedOut(one["number"], one["title"], one["location"]["shown"],
                 " ".join(one["quote"].split())[:300])
        for one in answer.get("citations", ())
    ]  # fmt: skip
    return WebhookOut(answer["text"], sender, answer["status"], cited)
