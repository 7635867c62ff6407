"""Asking over HTTP, with patience and with limits."""

from __future__ import annotations

import email.utils
import re
import time
from collections.abc import Callable, Collection, Iterator, Mapping
from contextlib import ExitStack
from dataclasses import dataclass
from types import TracebackType
from typing import Any, Protocol
from urllib.parse import urljoin, urlsplit

from .. import __version__
from ..records import (
    Cancel,
    CancelledError,
    LimitError,
    NeverCancel,
    OutsideError,
    optional,
)
from .addresses import checked_transport

AGENT = f"yonder-lantern/{__version__}"
_REDIRECTS = (301, 302, 303, 307, 308)
_MOST_REDIRECTS = 5
_BUSY = (429, 502, 503, 504)
_LONGEST_WAIT = 30.0  # seconds a server may ask us to wait before it counts as failed
_FIRST_WAIT = 0.5


@dataclass(frozen=True, slots=True)
class Reply:
    """What a server gave.

    ``address`` is the one that gave it, after redirects; the names of ``headers``
    are in lower case.
    """

    status: int
    address: str
    headers: Mapping[str, str]
    body: bytes

    @property
    def kind(self) -> str:
        """The media type, ``text/html``."""
        return self.headers.get("content-type", "").partition(";")[0].strip().lower()


