"""The application: routes, who may call them, and what goes wrong."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.middleware import Middleware
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Mount, Route

from ...core import YonderError
from ...desk import Desk
from .access_routes import AccessRoutes
from .beside_routes import BesideRoutes
from .entity_routes import EntityRoutes
from .measuring_requests import Measured
from .openapi import description
from .origins import KnownHost, KnownOrigin
from .page_files import box_file, docs_page, list_of_desks, page, page_file
from .problems import HttpProblem, of_http_status, of_problem, of_surprise, of_yonder_error
from .routes import Routes
from .running_turns import RunningTurns
from .served import Served
from .source_routes import SourceRoutes
from .tool_routes import TOOLS_PATH, ToolRoute, tools_are_installed
from .visitors import Doorman
from .watch_routes import WatchRoutes
from .webhook_routes import WebhookRoutes

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")


def app(
    desk: Desk | str | Path,
    *,
    hosts: Sequence[str] = LOOPBACK,
    open_to_public: bool = True,
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
    open_to_public : bool, default True
        Whether callers without a token come in, as the audience ``public``.
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
    doorman = Doorman(opened, open_to_public=open_to_public)
    at_once = opened.settings.serve.max_questions
    turns = RunningTurns(at_once, opened.state / "served" if share_turns else None)
    served = Served(doorman, turns)
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
            Route("/sign-in/{code}", access.sign_in),
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
            Middleware(Measured, counts=served.counts),
            Middleware(KnownHost, hosts=hosts),
            Middleware(KnownOrigin, may_call=doorman.may_call),
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
    open_to_public: bool = True,
    share_turns: bool = False,
) -> Starlette:
    """Several desks as one application: each below its name, and a list of them at the top.

    Parameters
    ----------
    desks : mapping of str to Desk
        By the names that their addresses begin with.
    hosts, open_to_public, share_turns
        As for `app`.
    """
    mounted = [
        Mount(
            f"/{name}",
            app(desk, hosts=hosts, open_to_public=open_to_public, share_turns=share_turns),
        )
        for name, desk in desks.items()
    ]
    named = [(name, desk.settings.desk.name) for name, desk in desks.items()]

    async def listed(request: Request) -> Response:  # noqa: ARG001
        return list_of_desks(named)

    return Starlette(
        routes=[Route("/", listed), Route("/page/{name}", page_file), *mounted],
        middleware=[Middleware(KnownHost, hosts=hosts)],
        exception_handlers={HttpProblem: of_problem, HTTPException: of_http_status},
    )
