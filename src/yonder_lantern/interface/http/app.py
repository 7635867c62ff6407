"""The application: routes, who may call them, and what goes wrong."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.middleware import Middleware
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Mount, Route

from ...core import CallError, YonderError
from ...desk import Desk
from ...version import __version__
from .access_routes import AccessRoutes
from .beside_routes import BesideRoutes
from .callers import Doorman
from .connection_limits import AtMost
from .entity_routes import EntityRoutes
from .gate import Gate
from .measuring_requests import Counts, Measured
from .openapi import description
from .origins import KnownHost, KnownOrigin
from .page_files import box_file, docs_page, list_of_desks, page, page_file
from .problems import HttpProblem, of_http_status, of_problem, of_surprise, of_yonder_error
from .request_ids import RequestIds
from .routes import Routes
from .running_turns import RunningTurns
from .served import Served
from .source_routes import SourceRoutes
from .tool_routes import TOOLS_PATH, ToolRoute, tools_are_installed
from .watch_routes import WatchRoutes
from .webhook_routes import WebhookRoutes

_OF_THE_TOP = ("page", "health")  # routes beside the desks
LOOPBACK = ("127.0.0.1", "localhost", "[::1]")


def app(
    desk: Desk | str | Path,
    *,
    hosts: Sequence[str] = LOOPBACK,
    allow_visitors: bool | None = None,
    share_turns: bool = False,
) -> Starlette:
    """A desk as an ASGI application, to be served or mounted in another.

    Parameters
    ----------
    desk : Desk, str or Path
        Opened, or its folder.
    hosts : sequence of str
        The names it is called by; requests to any other are refused, so that no page from
        elsewhere reaches a desk on loopback by a name of its own.
    allow_visitors : bool, optional
        Whether callers without a token come in, as the audience ``public``; by default as
        ``serve.allow_visitors`` says.
    share_turns : bool, default False
        Whether several processes serve this desk: a turn begun in one is then read in any.

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
    return _app(opened, "/", hosts, allow_visitors, share_turns=share_turns)


def _app(
    opened: Desk,
    path: str,
    hosts: Sequence[str],
    allow_visitors: bool | None,
    *,
    share_turns: bool,
) -> Starlette:
    """A desk as an application, counted under the path that it is reached at."""
    allowed = opened.settings.serve.allow_visitors if allow_visitors is None else allow_visitors
    doorman = Doorman(opened, allow_visitors=allowed)
    at_once = opened.settings.serve.max_questions
    turns = RunningTurns(at_once, opened.state / "served" if share_turns else None)
    served = Served(doorman, turns, Counts(path))
    routes, sources = Routes(served), SourceRoutes(served)
    access, watch, beside = AccessRoutes(served), WatchRoutes(served), BesideRoutes(served)
    webhook, entities = WebhookRoutes(served), EntityRoutes(served)
    return Starlette(
        routes=[
            Route("/", page),
            Route("/page/{name}", page_file),
            Route("/box.js", box_file),
            Route("/health", routes.health),
            Route("/ready", routes.ready),
            Route("/metrics", watch.metrics),
            Route("/openapi.json", description),
            Route("/docs", docs_page),
            Route("/caller", access.caller),
            Route("/sign-in/{code}", access.sign_in_form, methods=["GET"]),
            Route("/sign-in/{code}", access.sign_in, methods=["POST"]),
            Route("/sign-out", access.sign_out, methods=["POST"]),
            Route("/search", routes.search, methods=["POST"]),
            Route("/questions", routes.question, methods=["POST"]),
            Route("/articles", routes.article, methods=["POST"]),
            Route("/conversations", routes.conversations, methods=["GET"]),
            Route("/conversations", routes.start, methods=["POST"]),
            Route("/conversations/{id}", routes.conversation, methods=["GET"]),
            Route("/conversations/{id}", routes.rename, methods=["PATCH"]),
            Route("/conversations/{id}", routes.delete, methods=["DELETE"]),
            Route("/conversations/{id}/recap", routes.recap, methods=["GET"]),
            Route("/conversations/{id}/preferences", routes.forget, methods=["DELETE"]),
            Route("/conversations/{id}/turns", routes.ask, methods=["POST"]),
            Route("/conversations/{id}/turns/last", routes.undo, methods=["DELETE"]),
            Route("/conversations/{id}/turns/{turn}", routes.turn, methods=["GET"]),
            Route("/conversations/{id}/turns/{turn}", routes.cancel, methods=["DELETE"]),
            Route("/documents/{id:path}", routes.document, methods=["GET"]),
            Route("/entities", entities.entities, methods=["GET"]),
            Route("/entities/{name:path}", entities.entity, methods=["GET"]),
            Route("/sources", sources.sources, methods=["GET"]),
            Route("/sources", sources.add, methods=["POST"]),
            Route("/gathers", sources.gather, methods=["POST"]),
            Route("/gathers/{id}", routes.gather_events, methods=["GET"]),
            Route("/gathers/{id}", routes.stop_gather, methods=["DELETE"]),
            Route("/page-pictures/{page:int}/{id:path}", beside.page_picture),
            Route("/speech", beside.speech, methods=["POST"]),
            Route("/set-up/model", beside.set_model, methods=["PUT"]),
            Route("/webhooks/{name}", webhook.message, methods=["POST"]),
            Route("/feedback", watch.feedback, methods=["POST"]),
            Route("/traces/{id}", watch.trace, methods=["GET"]),
            *([Route(TOOLS_PATH, ToolRoute(served))] if tools_are_installed() else ()),
        ],
        middleware=[
            Middleware(RequestIds),
            Middleware(Measured, counts=served.counts),
            Middleware(KnownHost, hosts=hosts),
            Middleware(AtMost, most=opened.settings.serve.max_streams),
            Middleware(KnownOrigin, may_call=doorman.may_call),
            Middleware(Gate, doorman=doorman),
        ],
        exception_handlers={
            HttpProblem: of_problem,
            YonderError: of_yonder_error,
            HTTPException: of_http_status,
            Exception: of_surprise,
        },
    )


def app_of_desks(
    desks: Mapping[str, Desk],
    *,
    hosts: Sequence[str] = LOOPBACK,
    allow_visitors: bool | None = None,
    share_turns: bool = False,
) -> Starlette:
    """Several desks as one application: each below its name, and a list of them at the top.

    Parameters
    ----------
    desks : mapping of str to Desk
        By the names that their addresses begin with.
    hosts, allow_visitors, share_turns
        As for `app`.

    Raises
    ------
    CallError
        A name is one that the top has for itself.
    """
    for name, desk in desks.items():
        if name in _OF_THE_TOP:
            raise CallError(f"a desk beside others cannot be called {name!r}", str(desk.folder),
                            "rename its folder")  # fmt: skip
    mounted = [
        Mount(
            f"/{name}",
            _app(desk, f"/{name}/", hosts, allow_visitors, share_turns=share_turns),
        )
        for name, desk in desks.items()
    ]
    named = [(name, desk.settings.desk.name) for name, desk in desks.items()]

    async def listed(request: Request) -> Response:  # noqa: ARG001
        return list_of_desks(named)

    async def health(request: Request) -> Response:  # noqa: ARG001
        return JSONResponse({"status": "ok", "version": __version__})

    return Starlette(
        routes=[
            Route("/", listed),
            Route("/health", health),
            Route("/page/{name}", page_file),
            *mounted,
        ],
        middleware=[Middleware(RequestIds), Middleware(KnownHost, hosts=hosts)],
        exception_handlers={HttpProblem: of_problem, HTTPException: of_http_status},
    )
