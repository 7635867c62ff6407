"""Which names this is called by, and which sites' pages may call it.

References
----------
Fetch Standard, CORS protocol; RFC 6454, The Web Origin Concept.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from .callers import own_origin
from .problems import problem

_ALLOWED = "authorization, content-type, last-event-id, idempotency-key, accept, yonder-visitor"
_HOST = re.compile(r"(\[[0-9A-Fa-f:.]+\]|[^\[\]:@/?#]*)(?::\d{1,5})?")
_BEHIND_PROXY = "if it is the desk's own page behind a proxy, name the proxy: serve.proxies"
_METHODS = "GET, POST, PUT, PATCH, DELETE"
_SHOWN = "location, retry-after, etag"


class KnownHost:
    """Refuses requests for another name: no page reaches a desk on loopback by a name of its own.

    Parameters
    ----------
    inner : ASGI application
    hosts : sequence of str
    """

    def __init__(self, inner: ASGIApp, hosts: Sequence[str]) -> None:
        self._inner = inner
        self._hosts = frozenset(hosts)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on if its host is known."""
        if scope["type"] == "http" and "*" not in self._hosts:
            host = Headers(scope=scope).get("host", "")
            named = _HOST.fullmatch(host)
            if named is None or named[1].lower() not in self._hosts:
                told = problem(
                    400, "this desk is not called by that name", "see yonder serve --name"
                )
                await told(scope, receive, send)
                return
        await self._inner(scope, receive, send)


class KnownOrigin:
    """Lets pages of known sites call, and only them; our own pages and programs always.

    Parameters
    ----------
    inner : ASGI application
    may_call : callable
        Whether pages of an origin may.
    """

    def __init__(self, inner: ASGIApp, may_call: Callable[[str], bool]) -> None:
        self._inner = inner
        self._may_call = may_call

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, with headers that keep its reply from being misread."""
        if scope["type"] != "http":
            await self._inner(scope, receive, send)
            return
        headers = Headers(scope=scope)
        origin = headers.get("origin", "")
        ours = not origin or origin == own_origin(Request(scope))
        if not ours and not self._may_call(origin):
            told = problem(403, "another site may not call this desk", _BEHIND_PROXY)
            await told(scope, receive, send)
            return
        shared = {} if ours else {"access-control-allow-origin": origin, "vary": "origin"}
        if not ours and scope["method"] == "OPTIONS":
            allowed = {
                **shared,
                "access-control-allow-methods": _METHODS,
                "access-control-allow-headers": _ALLOWED,
                "access-control-max-age": "600",
            }
            await Response(status_code=204, headers=allowed)(scope, receive, send)
            return

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                own = MutableHeaders(raw=message.setdefault("headers", []))
                own["x-content-type-options"] = "nosniff"
                own["referrer-policy"] = "same-origin"
                if shared:
                    own.update({**shared, "access-control-expose-headers": _SHOWN})
            await send(message)

        await self._inner(scope, receive, sent)
