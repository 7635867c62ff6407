"""The page and what it asks for: the next passage, and the keeping of a judgement."""

from __future__ import annotations

import hmac
import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.middleware import Middleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route

from ...core import YonderError
from ...desk import DeskQuestions
from ...evaluation.questions import PooledPassage

_PAGE = Path(__file__).parent / "judging.html"
_LONGEST = 10_000  # bytes of what is posted
_HEADERS = {
    "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; "
    "script-src 'self'; connect-src 'self'; frame-ancestors 'none'",
    "Referrer-Policy": "no-referrer",
    "X-Content-Type-Options": "nosniff",
    "Cache-Control": "no-store",
}


def judging_app(
    questions: DeskQuestions, pool: Sequence[PooledPassage], judge: str, key: str
) -> Starlette:
    """The page as an ASGI application.

    Parameters
    ----------
    questions : DeskQuestions
    pool : sequence of PooledPassage
    judge : str
        Who judges.
    key : str
        That every request has to bring.
    """

    def kept(handler: Callable[[Request], Any]) -> Callable[[Request], Any]:
        async def checked(request: Request) -> Response:
            given = request.query_params.get("key", "") or request.headers.get("x-key", "")
            if not hmac.compare_digest(given.encode(), key.encode()):
                return JSONResponse({"error": "use the link that was printed"}, 403)
            try:
                response: Response = await handler(request)
            except YonderError as error:
                response = JSONResponse({"error": str(error)}, 400)
            response.headers.update(_HEADERS)
            return response

        return checked

    async def page(_: Request) -> Response:
        return HTMLResponse(_PAGE.read_text(encoding="utf-8"))

    async def script(_: Request) -> Response:
        text = _PAGE.with_suffix(".js").read_text(encoding="utf-8")
        return Response(text, media_type="text/javascript", headers=_HEADERS)

    async def following(_: Request) -> Response:
        return JSONResponse(await run_in_threadpool(_next, questions, pool, judge))

    async def judged(request: Request) -> Response:
        raw = await request.body()
        try:
            told: Any = json.loads(raw) if len(raw) <= _LONGEST else None
            number, grade = int(told["passage"]), int(told["grade"])
            passage = pool[number] if number >= 0 else None
        except (ValueError, TypeError, KeyError, IndexError):
            passage = None
        if passage is None:
            return JSONResponse({"error": "not a judgement of a passage"}, 400)
        await run_in_threadpool(questions.judgements.add, passage, grade, judge)
        return JSONResponse(await run_in_threadpool(_next, questions, pool, judge))

    return Starlette(
        routes=[
            Route("/", kept(page)),
            Route("/judging.js", script),
            Route("/next", kept(following)),
            Route("/judged", kept(judged), methods=["POST"]),
        ],
        middleware=[
            Middleware(TrustedHostMiddleware, allowed_hosts=["127.0.0.1", "localhost", "[::1]"])
        ],
    )


def _next(questions: DeskQuestions, pool: Sequence[PooledPassage], judge: str) -> dict[str, Any]:
    """The next passage to be judged; nothing tells which setting found it."""
    one = next(questions.left(pool, judge), None)
    found: dict[str, Any] = {"judge": judge, "left": 0, "total": len(pool)}
    if one is None:
        return found
    return found | {
        "left": one.total,
        "passage": pool.index(one.passage),
        "question": one.question,
        "location": one.location,
        "text": one.text,
    }
