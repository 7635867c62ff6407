"""The page's own files, with headers that let nothing from elsewhere into it."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from functools import cache
from html import escape
from pathlib import Path
from urllib.parse import quote

from starlette.requests import Request
from starlette.responses import Response

from ..page import BOX, DOCS, FILES, FOLDER
from .problems import HttpProblem
from .served import not_modified

_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self';"
    " img-src 'self' data: blob:; media-src 'self' blob:; base-uri 'none'; form-action 'none';"
    " frame-ancestors 'none'"
)


async def page(request: Request) -> Response:
    """The page itself."""
    return _file(request, FOLDER / "index.html", "text/html")


async def page_file(request: Request) -> Response:
    """A file that the page asks for."""
    name = request.path_params["name"]
    if name not in FILES:
        raise HttpProblem(404, "there is nothing here", "see /")
    return _file(request, FOLDER / name, FILES[name])


async def docs_page(request: Request) -> Response:
    """The description for people."""
    return _file(request, FOLDER / DOCS, "text/html")


async def box_file(request: Request) -> Response:
    """The box that other sites put on their pages; they may load it from here."""
    reply = _file(request, FOLDER / BOX, "text/javascript")
    reply.headers["cross-origin-resource-policy"] = "cross-origin"
    return reply


def list_of_desks(named: Sequence[tuple[str, str]]) -> Response:
    """A page with a link to each desk."""
    items = "".join(
        f'<li><a href="{quote(name)}/">{escape(title)}</a></li>' for name, title in named
    )
    text = (
        '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Desks</title>'
        '<meta name="viewport" content="width=device-width, initial-scale=1">'
        '<link rel="icon" href="data:,"><link rel="stylesheet" href="page/sheet.css"></head><body>'
        f"<header><h1>Desks</h1></header><main><ul>{items}</ul></main></body></html>"
    )
    headers = {"content-security-policy": _POLICY, "cache-control": "no-cache"}
    return Response(text, headers=headers, media_type="text/html")


def _file(request: Request, path: Path, kind: str) -> Response:
    data, etag = _contents(path)
    known = not_modified(request, etag)
    if known is not None:
        return known
    headers = {"content-security-policy": _POLICY, "cache-control": "no-cache", "etag": etag}
    return Response(data, headers=headers, media_type=kind)


@cache
def _contents(path: Path) -> tuple[bytes, str]:
    """A file that ships with us, which does not change while we run."""
    data = path.read_bytes()
    return data, f'"{hashlib.sha256(data).hexdigest()[:16]}"'
