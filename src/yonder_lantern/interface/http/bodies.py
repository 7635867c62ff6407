"""What requests hold, read into typed values."""

from __future__ import annotations

from typing import TypeVar

import msgspec
from starlette.requests import Request

from ...core import Query
from .problems import HttpProblem

_MOST_BYTES = 64 * 1024
_LONGEST = 4000  # characters of a question
_MOST_EARLIER = 20
Body = TypeVar("Body", bound=msgspec.Struct)


class QuestionIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A question; see `Query` for its parts."""

    text: str
    limit: int | None = None
    where: str = ""
    as_of: str = ""
    earlier: list[str] = []

    def query(self) -> Query:
        """The same as the desk takes it."""
        if len(self.text) > _LONGEST or len(self.earlier) > _MOST_EARLIER:
            raise HttpProblem(413, "the question is too long", f"{_LONGEST} characters at most")
        return Query(
            self.text,
            limit=self.limit,
            where=self.where,
            as_of=self.as_of or None,
            earlier=tuple(self.earlier),
        )


class TitleIn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a conversation is to be called."""

    title: str


async def body_of(request: Request, kind: type[Body]) -> Body:
    """The body of a request, as JSON of a kind.

    Raises
    ------
    HttpProblem
        413: it is too large. 415: it is no JSON. 422: it is JSON of another shape.
    """
    if request.headers.get("content-type", "").partition(";")[0].strip() != "application/json":
        raise HttpProblem(415, "the body must be JSON", "send Content-Type: application/json")
    data = b""
    async for part in request.stream():
        data += part
        if len(data) > _MOST_BYTES:
            raise HttpProblem(413, f"the body is larger than {_MOST_BYTES} bytes", "send less")
    try:
        return msgspec.json.decode(data, type=kind)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise HttpProblem(422, f"the body is not valid: {error}", "see /openapi.json") from None
