"""Running the HTTP interface in this process, or in several."""

from __future__ import annotations

import ipaddress
import json
import logging
import resource
import socket
import sys
import threading
from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack, suppress
from dataclasses import dataclass
from typing import Any, Literal
from urllib.parse import quote

from ...core import CallError, optional
from ...desk import SERVED_LOCK, Desk, keep_house
from ...platform.storage import FileLock, private_folder
from ...policy import SignIns
from .terminal import VisibleFormatter, echo, faint, waiting_for
from .worker_pool import run_workers

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
    allow_visitors : bool, optional
        Whether callers without a token come in; as the settings say by default.
    proxies : sequence of str
        Addresses of proxies whose word on who calls is taken, besides those of the settings.
    workers : int
        Processes that serve.
    log : {"text", "json"}
        How each line of the log looks.
    debug : bool
    """

    host: str
    port: int
    names: Sequence[str] = ()
    allow_visitors: bool | None = None
    proxies: Sequence[str] = ()
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
        from ..http import (
            LOOPBACK,
            ConnectionLimits,
            add_request_id,
            app,
            app_of_desks,
            count_together,
            forget_process,
            limited_protocol,
        )
    if serving.workers > 1:
        count_together(desk.state / "served" / "counts")
    proxies = (*desk.settings.serve.proxies, *serving.proxies)
    check_proxies(proxies)
    listening = listen(serving.host, serving.port)
    options: dict[str, Any] = {
        "hosts": (*LOOPBACK, *serving.names),
        "allow_visitors": serving.allow_visitors,
        "share_turns": serving.workers > 1,
    }
    desks = {desk.folder.resolve().name: desk, **beside} if beside else {}
    made = app_of_desks(desks, **options) if desks else app(desk, **options)
    limits = ConnectionLimits(desk.settings.serve.connections_per_address, proxies)
    settings = uvicorn.Config(
        made,
        http=limited_protocol(limits),
        ws="none",
        proxy_headers=bool(proxies),
        forwarded_allow_ips=list(proxies),
        log_config=None,
        access_log=False,
        timeout_graceful_shutdown=30,
        server_header=False,
        h11_max_incomplete_event_size=16 * 1024,
    )
    _show_where(serving, listening.getsockname()[1], desks or {"": desk})
    _log_to_stderr(serving, add_request_id)
    _raise_file_limit()

    served = list(desks.values()) or [desk]

    def run() -> None:
        stop = threading.Event()
        with ExitStack() as stack:
            stack.callback(stop.set)
            for one in served:
                stack.callback(_hold(one).release)
                threading.Thread(target=keep_house, args=(one, stop), daemon=True).start()
            with suppress(KeyboardInterrupt):  # Ctrl-C is how it ends
                uvicorn.Server(settings).run(sockets=[listening])

    if serving.workers > 1:
        run_workers(serving.workers, run, gone=forget_process)
    else:
        run()


def _hold(desk: Desk) -> FileLock:
    """A lock that says the desk is being served, so that nothing is restored meanwhile."""
    lock = FileLock(private_folder(desk.state) / SERVED_LOCK, shared=True)
    lock.take()
    return lock


def check_proxies(proxies: Sequence[str]) -> None:
    """Refuse what is no network address: a name could be made to lead anywhere.

    Raises
    ------
    CallError
    """
    for one in proxies:
        try:
            ipaddress.ip_network(one, strict=False)
        except ValueError:
            raise CallError(
                f"not a network address: {one!r}", "serve.proxies, --proxy", "write it as 127.0.0.1"
            ) from None


def _show_where(serving: Serving, port: int, desks: Mapping[str, Desk]) -> None:
    """Say where the page is, and on a terminal how the owner comes in.

    What is not a terminal is kept: the link would stand in a journal that others read.
    """
    shown = f"[{serving.host}]" if ":" in serving.host else serving.host
    echo(f"The page: http://{shown}:{port}/")
    for name, one in desks.items():
        if sys.stdout.isatty():
            below = f"{quote(name)}/" if name else ""
            echo(f"For you, once: http://{shown}:{port}{owner_link(one, below)}")
            echo(faint("That link signs you in as the desk's owner, who sees everything."))
        allowed = serving.allow_visitors
        if one.settings.serve.allow_visitors if allowed is None else allowed:
            continue
        echo(
            faint(
                "Nobody else comes in without a token or a link: yonder serve --new-token, "
                "--sign-in. To let everybody in as the public: --allow-visitors."
            )
        )


def owner_link(desk: Desk, below: str = "") -> str:
    """The path of a link that signs the owner in once."""
    code = SignIns(desk.state / "access").make_link("owner", None, minutes=_OWNER_MINUTES)
    return f"/{below}sign-in/{code}"


def _raise_file_limit() -> None:
    """Take as many open files as this user may have: each connection is one."""
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    with suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))


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

    _KEPT = ("request", "method", "route", "status", "bytes", "milliseconds", "client")

    def format(self, record: logging.LogRecord) -> str:
        """A message as it is printed."""
        told: dict[str, Any] = {
            "at": self.formatTime(record, "%Y-%m-%dT%H:%M:%S%z"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
        }
        kept = {name: getattr(record, name, "-") for name in self._KEPT}
        told |= {name: value for name, value in kept.items() if value != "-"}
        if record.exc_info:
            told["error"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=True)


def _log_to_stderr(serving: Serving, add_request_id: Callable[[logging.LogRecord], bool]) -> None:
    """The access log and everything worth a warning, a line each."""
    handler = logging.StreamHandler()
    form = "%(asctime)s %(levelname)s %(request)s %(message)s"
    text = VisibleFormatter(form, "%Y-%m-%d %H:%M:%S", defaults={"request": "-"})
    handler.setFormatter(JsonFormatter() if serving.log == "json" else text)
    handler.addFilter(add_request_id)
    level = logging.DEBUG if serving.debug else logging.INFO
    for name in ("yonder_lantern", "uvicorn"):
        logger = logging.getLogger(name)
        logger.handlers = [handler]
        logger.propagate = False
        logger.setLevel(level if name == "yonder_lantern" else logging.INFO)
