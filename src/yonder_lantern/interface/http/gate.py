"""The one way in: nothing is reached before it is known who calls.

What is not listed here needs a caller whom the doorman lets in, whichever route it is.
"""

from __future__ import annotations

import re

from starlette.datastructures import MutableHeaders
from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from .callers import CALLER, VISITOR_COOKIE, Doorman, own_path, root_of
from .page_files import sign_in_needed
from .problems import HttpProblem, of_problem

# What says nothing of a desk, or is let in by what the request itself holds: a link, a signature.
_OPEN = re.compile(r"/health|/box\.js|/sign-in/[^/]+|/webhooks/[^/]+")
_KEPT_DAYS = 90


class Gate:
    """Finds out who calls before anything else is done.

    Parameters
    ----------
    inner : ASGI application
    doorman : Doorman
    """

    def __init__(self, inner: ASGIApp, doorman: Doorman) -> None:
        self._inner = inner
        self._doorman = doorman

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on with its caller, or refuse it."""
        path = own_path(scope)
        if scope["type"] != "http" or _OPEN.fullmatch(path):
            await self._inner(scope, receive, send)
            return
        request = Request(scope, receive)
        try:
            caller = await self._doorman.caller(request)
            self._doorman.count_request(caller)
        except HttpProblem as error:
            reply = await of_problem(request, error)
            if path == "/" and error.status == 401 and "authorization" not in request.headers:
                reply = sign_in_needed()
            await reply(scope, receive, send)
            return
        scope[CALLER] = caller

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(raw=message.setdefault("headers", []))
                headers.append("set-cookie", _cookie(caller.new_secret, request))
            await send(message)

        await self._inner(scope, receive, sent if caller.new_secret else send)


def _cookie(secret: str, request: Request) -> str:
    """A visitor's secret, to be kept by the browser."""
    reply = Response()
    reply.set_cookie(
        VISITOR_COOKIE,
        secret,
        max_age=_KEPT_DAYS * 86400,
        path=root_of(request),
        httponly=True,
        samesite="lax",  # a link from elsewhere leads to the conversations they have
        secure=request.url.scheme == "https",
    )
    return reply.headers["set-cookie"]
