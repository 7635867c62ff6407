"""Connections that ask for nothing, and requests that are too many: neither stops the others."""

from __future__ import annotations

import asyncio
import ipaddress
from collections import Counter, OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from starlette.types import ASGIApp, Receive, Scope, Send

from .callers import own_path
from .problems import problem

_HEADER_SECONDS = 10.0  # until a request's headers are whole, and between two requests
_MOST_WAITING = 4096  # connections without a request; the oldest is closed for one more


@dataclass(frozen=True, slots=True)
class ConnectionLimits:
    """What the connections of one process may do.

    Attributes
    ----------
    per_address : int
        Connections at the same time from one network address; 0 is without limit.
    proxies : sequence of str
        Addresses and networks that many callers come by: they have no such limit.
    header_seconds : float
    most_waiting : int
    """

    per_address: int = 0
    proxies: Sequence[str] = ()
    header_seconds: float = _HEADER_SECONDS
    most_waiting: int = _MOST_WAITING


def limited_protocol(limits: ConnectionLimits) -> type[asyncio.Protocol]:
    """The class that uvicorn reads HTTP with, under limits that uvicorn has not.

    A connection that has not sent a request's headers in time is closed, however slowly it goes
    on sending; and so is the one that has waited longest where too many wait.
    """
    from uvicorn.protocols.http.h11_impl import H11Protocol

    networks = [ipaddress.ip_network(one, strict=False) for one in limits.proxies]
    open_by: Counter[str] = Counter()
    waiting: OrderedDict[Any, asyncio.TimerHandle] = OrderedDict()

    class LimitedProtocol(H11Protocol):
        def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
            super().connection_made(transport)
            self._address = self.client[0] if self.client else ""
            open_by[self._address] += 1
            most = 0 if _is_in(self._address, networks) else limits.per_address
            if most and open_by[self._address] > most:
                transport.abort()
            else:
                self._wait()

        def connection_lost(self, exc: Exception | None) -> None:
            open_by[self._address] -= 1
            if not open_by[self._address]:
                del open_by[self._address]
            self._wait_no_more()
            super().connection_lost(exc)

        def data_received(self, data: bytes) -> None:
            super().data_received(data)
            if self._is_answering():
                self._wait_no_more()

        def on_response_complete(self) -> None:
            super().on_response_complete()
            if not (self.transport.is_closing() or self._is_answering()):
                self._wait()

        def _is_answering(self) -> bool:
            return self.cycle is not None and not self.cycle.response_complete

        def _wait(self) -> None:
            self._wait_no_more()
            waiting[self] = self.loop.call_later(limits.header_seconds, self.transport.abort)
            if len(waiting) > limits.most_waiting:
                oldest, timer = waiting.popitem(last=False)
                timer.cancel()
                oldest.transport.abort()

        def _wait_no_more(self) -> None:
            timer = waiting.pop(self, None)
            if timer is not None:
                timer.cancel()

    return LimitedProtocol


def _is_in(host: str, networks: Sequence[ipaddress.IPv4Network | ipaddress.IPv6Network]) -> bool:
    try:
        address = ipaddress.ip_address(host)
    except ValueError:
        return False
    return any(address in network for network in networks)


class AtMost:
    """Asks callers to come again while too many requests are under way; never about `/health`.

    Parameters
    ----------
    inner : ASGI application
    most : int
    """

    def __init__(self, inner: ASGIApp, most: int) -> None:
        self._inner = inner
        self._most = most
        self._under_way = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on if there is room for it."""
        if scope["type"] != "http" or own_path(scope) == "/health":
            await self._inner(scope, receive, send)
            return
        if self._under_way >= self._most:
            told = problem(503, "too many requests are under way", "come again soon",
                           {"retry-after": "2"})  # fmt: skip
            await told(scope, receive, send)
            return
        self._under_way += 1
        try:
            await self._inner(scope, receive, send)
        finally:
            self._under_way -= 1
