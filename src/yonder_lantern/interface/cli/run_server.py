"""Running the HTTP interface in this process, or in several."""

from __future__ import annotations

import json
import logging
import os
import signal
import socket
import threading
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from types import FrameType
from typing import Any, Literal
from urllib.parse import quote

from ...core import CallError, optional
from ...desk import Desk
from ...policy import SignIns
from .terminal import VisibleFormatter, echo, faint, waiting_for

LogForm = Literal["text", "json"]
_OWNER_MINUTES = 60 * 24


@dataclass(frozen=True, slots=True)
class Serving:
    """How a desk is served.

    Attributes
    ----------
    host : str
    port : int
        0 picks a free one.
    names : sequence of str
        Host names it is reached by, besides those of this machine.
    open_to_public : bool
        Whether callers without a token come in, as the public.
    workers : int
        Processes that serve.
    log : {"text", "json"}
        How each line of the log looks.
    debug : bool
    """

    host: str
    port: int
    names: Sequence[str] = ()
    open_to_public: bool = True
    workers: int = 1
    log: LogForm = "text"
    debug: bool = False


def serve(desk: Desk, serving: Serving, beside: Mapping[str, Desk] | None = None) -> None:
    """Serve a desk until it is told to stop; with others beside it, each below its name.

    Raises
    ------
    CallError
        Nothing can listen on that address.
    """
    with waiting_for("the server"):
        uvicorn = optional("uvicorn", "serve", "serving")
        optional("starlette", "serve", "serving")
        from ..http import LOOPBACK, app, app_of_desks
    listening = listen(serving.host, serving.port)
    options: dict[str, Any] = {
        "hosts": (*LOOPBACK, *serving.names),
        "open_to_public": serving.open_to_public,
        "share_turns": serving.workers > 1,
    }
    desks = {desk.folder.resolve().name: desk, **beside} if beside else {}
    made = app_of_desks(desks, **options) if desks else app(desk, **options)
    if serving.open_to_public:
        port = listening.getsockname()[1]
        shown = f"[{serving.host}]" if ":" in serving.host else serving.host
        echo(f"The page: http://{shown}:{port}/")
        for name, one in (desks or {"": desk}).items():
            code = SignIns(one.state / "access").make_link("owner", None, minutes=_OWNER_MINUTES)
            below = f"{quote(name)}/" if name else ""
            echo(f"For you, once: http://{shown}:{port}/{below}sign-in/{code}")
        echo(faint("That link signs you in as the desk's owner, who sees everything."))
    settings = uvicorn.Config(
        made,
        log_config=None,
        access_log=False,
        timeout_graceful_shutdown=30,
        server_header=False,
        h11_max_incomplete_event_size=16 * 1024,
        limit_concurrency=desk.settings.serve.max_streams,
    )
    _log_to_stderr(serving)
    children = _fork(serving.workers - 1)
    try:
        with suppress(KeyboardInterrupt):  # Ctrl-C is how it ends
            uvicorn.Server(settings).run(sockets=[listening])
    finally:
        for child in children:
            with suppress(ProcessLookupError):
                os.kill(child, signal.SIGTERM)
        for child in children:
            with suppress(ChildProcessError):
                os.waitpid(child, 0)


def _fork(number: int) -> list[int]:
    """Further processes that accept from the same socket; in each of them the list is empty."""
    children: list[int] = []
    for _ in range(number):
        child = os.fork()
        if child == 0:
            _end_with(os.getppid())
            return []
        children.append(child)

    def end(signum: int, frame: FrameType | None) -> None:  # noqa: ARG001
        raise KeyboardInterrupt

    if children:
        signal.signal(signal.SIGTERM, end)
    return children


def _end_with(parent: int) -> None:
    """End this process when the one that began it is gone, however it went."""

    def watch() -> None:
        while os.getppid() == parent:
            threading.Event().wait(1.0)
        os.kill(os.getpid(), signal.SIGTERM)

    threading.Thread(target=watch, name="parent", daemon=True).start()


def listen(host: str, port: int) -> socket.socket:
    """A socket that listens; in plain words why it cannot.

    Raises
    ------
    CallError
        Something else listens there, or it is no address of this machine.
    """
    try:
        family = socket.AF_INET6 if ":" in host else socket.AF_INET
        return socket.create_server((host, port), family=family, backlog=2048)
    except OSError as error:
        reason = (error.strerror or str(error)).partition(" (while")[0]  # the address again
        raise CallError(
            f"nothing can listen on {host}, port {port}: {reason}",
            f"--host {host} --port {port}",
            "choose another port; 0 picks a free one",
        ) from None


class JsonFormatter(logging.Formatter):
    """Log messages as JSON objects, one a line."""

    _KEPT = ("method", "route", "status", "bytes", "milliseconds", "client")

    def format(self, record: logging.LogRecord) -> str:
        """A message as it is printed."""
        told: dict[str, Any] = {
            "at": self.formatTime(record, "%Y-%m-%dT%H:%M:%S%z"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
        }
        told |= {name: getattr(record, name) for name in self._KEPT if hasattr(record, name)}
        if record.exc_info:
            told["error"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=True)


def _log_to_stderr(serving: Serving) -> None:
    """The access log and everything worth a warning, a line each."""
    handler = logging.StreamHandler()
    text = VisibleFormatter("%(asctime)s %(levelname)s %(message)s", "%Y-%m-%d %H:%M:%S")
    handler.setFormatter(JsonFormatter() if serving.log == "json" else text)
    level = logging.DEBUG if serving.debug else logging.INFO
    for name in ("yonder_lantern", "uvicorn"):
        logger = logging.getLogger(name)
        logger.handlers = [handler]
        logger.propagate = False
        logger.setLevel(level if name == "yonder_lantern" else logging.INFO)
