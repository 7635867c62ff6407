"""An id for each request: in its reply, and in every line of the log that is written for it."""

from __future__ import annotations

import contextvars
import logging
import re
import secrets

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_HEADER = "x-request-id"
_GIVEN = re.compile(r"[\w.-]{8,64}", re.ASCII)
_CURRENT: contextvars.ContextVar[str] = contextvars.ContextVar("request", default="")


def add_request_id(record: logging.LogRecord) -> bool:
    """As a filter of a log's handler: say which request a message belongs to."""
    record.request = _CURRENT.get() or "-"
    return True


class RequestIds:
    """Gives each request an id, or keeps the one that a proxy gave it.

    Parameters
    ----------
    inner : ASGI application
    """

    def __init__(self, inner: ASGIApp) -> None:
        self._inner = inner

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on under its id."""
        if scope["type"] != "http" or _CURRENT.get():  # it has one, from a mount above
            await self._inner(scope, receive, send)
            return
        given = Headers(scope=scope).get(_HEADER, "")
        id_ = given if _GIVEN.fullmatch(given) else secrets.token_hex(8)
        token = _CURRENT.set(id_)

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(raw=message.setdefault("headers", []))[_HEADER] = id_
            await send(message)

        try:
            await self._inner(scope, receive, sent)
        finally:
            _CURRENT.reset(token)
