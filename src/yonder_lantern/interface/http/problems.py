"""Errors as problem details.

References
----------
RFC 9457, Problem Details for HTTP APIs.
"""

from __future__ import annotations

import logging

import msgspec
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Match, Route

from ...core import (
    CallError,
    CancelledError,
    FormatError,
    IndexStateError,
    LimitError,
    MissingExtraError,
    NothingGatheredError,
    ServiceError,
    SettingsError,
    YonderError,
)
from ...core.outgoing import ProblemDetailsOut

_LOG = logging.getLogger("yonder_lantern.http")
_TITLES = {
    400: "bad request",
    401: "not signed in",
    403: "not allowed",
    404: "not found",
    405: "method not allowed",
    409: "conflict",
    413: "too large",
    415: "unsupported media type",
    422: "not valid",
    429: "too many requests",
    500: "something broke",
    502: "a service failed",
    503: "not ready",
    504: "out of time",
}
# The first that fits; what is not named here broke.
_STATUS: tuple[tuple[type[YonderError], int], ...] = (
    (NothingGatheredError, 503),
    (IndexStateError, 503),
    (ServiceError, 502),
    (LimitError, 422),
    (CancelledError, 503),
    (SettingsError, 500),
    (FormatError, 422),
    (MissingExtraError, 503),
    (CallError, 422),
)


class HttpProblem(Exception):
    """What ends a request with a status of its own."""

    def __init__(
        self, status: int, detail: str, remedy: str = "", headers: dict[str, str] | None = None
    ) -> None:
        super().__init__(detail)
        self.status = status
        self.detail = detail
        self.remedy = remedy
        self.headers = headers or {}


def problem(
    status: int, detail: str, remedy: str = "", headers: dict[str, str] | None = None
) -> Response:
    """A reply that says what is wrong."""
    body = ProblemDetailsOut("about:blank", _TITLES.get(status, "error"), status, detail, remedy)
    return Response(
        msgspec.json.encode(body), status, headers, media_type="application/problem+json"
    )


def status_of(error: YonderError) -> int:
    """The status of an error: what the caller can do about it.

    Examples
    --------
    >>> status_of(CallError("the question is empty")), status_of(ServiceError("no reply"))
    (422, 502)
    """
    if isinstance(error, CallError) and error.what.startswith("there is no "):
        return 404
    return next((status for kind, status in _STATUS if isinstance(error, kind)), 500)


async def of_problem(request: Request, error: Exception) -> Response:  # noqa: ARG001
    """For Starlette: a problem as a reply."""
    assert isinstance(error, HttpProblem)
    return problem(error.status, error.detail, error.remedy, error.headers)


async def of_yonder_error(request: Request, error: Exception) -> Response:
    """For Starlette: one of our errors as a reply. Where it was is for the log, not the caller."""
    assert isinstance(error, YonderError)
    status = status_of(error)
    if status >= 500:
        _LOG.warning("%s %s: %s", request.method, request.url.path, error)
    if status == 500:
        return problem(status, "this desk cannot answer now", "tell its owner to see the log")
    if isinstance(error, MissingExtraError):
        return problem(status, error.what, "ask the desk's owner to install it")
    return problem(status, error.what, error.remedy)


async def of_http_status(request: Request, error: Exception) -> Response:
    """For Starlette: what it refuses itself."""
    status = int(getattr(error, "status_code", 500))
    detail = "there is nothing here" if status == 404 else _TITLES.get(status, "error")
    headers = dict(getattr(error, "headers", None) or {})
    if status == 405:  # each route knows its own method only
        headers["Allow"] = ", ".join(sorted(_methods(request)))
    return problem(status, detail, "see /openapi.json", headers)


def _methods(request: Request) -> set[str]:
    """The methods that an address takes."""
    found: set[str] = set()
    for route in request.app.routes:
        if isinstance(route, Route) and route.matches(request.scope)[0] is not Match.NONE:
            found |= route.methods or set()
    return found


async def of_surprise(request: Request, error: Exception) -> Response:
    """For Starlette: what nobody expected."""
    _LOG.error("%s %s", request.method, request.url.path, exc_info=error)
    return problem(500, "something broke", "tell the desk's owner to see the log")
