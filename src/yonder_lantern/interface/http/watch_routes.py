"""What was asked and what people thought of it: traces, feedback, counts."""

from __future__ import annotations

from typing import Literal

import msgspec
from anyio import to_thread
from starlette.requests import Request
from starlette.responses import Response

from ...observe import FeedbackBook
from .bodies import body_of
from .served import Served, as_json

_RIGHT = "see traces"


class FeedbackIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A judgement of an answer, by the trace of the answer."""

    trace: str
    rating: Literal["good", "bad", ""]
    remark: str = ""


class WatchRoutes:
    """The routes of those who watch a desk.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served

    async def feedback(self, request: Request) -> Response:
        """Keep a judgement."""
        caller = self._served.caller(request)
        said = await body_of(request, FeedbackIn)
        book = FeedbackBook(caller.desk.state, caller.desk.traces)

        def keep() -> None:
            book.add(said.trace, said.rating, said.remark, by=caller.known_as)

        await to_thread.run_sync(keep)
        self._served.counts.judged(said.rating)
        return Response(status_code=204)

    async def trace(self, request: Request) -> Response:
        """The record of a question."""
        caller = self._served.caller(request)
        self._served.doorman.need(caller, _RIGHT)
        found = await to_thread.run_sync(caller.desk.traces.get, request.path_params["id"])
        return as_json(found)

    async def metrics(self, request: Request) -> Response:
        """What was counted, as text."""
        caller = self._served.caller(request)
        self._served.doorman.need(caller, _RIGHT)
        text, kind = self._served.counts.text()
        return Response(text, media_type=kind)
