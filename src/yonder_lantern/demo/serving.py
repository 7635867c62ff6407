"""The demo's own web site and transcription service, on this machine only."""

from __future__ import annotations

import re
import threading
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from ..platform.simulated import transcription_service

_SITE = re.compile(r'^site = "http://127\.0\.0\.1:(\d+)/', re.MULTILINE)
_HEARING = re.compile(r'^address = "http://127\.0\.0\.1:(\d+)/', re.MULTILINE)


class _Quiet(SimpleHTTPRequestHandler):
    def log_message(self, format: str, *args: Any) -> None:
        """Say nothing."""


@contextmanager
def demo_services(folder: Path) -> Iterator[None]:
    """Serve the site of a demo desk and its transcription, on the ports its settings name.

    Where a port is taken, that one is not served, and gathering says so.
    """
    settings = (folder / "yonder.toml").read_text(encoding="utf-8")
    with ExitStack() as stack:
        site, hearing = _SITE.search(settings), _HEARING.search(settings)
        if site:
            stack.enter_context(_served(folder / "site", int(site[1])))
        if hearing:
            with suppress(OSError):
                stack.enter_context(transcription_service(int(hearing[1])))
        yield


@contextmanager
def _served(folder: Path, port: int) -> Iterator[None]:
    try:
        handler = partial(_Quiet, directory=str(folder))
        server = ThreadingHTTPServer(("127.0.0.1", port), handler)
    except OSError:
        yield
        return
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield
    finally:
        server.shutdown()
        server.server_close()
        thread.join()
