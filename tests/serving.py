"""A small web server that does what a test tells it to, and notes what it was asked."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from time import monotonic, sleep
from typing import Any

_TO_START = 60.0  # seconds


@dataclass
class Page:
    """What an address gives; ``slow`` seconds pass between the two halves of its body."""

    body: bytes = b""
    status: int = 200
    kind: str = "text/html; charset=utf-8"
    headers: dict[str, str] = field(default_factory=dict)
    slow: float = 0.0


@dataclass
class Served:
    """The server: its address, its pages by path, and every request it had."""

    address: str
    pages: dict[str, Page | list[Page]] = field(default_factory=dict)
    asked: list[str] = field(default_factory=list)
    sent: list[bytes] = field(default_factory=list)  # what was posted
    unchanged: list[str] = field(default_factory=list)  # paths answered with 304

    @property
    def host(self) -> str:
        return self.address.removeprefix("http://")

    def put(self, path: str, html: str, **more: Any) -> None:
        self.pages[path] = Page(html.encode(), **more)


@contextmanager
def serve() -> Iterator[Served]:
    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            served.sent.append(self.rfile.read(int(self.headers["content-length"])))
            self.do_GET()

        def do_GET(self) -> None:
            served.asked.append(self.path)
            page = served.pages.get(self.path, Page(b"<p>nothing here</p>", 404))
            if isinstance(page, list):  # one after the other; the last stays
                page = page.pop(0) if len(page) > 1 else page[0]
            tag = f'"{sha256(page.body).hexdigest()[:16]}"'
            if page.status == 200 and self.headers.get("if-none-match") == tag:
                served.unchanged.append(self.path)
                self.send_response(304)
                self.end_headers()
                return
            self.send_response(page.status)
            sent = {"content-type": page.kind, "content-length": str(len(page.body)), "etag": tag}
            for name, value in {**sent, **page.headers}.items():
                self.send_header(name, value)
            self.end_headers()
            half = len(page.body) // 2
            try:
                self.wfile.write(page.body[:half])
                if page.slow:
                    self.wfile.flush()
                    sleep(page.slow)
                self.wfile.write(page.body[half:])
            except OSError:
                return

        def log_message(self, format: str, *args: Any) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    served = Served(f"http://127.0.0.1:{server.server_port}")
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield served
    finally:
        server.shutdown()
        server.server_close()
        thread.join()


@contextmanager
def running(app: Any, **options: Any) -> Iterator[str]:
    """An ASGI application, served on loopback; its address."""
    import uvicorn

    server = uvicorn.Server(uvicorn.Config(app, port=0, log_level="error", **options))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    end = monotonic() + _TO_START
    while not server.started and monotonic() < end:
        sleep(0.05)
    try:
        yield f"http://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}/"
    finally:
        server.should_exit = True
        thread.join(_TO_START)
