"""Signing in by a link, signing out, and what the caller may do."""

from __future__ import annotations

import shutil

import msgspec
from anyio import to_thread
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response

from ...platform.services import SPEECH_PROGRAM
from ...policy import RIGHTS, SESSION_HOURS
from .beside_routes import SPEECH
from .callers import COOKIE, SET_UP, root_of
from .page_files import sign_in_form
from .problems import HttpProblem
from .served import Served, as_json


class CallerOut(msgspec.Struct, frozen=True):
    """Who the server takes the caller for, and what they may do."""

    name: str
    audience: list[str] | None
    rights: list[str]
    signed_in: bool
    offers: list[str]


class AccessRoutes:
    """The routes of signing in.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served

    async def caller(self, request: Request) -> Response:
        """Who is calling."""
        caller = self._served.caller(request)
        labels = caller.desk.caller.labels
        rights = [right for right in (*RIGHTS, SET_UP) if right in caller.rights]
        offers = ["images"] if caller.desk.settings.gather.image_service else []
        speaks = SPEECH in caller.desk.settings.service or shutil.which(SPEECH_PROGRAM)
        offers += ["speech"] if speaks else []
        audience = None if labels is None else sorted(labels)
        return as_json(CallerOut(caller.known_as, audience, rights, caller.signed_in, offers))

    async def sign_in_form(self, request: Request) -> Response:
        """Who a link is for, with a button that uses it up."""
        sign_ins = self._served.doorman.sign_ins
        link = await to_thread.run_sync(sign_ins.link, request.path_params["code"])
        if link is None:
            raise _used_up()
        return sign_in_form(link.name)

    async def sign_in(self, request: Request) -> Response:
        """Use a link up: the session is a cookie, and the page opens."""
        code = request.path_params["code"]
        secret = await to_thread.run_sync(self._served.doorman.sign_ins.redeem, code)
        if secret is None:
            raise _used_up()
        reply = RedirectResponse(root_of(request), status_code=303)
        reply.set_cookie(
            COOKIE,
            secret,
            max_age=int(SESSION_HOURS * 3600),
            path=root_of(request),
            httponly=True,
            # The link may come from a mail; what a foreign page sends is refused by its Origin.
            samesite="lax",
            secure=request.url.scheme == "https",
        )
        reply.headers["cache-control"] = "no-store"
        return reply

    async def sign_out(self, request: Request) -> Response:
        """End the session."""
        secret = request.cookies.get(COOKIE, "")
        if secret:
            await to_thread.run_sync(self._served.doorman.sign_ins.end, secret)
        reply = Response(status_code=204)
        reply.delete_cookie(COOKIE, path=root_of(request))
        return reply


def _used_up() -> HttpProblem:
    return HttpProblem(
        401, "this link is used up, or has expired", "ask the desk's owner for another"
    )
