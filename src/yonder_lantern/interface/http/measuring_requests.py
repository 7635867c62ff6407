"""What the server did: a line a request, and counts for those who watch it.

References
----------
Prometheus text exposition format.
"""

from __future__ import annotations

import logging
import time
from typing import Any

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ...core import Answer, optional

_ACCESS = logging.getLogger("yonder_lantern.access")
_BUCKETS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0)


class Counts:
    """Counters of one process."""

    def __init__(self) -> None:
        self._client = optional("prometheus_client", "serve", "counting requests")
        registry = self._client.CollectorRegistry()
        counter, histogram = self._client.Counter, self._client.Histogram
        self._registry = registry
        self.requests = counter(
            "yonder_requests", "Requests", ["method", "route", "status"], registry=registry
        )
        self.seconds = histogram(
            "yonder_request_seconds", "Time of a request", ["route"],
            buckets=_BUCKETS, registry=registry,
        )  # fmt: skip
        self.answers = counter("yonder_answers", "Answers", ["way", "status"], registry=registry)
        self.tokens = counter(
            "yonder_model_tokens", "Tokens of models", ["direction"], registry=registry
        )
        self.cost = counter("yonder_cost", "Cost of answers", ["currency"], registry=registry)
        self.feedback = counter(
            "yonder_feedback", "Judgements of answers", ["rating"], registry=registry
        )
        self.under_way = self._client.Gauge(
            "yonder_requests_under_way", "Requests under way", registry=registry
        )

    def answered(self, answer: Answer) -> None:
        """Count an answer."""
        self.answers.labels(answer.route.way.value, answer.status.value).inc()
        self.tokens.labels("read").inc(answer.tokens.read)
        self.tokens.labels("written").inc(answer.tokens.written)
        if answer.cost.amount and not answer.cost.simulated:
            self.cost.labels(answer.cost.currency).inc(float(answer.cost.amount))

    def text(self) -> tuple[bytes, str]:
        """All of it as text, and its media type."""
        made: bytes = self._client.generate_latest(self._registry)
        return made, "text/plain; version=0.0.4; charset=utf-8"


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
            self._counts.requests.labels(scope["method"], route, str(told["status"])).inc()
            self._counts.seconds.labels(route).observe(took)
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
