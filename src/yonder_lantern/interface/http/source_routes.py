"""Sources over HTTP: what there is, one more, and gathering them while everything runs."""

from __future__ import annotations

from queue import Queue
from threading import Thread
from typing import Any

import msgspec
from anyio import to_thread
from starlette.requests import Request
from starlette.responses import Response

from ...core import Cancel, GatherReport, NothingGatheredError
from ...core.outgoing import GatherOut, as_plain
from ...desk import SourceView, look_at_sources
from .bodies import body_of
from .callers import HttpCaller, root_of
from .problems import HttpProblem
from .running_turns import GATHERS, Named
from .served import Served, as_json
from .source_addresses import checked_address

_RIGHT = "add sources"


class SourceIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A source to be added: a folder of this machine, a repository, a feed, a page."""

    address: str
    name: str = ""
    audience: list[str] = msgspec.field(default_factory=lambda: ["public"])


class GatherIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Which sources to gather; all without."""

    sources: list[str] = []


class SourceOut(msgspec.Struct, frozen=True):
    """A source, as far as the caller may see it."""

    name: str
    kind: str
    documents: int
    passages: int
    checked: str
    problem: str


class SourcesOut(msgspec.Struct, frozen=True):
    """The sources, by name."""

    sources: list[SourceOut]


class SourceRoutes:
    """The routes of sources and gathers.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served

    async def sources(self, request: Request) -> Response:
        """The sources that the caller sees something of."""
        caller = self._served.caller(request)

        def listed() -> list[SourceOut]:
            try:
                views = look_at_sources(caller.desk)
            except NothingGatheredError:
                return []
            return [_source_out(one, caller) for one in views]

        return as_json(SourcesOut(await to_thread.run_sync(listed)))

    async def add(self, request: Request) -> Response:
        """Add a source and gather it; where its progress can be followed."""
        caller = self._served.caller(request)
        self._served.doorman.need(caller, _RIGHT)
        wanted = await body_of(request, SourceIn)
        address = await to_thread.run_sync(self._checked, wanted, caller)
        desk = self._served.doorman.desk

        def work(progress: Any, cancel: Cancel) -> GatherReport:
            return desk.add_source(
                address,
                name=wanted.name,
                audience=wanted.audience,
                progress=progress,
                cancel=cancel,
            )

        return self._begin(request, work)

    async def gather(self, request: Request) -> Response:
        """Gather all sources, or some."""
        caller = self._served.caller(request)
        self._served.doorman.need(caller, _RIGHT)
        wanted = await body_of(request, GatherIn)
        desk = self._served.doorman.desk

        def work(progress: Any, cancel: Cancel) -> GatherReport:
            return desk.gather(sources=wanted.sources, progress=progress, cancel=cancel)

        return self._begin(request, work)

    def _begin(self, request: Request, work: Any) -> Response:
        caller = self._served.caller(request)

        def told(cancel: Cancel) -> Named:
            return _in_steps(work, cancel)

        begun = self._served.turns.begin(caller.known_as, GATHERS, told)
        where = f"{root_of(request)}gathers/{begun.id}"
        return as_json({"id": begun.id, "events": where}, status=202, headers={"location": where})

    def _checked(self, wanted: SourceIn, caller: HttpCaller) -> str:
        """The address to add; an audience that is not the caller's own is refused."""
        desk = self._served.doorman.desk
        labels = caller.desk.caller.labels
        if not wanted.audience or (labels is not None and not labels >= set(wanted.audience)):
            raise HttpProblem(403, "the audience is not one of yours", "name one that you are in")
        desk.check_audience(wanted.audience)
        return checked_address(desk, wanted.address, wanted.audience)


def _in_steps(work: Any, cancel: Cancel) -> Named:
    """What a gather tells as it goes on, and its report."""
    queue: Queue[Any] = Queue()

    def progress(step: str, done: int, total: int | None, item: str = "") -> None:
        told = {"step": step, "done": done, "total": total, "item": item}
        queue.put(("progress", told))

    def run() -> None:
        try:
            queue.put(("gathered", as_plain(GatherOut.of(work(progress, cancel)))))
        except Exception as error:
            queue.put(error)

    thread = Thread(target=run, name="gather", daemon=True)
    thread.start()
    while True:
        told = queue.get()
        if isinstance(told, Exception):
            raise told
        yield told
        if told[0] == "gathered":
            thread.join()
            return


def _source_out(one: SourceView, caller: HttpCaller) -> SourceOut:
    """A source as it goes out; what went wrong is for the owner."""
    problem = one.problem if caller.desk.caller.is_owner else ""
    return SourceOut(one.name, one.kind, one.documents, one.passages, one.checked, problem)
