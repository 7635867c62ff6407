"""The page's own files, with headers that let nothing from elsewhere into it."""

from __future__ import annotations

import base64
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


_STYLE = (
    "body{max-width:34rem;margin:18vh auto;padding:0 1rem;font:1.1rem/1.6 Georgia,serif;"
    "color:#1d2529;background:#fbf8f1}code{white-space:nowrap;font-size:.9em}h1{font-size:1.5rem;color:#0d3b52}button{font:inherit;color:#fbf8f1;"
    "background:#0d3b52;border:0;border-radius:.25rem;padding:.4rem 1.2rem;cursor:pointer}"
    ":focus-visible{outline:3px solid #8a5200;outline-offset:2px}"
    "@media(prefers-color-scheme:dark){body{color:#ece7db;background:#10202a}h1{color:#9fd0e8}}"
)


def sign_in_needed() -> Response:
    """What a browser is shown where nobody comes in without a token."""
    return _plain_page(
        "Sign in",
        "<h1>Sign in</h1><p>This desk answers people who have signed in. Ask its owner for a link."
        "</p><p>The owner makes links with <code>yonder serve --sign-in NAME</code>, and one of "
        "their own with <code>yonder serve --owner-link</code>.</p>",
        status=401,
    )


def sign_in_form(name: str) -> Response:
    """What a sign-in link opens: looked at, by a mail scanner too, it is not used up."""
    return _plain_page(
        "Sign in",
        f"<h1>Sign in as {escape(name)}</h1><p>This link works once.</p>"
        '<form method="post"><button>Sign in</button></form>',
    )


def _plain_page(title: str, body: str, *, status: int = 200) -> Response:
    """A page of a few words, with its own style and nothing else."""
    digest = base64.b64encode(hashlib.sha256(_STYLE.encode()).digest()).decode()
    policy = (
        f"default-src 'none'; style-src 'sha256-{digest}'; img-src data:; base-uri 'none';"
        " form-action 'self'; frame-ancestors 'none'"
    )
    text = (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        '<meta name="viewport" content="width=device-width, initial-scale=1">'
        f'<link rel="icon" href="data:,"><style>{_STYLE}</style></head>'
        f"<body><main>{body}</main></body></html>"
    )
    headers = {"content-security-policy": policy, "cache-control": "no-store"}
    return Response(text, status, headers, media_type="text/html")


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
