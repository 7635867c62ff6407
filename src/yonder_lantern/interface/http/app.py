"""The application: routes, who may call them, and what goes wrong."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from starlette.applications import Starlette
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.middleware import Middleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.routing import Route
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ...core import YonderError
from ...desk import Desk
from .openapi import description
from .page_files import page, page_file
from .problems import (
    HttpProblem,
    of_http_status,
    of_problem,
    of_surprise,
    of_yonder_error,
    problem,
)
from .routes import Routes
from .running_turns import RunningTurns
from .visitors import Doorman

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")


def app(
    desk: Desk | str | Path, *, hosts: Sequence[str] = LOOPBACK, open_to_public: bool = True
) -> Starlette:
    """A desk as an ASGI application, to be served or mounted in another.

    Parameters
    ----------
    desk : Desk, str or Path
        Opened, or its folder.
    hosts : sequence of str
        The names it is called by; requests to any other are refused, so that no page from
        elsewhere reaches a desk on loopback by a name of its own.
    open_to_public : bool, default True
        Whether callers without a token come in, as the audience ``public``.

    Returns
    -------
    Starlette

    Examples
    --------
    >>> app("no/such/desk")  # doctest: +ELLIPSIS
    Traceback (most recent call last):
    yonder_lantern.core.errors.SettingsError: there is no yonder.toml in no/such/desk
    ...
    """
    opened = desk if isinstance(desk, Desk) else Desk.open(desk)
    routes = Routes(Doorman(opened, open_to_public=open_to_public), RunningTurns())
    return Starlette(
        routes=[
            Route("/", page),
            Route("/page/{name}", page_file),
            Route("/health", routes.health),
            Route("/ready", routes.ready),
            Route("/openapi.json", description),
            Route("/search", routes.search, methods=["POST"]),
            Route("/questions", routes.question, methods=["POST"]),
            Route("/conversations", routes.conversations, methods=["GET"]),
            Route("/conversations", routes.start, methods=["POST"]),
            Route("/conversations/{id}", routes.conversation, methods=["GET"]),
            Route("/conversations/{id}", routes.rename, methods=["PATCH"]),
            Route("/conversations/{id}", routes.delete, methods=["DELETE"]),
            Route("/conversations/{id}/turns", routes.ask, methods=["POST"]),
            Route("/conversations/{id}/turns/{turn}", routes.turn, methods=["GET"]),
            Route("/conversations/{id}/turns/{turn}", routes.cancel, methods=["DELETE"]),
            Route("/documents/{id:path}", routes.document, methods=["GET"]),
        ],
        middleware=[
            Middleware(TrustedHostMiddleware, allowed_hosts=list(hosts), www_redirect=False),
            Middleware(SameOrigin),
        ],
        exception_handlers={
            HttpProblem: of_problem,
            YonderError: of_yonder_error,
            HTTPException: of_http_status,
            Exception: of_surprise,
        },
    )


class SameOrigin:
    """Refuses what a page from another site sends: only programs and our own pages call."""

    def __init__(self, inner: ASGIApp) -> None:
        self._inner = inner

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, with headers that keep its reply from being misread."""
        if scope["type"] != "http":
            await self._inner(scope, receive, send)
            return
        headers = Headers(scope=scope)
        origin = headers.get("origin", "")
        if origin and origin.partition("://")[2] != headers.get("host", ""):
            await problem(403, "another site may not call this desk")(scope, receive, send)
            return

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                own = MutableHeaders(raw=message.setdefault("headers", []))
                own["x-content-type-options"] = "nosniff"
                own["referrer-policy"] = "no-referrer"
            await send(message)

        await self._inner(scope, receive, sent)
