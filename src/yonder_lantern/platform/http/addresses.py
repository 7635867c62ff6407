"""Which machines may be asked: none of the private ones, unless allowed by name."""

from __future__ import annotations

import ipaddress
import socket
import time
from collections.abc import Collection
from functools import cache
from typing import Any

from ...core import Cancel, CancelledError, ServiceError, optional

_LOOK = 0.2  # seconds between looks at the cancel signal


def allowed_address(host: str, port: int, private_hosts: Collection[str]) -> str:
    """The numeric address to connect to for a host.

    Every address that the name resolves to must be public, or the host be named
    among the private ones, alone or with its port. What is checked here is what
    is connected to, so that a name cannot be made to point elsewhere in between.

    Raises
    ------
    ServiceError
        The name is not known, or leads to a private, loopback or link-local address.
    """
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise ServiceError(
            f"there is no machine of the name {host!r}", remedy="fix the address"
        ) from None
    addresses = [str(entry[4][0]) for entry in found]
    if host in private_hosts or f"{host}:{port}" in private_hosts:
        return addresses[0]
    for address in addresses:
        if not may_be_asked(address):
            raise ServiceError(
                f"{host} is a private address ({address}), which a source may not ask",
                remedy=f'if that is meant: private_hosts = ["{host}:{port}"]',
            )
    return addresses[0]


def may_be_asked(address: str) -> bool:
    """Whether a numeric address, and each that it stands for, is a public one of one machine.

    References
    ----------
    RFC 6890, Special-purpose address registries; RFC 7526, 9637, 7534, 7535 and 9602 for later
    entries. RFC 4291, IPv4-mapped and -compatible addresses;
    RFC 3056, 6to4; RFC 4380, Teredo; RFC 6052 and 8215, IPv4/IPv6 translation; RFC 3879,
    Deprecating site-local addresses.

    Examples
    --------
    >>> [may_be_asked(one) for one in ("8.8.8.8", "::ffff:10.0.0.1", "2002:7f00:1::", "fec0::1")]
    [True, False, False, False]
    """
    ip = ipaddress.ip_address(address.partition("%")[0])
    return all(map(_is_public, _stood_for(ip))) if _stood_for(ip) else _is_public(ip)


def _is_public(one: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    site_local = isinstance(one, ipaddress.IPv6Address) and one.is_site_local
    special = any(one in network for network in _SPECIAL)
    return one.is_global and not (one.is_multicast or one.is_reserved or site_local or special)


# Of the registries, what Python counts as global: relays, documentation, and a service of routers.
_SPECIAL = [
    ipaddress.ip_network(one)
    for one in ("192.88.99.0/24", "192.31.196.0/24", "192.52.193.0/24", "192.175.48.0/24",
                "3fff::/20", "2620:4f:8000::/48", "2001::/23", "5f00::/16")
]  # fmt: skip


_TRANSLATED = [
    ipaddress.IPv6Network(one)
    for one in ("::ffff:0:0/96", "::/96", "::ffff:0:0:0/96", "64:ff9b::/96", "64:ff9b:1::/48")
]


def _stood_for(
    address: ipaddress.IPv4Address | ipaddress.IPv6Address,
) -> list[ipaddress.IPv4Address]:
    """The IPv4 addresses that an IPv6 address leads to."""
    if isinstance(address, ipaddress.IPv4Address):
        return []
    found = []
    if any(address in network for network in _TRANSLATED):
        found.append(ipaddress.IPv4Address(int(address) & 0xFFFFFFFF))
    if address.sixtofour is not None:
        found.append(address.sixtofour)
    if address.teredo is not None:
        found.extend(address.teredo)
    return found


@cache
def _backend_class() -> type[Any]:
    httpcore = optional("httpcore", "web", "fetching over HTTP")

    class CheckedBackend(httpcore.SyncBackend):  # type: ignore[misc, name-defined]
        """Connects only to addresses that may be asked."""

        def __init__(self, private_hosts: Collection[str], cancel: Cancel) -> None:
            super().__init__()
            self._private_hosts = private_hosts
            self._cancel = cancel

        def connect_tcp(self, host: str, port: int, *rest: Any, **named: Any) -> Any:
            address = allowed_address(host, port, self._private_hosts)
            stream = super().connect_tcp(address, port, *rest, **named)
            return CancelledStream(stream, self._cancel)

    class CancelledStream(httpcore.NetworkStream):  # type: ignore[misc, name-defined]
        """Looks at the cancel signal while it waits for bytes."""

        def __init__(self, stream: Any, cancel: Cancel) -> None:
            self._stream = stream
            self._cancel = cancel

        def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
            end = None if timeout is None else time.monotonic() + timeout
            while True:
                if self._cancel.is_set():
                    raise CancelledError("interrupted while waiting for a reply")
                left = _LOOK if end is None else end - time.monotonic()
                try:
                    found: bytes = self._stream.read(max_bytes, max(0.001, min(left, _LOOK)))
                    return found
                except httpcore.ReadTimeout:
                    if end is not None and time.monotonic() >= end:
                        raise

        def write(self, buffer: bytes, timeout: float | None = None) -> None:
            self._stream.write(buffer, timeout)

        def close(self) -> None:
            self._stream.close()

        def start_tls(self, *rest: Any, **named: Any) -> Any:
            return CancelledStream(self._stream.start_tls(*rest, **named), self._cancel)

        def get_extra_info(self, info: str) -> Any:
            return self._stream.get_extra_info(info)

    return CheckedBackend


def checked_transport(private_hosts: Collection[str], cancel: Cancel) -> Any:
    """A transport for HTTPX whose every connection, of a redirect too, is checked."""
    httpx = optional("httpx", "web", "fetching over HTTP")
    httpcore = optional("httpcore", "web", "fetching over HTTP")
    pool = httpcore.ConnectionPool(
        ssl_context=httpx.create_ssl_context(),
        network_backend=_backend_class()(private_hosts, cancel),
    )

    _ERRORS = (httpcore.NetworkError, httpcore.ProtocolError, httpcore.TimeoutException)

    def as_httpx(error: Exception) -> Exception:
        """The same error as HTTPX calls it; its name is the same."""
        kind = getattr(httpx, type(error).__name__, httpx.ReadError)
        made: Exception = kind(str(error))
        return made

    class Body(httpx.SyncByteStream):  # type: ignore[misc, name-defined]
        def __init__(self, stream: Any) -> None:
            self._stream = stream

        def __iter__(self) -> Any:
            try:
                yield from self._stream
            except _ERRORS as error:
                raise as_httpx(error) from error

        def close(self) -> None:
            self._stream.close()

    class CheckedTransport(httpx.BaseTransport):  # type: ignore[misc, name-defined]
        def handle_request(self, request: Any) -> Any:
            asked = httpcore.Request(
                method=request.method,
                url=httpcore.URL(
                    scheme=request.url.raw_scheme,
                    host=request.url.raw_host,
                    port=request.url.port,
                    target=request.url.raw_path,
                ),
                headers=request.headers.raw,
                content=request.stream,
                extensions=request.extensions,
            )
            try:
                reply = pool.handle_request(asked)
            except _ERRORS as error:
                raise as_httpx(error) from error
            return httpx.Response(
                reply.status,
                headers=reply.headers,
                stream=Body(reply.stream),
                extensions=reply.extensions,
            )

        def close(self) -> None:
            pool.close()

    return CheckedTransport()
