"""The page's own files, with headers that let nothing from elsewhere into it."""

from __future__ import annotations

from starlette.requests import Request
from starlette.responses import FileResponse, Response

from ..page import FILES, FOLDER
from .problems import HttpProblem

_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self';"
    " img-src 'self' data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
)
_HEADERS = {"content-security-policy": _POLICY, "cache-control": "no-cache"}


async def page(request: Request) -> Response:  # noqa: ARG001
    """The page itself."""
    return FileResponse(FOLDER / "index.html", headers=_HEADERS)


async def page_file(request: Request) -> Response:
    """A file that the page asks for."""
    name = request.path_params["name"]
    if name not in FILES:
        raise HttpProblem(404, "there is nothing here", "see /")
    return FileResponse(FOLDER / name, media_type=FILES[name], headers=_HEADERS)