class Client:
    """Fetches over HTTP.

    Parameters
    ----------
    private_hosts : collection of str
        Hosts, alone or with a port, that may be asked though they are private.
    seconds : float
        How long one request may take, to the last byte.
    most_bytes : int
        How long a reply may be.
    delay : float
        Seconds between two requests to one host.
    tries : int
        How often a request is made before it has failed: again after a busy
        server (429, 502, 503, 504) or a lost connection, each time after waiting
        twice as long, or as long as the server asks.
    cancel : Cancel, optional
        Looked at while waiting.

    References
    ----------
    RFC 9110, HTTP Semantics, for redirects, conditional requests and Retry-After.
    """

    def __init__(
        self,
        *,
        private_hosts: Collection[str] = (),
        seconds: float = 30.0,
        most_bytes: int = 20_000_000,
        delay: float = 0.0,
        tries: int = 3,
        cancel: Cancel | None = None,
    ) -> None:
        self._httpx = optional("httpx", "web", "fetching over HTTP")
        self._client = self._httpx.Client(
            transport=checked_transport(private_hosts),
            follow_redirects=False,
            timeout=min(seconds, 30.0),
            headers={"user-agent": AGENT},
            trust_env=False,
        )
        self._seconds = seconds
        self._most_bytes = most_bytes
        self._delay = delay
        self._tries = tries
        self._cancel = cancel or NeverCancel()
        self._last: dict[str, float] = {}

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._client.close()

    def get(self, address: str, headers: Mapping[str, str] | None = None) -> Reply:
        """Fetch an address, following redirects.

        Raises
        ------
        OutsideError
            It cannot be had, or redirects for ever, or its host may not be asked.
        LimitError
            It is too long.
        """
        asked = address
        for _ in range(_MOST_REDIRECTS + 1):
            reply = self._patiently("GET", asked, {"headers": dict(headers or {})})
            goal = reply.headers.get("location", "")
            if reply.status not in _REDIRECTS or not goal:
                return reply
            asked = urljoin(asked, goal)
        raise OutsideError(
            f"it redirects more than {_MOST_REDIRECTS} times", address, "mend the address"
        )

    def post(self, address: str, **what: Any) -> Reply:
        """Send something; ``what`` is as for HTTPX: ``json``, ``data``, ``files``, ``headers``."""
        return self._patiently("POST", address, what)

    def lines(self, address: str, **what: Any) -> Iterator[str]:
        """Send something, and give the lines of the reply as they come.

        Only the beginning is tried again: what has come cannot be taken back.

        Raises
        ------
        OutsideError
            There is no reply, one of another status than 200, or it breaks off.
        LimitError
            It is too long.
        """
        begun: Any = None
        with ExitStack() as held:

            def begin() -> Reply:
                nonlocal begun
                self._pause_for(address)
                begun = held.enter_context(self._client.stream("POST", address, **what))
                headers = {name.lower(): value for name, value in begun.headers.items()}
                body = b"" if begun.status_code == 200 else begun.read()
                return Reply(begun.status_code, address, headers, body)

            reply = self._patiently("POST", address, what, begin)
            if reply.status != 200:
                raise refusal(reply)
            deadline = time.monotonic() + self._seconds
            size = 0
            try:
                for line in begun.iter_lines():
                    size += len(line)
                    if size > self._most_bytes:
                        raise LimitError(
                            f"it is longer than {self._most_bytes / 1e6:g} MB", address, "ask less"
                        )
                    if time.monotonic() > deadline:
                        raise self._httpx.ReadTimeout("it takes too long")
                    if self._cancel.is_set():
                        raise CancelledError("interrupted while reading a reply", address)
                    yield line
            except self._httpx.HTTPError as error:
                raise OutsideError(
                    f"the reply broke off: {_reason(error)}", address, "ask again"
                ) from None

    def _patiently(
        self,
        method: str,
        address: str,
        what: dict[str, Any],
        once: Callable[[], Reply] | None = None,
    ) -> Reply:
        if urlsplit(address).scheme not in ("http", "https"):
            raise OutsideError("only http and https addresses are asked", address, "mend it")
        wait = _FIRST_WAIT
        for tried in range(1, self._tries + 1):
            last = tried == self._tries
            try:
                reply = once() if once else self._once(method, address, what)
            except self._httpx.TransportError as error:
                if last:
                    raise OutsideError(
                        f"no reply: {_reason(error)}", address, "is it up? try again later"
                    ) from None
            except (self._httpx.HTTPError, self._httpx.InvalidURL, ValueError) as error:
                raise OutsideError(f"it cannot be asked: {error}", address, "mend it") from None
            else:
                if reply.status not in _BUSY or last:
                    return reply
                wait = max(wait, _asked_to_wait(reply))
                if wait > _LONGEST_WAIT:
                    return reply
            self._pause(wait)
            wait *= 2
        raise AssertionError("a try returns or raises")

    def _once(self, method: str, address: str, what: dict[str, Any]) -> Reply:
        self._pause_for(address)
        deadline = time.monotonic() + self._seconds
        try:
            with self._client.stream(method, address, **what) as reply:
                chunks = []
                size = 0
                for chunk in reply.iter_bytes():
                    chunks.append(chunk)
                    size += len(chunk)
                    if size > self._most_bytes:
                        raise LimitError(
                            f"it is longer than {self._most_bytes / 1e6:g} MB",
                            address,
                            "raise gather.max_megabytes, or exclude it",
                        )
                    if time.monotonic() > deadline:
                        raise self._httpx.ReadTimeout("it takes too long")
                    if self._cancel.is_set():
                        raise CancelledError("interrupted while fetching", address)
                headers = {name.lower(): value for name, value in reply.headers.items()}
                return Reply(reply.status_code, address, headers, b"".join(chunks))
        finally:
            self._last[urlsplit(address).netloc] = time.monotonic()

    def _pause_for(self, address: str) -> None:
        """Wait until the host may be asked again."""
        host = urlsplit(address).netloc
        self._pause(self._last.get(host, 0.0) + self._delay - time.monotonic())
        self._last[host] = time.monotonic()

    def _pause(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while (left := end - time.monotonic()) > 0:
            if self._cancel.is_set():
                raise CancelledError("interrupted while waiting for a server")
            time.sleep(min(left, 0.1))


class Profile(Protocol):
    """What the settings say of a server."""

    @property
    def address(self) -> str: ...
    @property
    def seconds(self) -> float: ...
    @property
    def tries(self) -> int: ...


def client_of(profile: Profile, cancel: Cancel | None = None, *, delay: float = 0.0) -> Client:
    """A client for the server that a profile names; it may be a private one."""
    host = profile.address.partition("://")[2].partition("/")[0]
    return Client(
        private_hosts=(host, host.partition(":")[0]),
        seconds=profile.seconds,
        tries=profile.tries,
        delay=delay,
        cancel=cancel,
    )


def refusal(reply: Reply) -> OutsideError:
    """What a reply of another status than 200 means."""
    said = " ".join(reply.body[:200].decode("utf-8", "replace").split())
    return OutsideError(
        f"the server answers with status {reply.status}{f': {said}' if said else ''}",
        reply.address,
        "see its profile, and whether it is up",
    )


def _reason(error: Exception) -> str:
    return re.sub(r"^\[Errno -?\d+\] ", "", str(error)) or type(error).__name__


def _asked_to_wait(reply: Reply) -> float:
    """The seconds that a server asks us to wait, in either of the two forms."""
    value = reply.headers.get("retry-after", "")
    if value.strip().isdigit():
        return float(value)
    try:
        return max(0.0, email.utils.parsedate_to_datetime(value).timestamp() - time.time())
    except (ValueError, TypeError):
        return 0.0


def as_text(reply: Reply) -> str:
    """A reply's body as text, by the encoding it names."""
    named = re.search(r"charset=\"?([\w-]+)", reply.headers.get("content-type", ""))
    try:
        return reply.body.decode(named[1] if named else "utf-8", "replace")
    except LookupError:
        return reply.body.decode("utf-8", "replace")
