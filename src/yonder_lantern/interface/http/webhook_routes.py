"""Messages from messengers and telephone systems, signed by a shared secret."""

from __future__ import annotations

import hashlib
import hmac
import logging
import threading
from collections import OrderedDict
from typing import Annotated

import msgspec
from anyio import to_thread
from msgspec import Meta
from starlette.requests import Request
from starlette.responses import Response

from ...core import Answer, YonderError
from ...desk import Desk
from ...platform.http import Client
from ...policy import is_signed, signed
from ...settings import WebhookSettings, revealed
from .bodies import LONGEST, bytes_of, decoded
from .problems import HttpProblem
from .served import Served, as_json
from .visitors import Visitor

_LOG = logging.getLogger("yonder_lantern.http")
_MOST_BYTES = 64 * 1024
_KNOWN = 10_000  # messages that are remembered, so that one sent twice is answered once


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
        self._answers: OrderedDict[str, WebhookOut] = OrderedDict()
        self._guard = threading.Lock()

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
        id_ = f"{name} {request.headers['webhook-id']}"
        answered = self._known(id_)
        if answered is None:
            visitor = Visitor(f"webhook {name}", desk.as_caller(settings.audience))
            work = (desk, visitor, said, secret)
            if settings.reply:
                self._keep(id_, WebhookOut("", said.sender, "", []))
                threading.Thread(
                    target=self._answer_later, args=(settings, id_, *work), daemon=True
                ).start()
                return Response(status_code=202)
            answered = await to_thread.run_sync(self._answer, *work, limiter=self._served.limiter)
            self._keep(id_, answered)
        return as_json(answered)

    def _answer(self, desk: Desk, visitor: Visitor, said: WebhookIn, secret: str) -> WebhookOut:
        """Answer a message in the sender's own conversation."""
        told = hmac.new(secret.encode(), said.sender.encode(), hashlib.sha256).hexdigest()[:32]
        kept = visitor.desk.conversations
        if kept.exists(told):
            one = kept.resume(told, owner=visitor.name)
        else:
            one = kept.start(owner=visitor.name)
            one.id = told
        timeout = desk.settings.serve.timeout
        answer, _ = visitor.desk.talk(said.text, one, timeout=timeout)
        self._served.answered(visitor, answer)
        return _short(answer, said.sender)

    def _answer_later(
        self,
        settings: WebhookSettings,
        message: str,
        desk: Desk,
        visitor: Visitor,
        said: WebhookIn,
        secret: str,
    ) -> None:
        """Answer a message by one to the address that the settings name."""
        try:
            answer = self._answer(desk, visitor, said, secret)
            body = msgspec.json.encode(answer)
            id_ = hashlib.sha256(message.encode()).hexdigest()[:24]
            headers = {"content-type": "application/json", **signed(secret, id_, body)}
            host = settings.reply.partition("://")[2].partition("/")[0]
            with Client(private_hosts=(host, host.partition(":")[0]), timeout=30.0) as client:
                client.post(settings.reply, content=body, headers=headers)
        except YonderError as error:
            _LOG.warning("a message could not be answered: %s", error)

    def _known(self, id_: str) -> WebhookOut | None:
        with self._guard:
            return self._answers.get(id_)

    def _keep(self, id_: str, answer: WebhookOut) -> None:
        with self._guard:
            self._answers[id_] = answer
            while len(self._answers) > _KNOWN:
                self._answers.popitem(last=False)


def _short(answer: Answer, sender: str) -> WebhookOut:
    cited = [
        CitedOut(one.number, one.title, str(one.location), " ".join(one.quote.split())[:300])
        for one in answer.citations
    ]
    return WebhookOut(answer.text, sender, answer.status.value, cited)
