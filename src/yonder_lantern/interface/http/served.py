"""What all routes share: who asks, what is under way, what is counted, and how replies look."""

from __future__ import annotations

import os
from dataclasses import dataclass, field
from typing import Any

import msgspec
from anyio import CapacityLimiter
from starlette.requests import Request
from starlette.responses import Response

from ...core import Answer
from .callers import Doorman, HttpCaller, caller_of
from .measuring_requests import Counts
from .running_turns import RunningTurns


def _limiter() -> CapacityLimiter:
    # More threads than cores would only take turns at holding the interpreter.
    return CapacityLimiter(max(2, os.cpu_count() or 1))


@dataclass(frozen=True, slots=True)
class Served:
    """A desk that is served.

    Attributes
    ----------
    doorman : Doorman
    turns : RunningTurns
        The turns under way, and the gathers.
    counts : Counts
    limiter : CapacityLimiter
        Of the threads that search and answer.
    """

    doorman: Doorman
    turns: RunningTurns
    counts: Counts = field(default_factory=Counts)
    limiter: CapacityLimiter = field(default_factory=_limiter)

    @staticmethod
    def caller(request: Request) -> HttpCaller:
        """Who sent a request, as the gate found."""
        return caller_of(request)

    def answered(self, caller: HttpCaller, answer: Answer) -> None:
        """Count an answer, and what it cost."""
        self.counts.answered(answer)
        self.doorman.spent(caller, answer.cost)


def as_json(value: Any, *, status: int = 200, headers: dict[str, str] | None = None) -> Response:
    """A value of the one schema as a reply."""
    return Response(msgspec.json.encode(value), status, headers, media_type="application/json")


def not_modified(request: Request, etag: str) -> Response | None:
    """A reply without a body, where the caller has this state already (RFC 9110)."""
    given = [one.strip() for one in request.headers.get("if-none-match", "").split(",")]
    if etag in given or f"W/{etag}" in given:
        return Response(status_code=304, headers={"etag": etag})
    return None
