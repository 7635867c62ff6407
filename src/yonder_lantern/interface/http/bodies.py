"""What requests hold, read into typed values."""

from __future__ import annotations

import base64
from typing import Annotated, Literal, TypeVar

import msgspec
from anyio import move_on_after
from msgspec import Meta
from starlette.requests import Request

from ...core import MOST_SECTIONS, Query
from .problems import HttpProblem

_MOST_BYTES = 64 * 1024
_MOST_BYTES_WITH_IMAGE = 8 * 1024 * 1024
_SLOWEST = 20.0  # seconds that a body may take
LONGEST = 4000  # characters of a question
_MOST_EARLIER = 20
_MOST_VOICES = 8
_MOMENT = r"^(\d{4}-[01]\d-[0-3]\d(T[0-2]\d:[0-5]\d.*)?)?$"
Body = TypeVar("Body", bound=msgspec.Struct)


class QuestionIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A question; see `Query` for its parts."""

    text: Annotated[str, Meta(min_length=1, max_length=LONGEST)]
    limit: Annotated[int, Meta(ge=1, le=1000)] | None = None
    where: str = ""
    as_of: Annotated[str, Meta(pattern=_MOMENT)] = ""
    earlier: Annotated[list[str], Meta(max_length=_MOST_EARLIER)] = []
    sources: list[str] = []
    standalone: bool = False
    way: Literal["any", "replies", "documents"] = "any"
    image: str = ""

    def query(self, timeout: float | None = None) -> Query:
        """The same as the desk takes it, to be answered within some seconds."""
        return Query(
            self.text,
            limit=self.limit,
            where=self._where(),
            standalone=self.standalone,
            way=self.way,
            image=self._image(),
            timeout=timeout,
            as_of=self.as_of or None,
            earlier=tuple(self.earlier),
        )

    def _where(self) -> str:
        """The condition, with that of the sources that are asked."""
        if not self.sources:
            return self.where
        quoted = ", ".join("'" + one.replace("'", "''") + "'" for one in self.sources)
        of_sources = f"source IN ({quoted})"
        return f"({self.where}) AND {of_sources}" if self.where else of_sources

    def _image(self) -> bytes | None:
        """The image, from the form that JSON can hold (RFC 4648)."""
        if not self.image:
            return None
        try:
            return base64.b64decode(self.image, validate=True)
        except ValueError:
            raise HttpProblem(422, "the image is not valid Base64", "encode its bytes") from None


class AskedIn(QuestionIn, frozen=True, forbid_unknown_fields=True):
    """A question to be answered, and how many citations are wanted at most."""

    citations: Annotated[int, Meta(ge=0)] | None = None


class ArticleIn(AskedIn, frozen=True, forbid_unknown_fields=True):
    """A topic to be written about at length."""

    sections: Annotated[int, Meta(ge=1, le=MOST_SECTIONS)] = 5
    voices: Annotated[list[str], Meta(max_length=_MOST_VOICES)] = []


class PreferenceIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Something that the person said of themselves, word for word as it is kept."""

    text: str


class TitleIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a conversation is to be called."""

    title: str


async def body_of(request: Request, kind: type[Body]) -> Body:
    """The body of a request, as JSON of a kind.

    Raises
    ------
    HttpProblem
        408: it comes too slowly. 413: it is too large. 415: it is no JSON. 422: it is JSON of
        another shape.
    """
    if request.headers.get("content-type", "").partition(";")[0].strip() != "application/json":
        raise HttpProblem(415, "the body must be JSON", "send Content-Type: application/json")
    may_hold_image = issubclass(kind, QuestionIn)
    data = await bytes_of(request, _MOST_BYTES_WITH_IMAGE if may_hold_image else _MOST_BYTES)
    return decoded(data, kind)


def decoded(data: bytes, kind: type[Body]) -> Body:
    """JSON of a kind.

    Raises
    ------
    HttpProblem
        422: it is no JSON, or of another shape.
    """
    try:
        return msgspec.json.decode(data, type=kind)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise HttpProblem(422, f"the body is not valid: {error}", "see /openapi.json") from None


async def bytes_of(request: Request, most: int) -> bytes:
    """The body of a request, which comes in time and is not too large.

    Raises
    ------
    HttpProblem
        408: it comes too slowly. 413: it is larger than ``most`` bytes.
    """
    data = bytearray()
    with move_on_after(_SLOWEST) as waiting:
        async for part in request.stream():
            data += part
            if len(data) > most:
                raise HttpProblem(413, f"the body is larger than {most} bytes", "send less")
    if waiting.cancelled_caught:
        raise HttpProblem(408, f"the body took longer than {_SLOWEST:g} s", "send it faster")
    return bytes(data)
