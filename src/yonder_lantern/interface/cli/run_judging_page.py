"""Running the page for judging, until it is interrupted."""

from __future__ import annotations

import secrets
from collections.abc import Sequence

from ...core import optional
from ...desk import DeskQuestions
from ...evaluation.questions import PooledPassage
from .run_server import listen
from .terminal import echo


def run_judging_page(
    questions: DeskQuestions, pool: Sequence[PooledPassage], judge: str, port: int
) -> int:
    """Serve the page on this machine, and print its link.

    Raises
    ------
    CallError
        Nothing can listen on that port.
    MissingExtraError
        The packages of the extra ``serve`` are not installed.
    """
    uvicorn = optional("uvicorn", "serve", "the page for judging")
    optional("starlette", "serve", "the page for judging")
    from ..judging import judging_app

    key = secrets.token_urlsafe(16)
    listening = listen("127.0.0.1", port)
    echo(f"Judge here: http://127.0.0.1:{listening.getsockname()[1]}/?key={key}")
    echo("Ctrl-C ends it; what was judged is kept.")
    config = uvicorn.Config(judging_app(questions, pool, judge, key), log_level="warning")
    uvicorn.Server(config).run(sockets=[listening])
    echo(f"{len(questions.judgements.left(pool, judge))} passages left.")
    return 0
