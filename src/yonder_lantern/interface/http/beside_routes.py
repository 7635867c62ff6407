"""What goes beside answers: a page's picture, speech, and setting a desk up."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Annotated

import msgspec
from anyio import to_thread
from msgspec import Meta
from starlette.requests import Request
from starlette.responses import Response

from ...platform.services import speak, speak_by_service
from .bodies import body_of
from .callers import SET_UP
from .problems import HttpProblem
from .served import Served, as_json

_MOST_PAGES = 100_000
_LONGEST = 4000  # characters that are spoken
SPEECH = "speech"  # the service that speaks, where the settings name one
_KEY = "YONDER_MODEL_KEY"


class SpeechIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A text to be spoken."""

    text: Annotated[str, Meta(min_length=1, max_length=_LONGEST)]
    language: Annotated[str, Meta(pattern="^[a-z]{2,3}$")] = "en"


class ModelIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A model server to answer with until the server ends; its key is kept in memory only."""

    address: str
    name: str = ""
    key: str = ""


class SetUpOut(msgspec.Struct, frozen=True):
    """What became of a setting."""

    detail: str


class BesideRoutes:
    """The routes beside answers.

    Parameters
    ----------
    served : Served
    """

    def __init__(self, served: Served) -> None:
        self._served = served

    async def page_picture(self, request: Request) -> Response:
        """A page of a PDF document with a span marked."""
        caller = self._served.caller(request)
        given = {name: request.query_params.get(name, "0") for name in ("start", "end")}
        names = request.path_params
        if not all(one.isascii() and one.isdecimal() and len(one) < 16 for one in given.values()):
            raise HttpProblem(422, "start and end are offsets", "see the citation")
        if int(names["page"]) > _MOST_PAGES:
            raise HttpProblem(404, "there is no such page", "see the citation")
        picture = await to_thread.run_sync(
            caller.desk.page_picture, names["id"], int(names["page"]),
            int(given["start"]), int(given["end"]), limiter=self._served.limiter,
        )  # fmt: skip
        headers = {"cache-control": "private, max-age=300"}
        return Response(picture, media_type="image/png", headers=headers)

    async def speech(self, request: Request) -> Response:
        """A text as speech."""
        caller = self._served.caller(request)
        said = await body_of(request, SpeechIn)
        self._served.doorman.count(caller)

        service = self._served.doorman.desk.settings.service.get(SPEECH)

        def spoken() -> tuple[bytes, str]:
            if service is not None:
                return speak_by_service(service, said.text, said.language)
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "speech.wav"
                speak(said.text, path, said.language)
                return path.read_bytes(), "audio/wav"

        sound, kind = await to_thread.run_sync(spoken, limiter=self._served.limiter)
        return Response(sound, media_type=kind, headers={"cache-control": "no-store"})

    async def set_model(self, request: Request) -> Response:
        """Answer with a model from now on, until the server ends."""
        caller = self._served.caller(request)
        self._served.doorman.need(caller, SET_UP)
        wanted = await body_of(request, ModelIn)
        if "${" in f"{wanted.address}{wanted.name}":
            raise HttpProblem(422, "nothing in an address is filled in", "leave out ${…}")
        if wanted.key:
            os.environ[_KEY] = wanted.key  # settings only ever name it
        desk = self._served.doorman.desk
        headers = {"Authorization": f"Bearer ${{{_KEY}}}"} if wanted.key else {}
        told = await to_thread.run_sync(desk.use_model, wanted.address, wanted.name, headers)
        return as_json(SetUpOut(told))
