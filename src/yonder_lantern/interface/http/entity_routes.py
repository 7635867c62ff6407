"""What is said of which things: for the page's drawing, and for programs."""

from __future__ import annotations

from anyio import to_thread
from starlette.requests import Request
from starlette.responses import Response

from ...core.outgoing import EntitiesOut, EntityCardOut, EntityNameOut
from .served import Served, as_json

_MOST = 50  # names of a list
_LONGEST = 200  # characters that are searched for


class EntityRoutes:
    """The routes of entities.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served

    async def entities(self, request: Request) -> Response:
        """The things that most is said of; with ``search`` those whose names hold some words."""
        caller = self._served.caller(request)
        self._served.doorman.need(caller, "ask")
        words = request.query_params.get("search", "")[:_LONGEST]

        def listed() -> EntitiesOut:
            with caller.desk.knowledge() as known:
                found = known.entities(search=words)[:_MOST]
            return EntitiesOut([EntityNameOut(name, count) for name, count in found])

        return as_json(await to_thread.run_sync(listed, limiter=self._served.limiter))

    async def entity(self, request: Request) -> Response:
        """What is said of one."""
        caller = self._served.caller(request)
        self._served.doorman.need(caller, "ask")
        name = request.path_params["name"]
        card = await to_thread.run_sync(caller.desk.entity, name, limiter=self._served.limiter)
        return as_json(EntityCardOut.of(card))
