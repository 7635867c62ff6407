"""What the server did: a line a request, and counts for those who watch it.

References
----------
Prometheus text exposition format.
"""

from __future__ import annotations

import logging
import os
import shutil
import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ...core import Answer, optional
from ...platform.storage import private_folder

_ACCESS = logging.getLogger("yonder_lantern.access")
_METHODS = ("GET", "HEAD", "OPTIONS", "POST", "PUT", "PATCH", "DELETE")
_BUCKETS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0)


_TOGETHER = "PROMETHEUS_MULTIPROC_DIR"  # by it the package learns that processes count together


def count_together(folder: Path) -> None:
    """Let the processes that serve count as one; called before any of them counts."""
    shutil.rmtree(folder, ignore_errors=True)  # of processes that are gone
    private_folder(folder)
    os.environ[_TOGETHER] = str(folder)


def forget_process(pid: int) -> None:
    """Drop what a process that has ended counted as under way; what it has done stays counted."""
    multiprocess = optional("prometheus_client.multiprocess", "serve", "counting requests")
    multiprocess.mark_process_dead(pid)


class Counts:
    """Counters of one desk, over all processes that serve it.

    Parameters
    ----------
    desk : str
        The path that it is served below; "/" where it is the only one.
    """

    def __init__(self, desk: str = "/") -> None:
        self._client = optional("prometheus_client", "serve", "counting requests")
        registry = self._client.CollectorRegistry()
        self._registry = registry
        self._desk = desk

        def labelled(kind: Any) -> Any:
            def made(name: str, said: str, labels: Sequence[str] = (), **more: Any) -> Any:
                return kind(name, said, ["desk", *labels], registry=registry, **more)

            return made

        counter, histogram = labelled(self._client.Counter), labelled(self._client.Histogram)
        self.requests = counter("yonder_requests", "Requests", ["method", "route", "status"])
        self.seconds = histogram(
            "yonder_request_seconds", "Time of a request", ["route"], buckets=_BUCKETS
        )
        self.answers = counter("yonder_answers", "Answers", ["way", "status"])
        self.tokens = counter("yonder_model_tokens", "Tokens of models", ["direction"])
        self.cost = counter("yonder_cost", "Cost of answers", ["currency"])
        self.feedback = counter("yonder_feedback", "Judgements of answers", ["rating"])
        self.under_way = labelled(self._client.Gauge)(
            "yonder_requests_under_way", "Requests under way", multiprocess_mode="livesum"
        ).labels(desk)

    def answered(self, answer: Answer) -> None:
        """Count an answer."""
        self.answers.labels(self._desk, answer.route.way.value, answer.status.value).inc()
        self.tokens.labels(self._desk, "read").inc(answer.tokens.read)
        self.tokens.labels(self._desk, "written").inc(answer.tokens.written)
        if answer.cost.amount and not answer.cost.simulated:
            self.cost.labels(self._desk, answer.cost.currency).inc(float(answer.cost.amount))

    def judged(self, rating: str) -> None:
        """Count a judgement of an answer."""
        self.feedback.labels(self._desk, rating or "taken back").inc()

    def requested(self, method: str, route: str, status: int, seconds: float) -> None:
        """Count a request."""
        method = method if method in _METHODS else "other"  # anything may be sent
        self.requests.labels(self._desk, method, route, str(status)).inc()
        self.seconds.labels(self._desk, route).observe(seconds)

    def text(self) -> tuple[bytes, str]:
        """All of it as text, and its media type."""
        registry = self._registry
        if _TOGETHER in os.environ:
            registry = self._client.CollectorRegistry()
            registry.register(_OfDesk(self._desk))
        made: bytes = self._client.generate_latest(registry)
        return made, "text/plain; version=0.0.4; charset=utf-8"


class _OfDesk:
    """What all processes counted for one desk: their files hold that of every desk."""

    def __init__(self, desk: str) -> None:
        multiprocess = optional("prometheus_client.multiprocess", "serve", "counting requests")
        self._all = multiprocess.MultiProcessCollector(None)
        self._desk = desk

    def collect(self) -> Iterator[Any]:
        """The metrics, for the package that prints them."""
        for metric in self._all.collect():
            metric.samples = [one for one in metric.samples if one.labels.get("desk") == self._desk]
            yield metric


class Measured:
    """Counts requests and writes the access log.

    Parameters
    ----------
    inner : ASGI application
    counts : Counts
    """

    def __init__(self, inner: ASGIApp, counts: Counts) -> None:
        self._inner = inner
        self._counts = counts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on and see what becomes of it."""
        if scope["type"] != "http":
            await self._inner(scope, receive, send)
            return
        began = time.perf_counter()
        told: dict[str, Any] = {"status": 0, "bytes": 0}

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                told["status"] = message["status"]
            elif message["type"] == "http.response.body":
                told["bytes"] += len(message.get("body", b""))
            await send(message)

        self._counts.under_way.inc()
        try:
            await self._inner(scope, receive, sent)
        finally:
            self._counts.under_way.dec()
            took = time.perf_counter() - began
            found = scope.get("route")
            route = getattr(found, "path", "none")
            self._counts.requested(scope["method"], route, told["status"], took)
            # The path of a sign-in link is a secret, and a question may stand in a query.
            _ACCESS.info(
                "%s %s %d %d bytes %.1f ms",
                scope["method"], route, told["status"], told["bytes"], took * 1000,
                extra={
                    "method": scope["method"], "route": route, "status": told["status"],
                    "bytes": told["bytes"], "milliseconds": round(took * 1000, 1),
                    "client": (scope.get("client") or ("",))[0],
                },
            )  # fmt: skip
