"""Which machines may be asked: none of the private ones, unless allowed by name."""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Collection
from functools import cache
from typing import Any

from ..records import OutsideError, optional


def allowed_address(host: str, port: int, private_hosts: Collection[str]) -> str:
    """The numeric address to connect to for a host.

    Every address that the name resolves to must be public, or the host be named
    among the private ones, alone or with its port. What is checked here is what
    is connected to, so that a name cannot be made to point elsewhere in between.

    Raises
    ------
    OutsideError
        The name is not known, or leads to a private, loopback or link-local address.
    """
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise OutsideError(
            f"there is no machine of the name {host!r}", remedy="mend the address"
        ) from None
    addresses = [str(entry[4][0]) for entry in found]
    if host in private_hosts or f"{host}:{port}" in private_hosts:
        return addresses[0]
    for address in addresses:
        one = ipaddress.ip_address(address.partition("%")[0])
        if isinstance(one, ipaddress.IPv6Address) and one.ipv4_mapped:
            one = one.ipv4_mapped
        if not one.is_global or one.is_multicast:
            raise OutsideError(
                f"{host} is a private address ({address}), which a source may not ask",
                remedy=f'if that is meant: private_hosts = ["{host}:{port}"]',
            )
    return addresses[0]


@cache
def _backend_class() -> type[Any]:
    httpcore = optional("httpcore", "web", "fetching over HTTP")

    class CheckedBackend(httpcore.SyncBackend):  # type: ignore[misc, name-defined]
        """Connects only to addresses that may be asked."""

        def __init__(self, private_hosts: Collection[str]) -> None:
            super().__init__()
            self._private_hosts = private_hosts

        def connect_tcp(self, host: str, port: int, *rest: Any, **named: Any) -> Any:
            address = allowed_address(host, port, self._private_hosts)
            return super().connect_tcp(address, port, *rest, **named)

    return CheckedBackend


def checked_transport(private_hosts: Collection[str]) -> Any:
    """A transport for HTTPX whose every connection, of a redirect too, is checked."""
    httpx = optional("httpx", "web", "fetching over HTTP")
    httpcore = optional("httpcore", "web", "fetching over HTTP")
    pool = httpcore.ConnectionPool(
        ssl_context=httpx.create_ssl_context(), network_backend=_backend_class()(private_hosts)
    )

    class Body(httpx.SyncByteStream):  # type: ignore[misc, name-defined]
        def __init__(self, stream: Any) -> None:
            self._stream = stream

        def __iter__(self) -> Any:
            try:
                yield from self._stream
            except (httpcore.NetworkError, httpcore.ProtocolError) as error:
                raise httpx.ReadError(str(error)) from error
            except httpcore.TimeoutException as error:
                raise httpx.ReadTimeout(str(error)) from error

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
            except httpcore.TimeoutException as error:
                raise httpx.ConnectTimeout(str(error)) from error
            except (httpcore.NetworkError, httpcore.ProtocolError) as error:
                raise httpx.ConnectError(str(error)) from error
            return httpx.Response(
                reply.status,
                headers=reply.headers,
                stream=Body(reply.stream),
                extensions=reply.extensions,
            )

        def close(self) -> None:
            pool.close()

    return CheckedTransport()
