"""Asking over HTTP, with patience and with limits."""

from __future__ import annotations

import base64
import email.utils
import re
import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from types import TracebackType
from typing import Any, Protocol
from urllib.parse import unquote, urljoin, urlsplit

from ...core import Cancel, CancelledError, LimitError, NeverCancel, ServiceError, optional
from ...settings import Hider, named_in, parted, revealed, without_password
from ...version import __version__
from .addresses import checked_transport

AGENT = f"yonder-lantern/{__version__}"
_REDIRECTS = (301, 302, 303, 307, 308)
_MOST_REDIRECTS = 5
# What a server that is too busy says. A gateway's 502 or 504 may be said of something served.
_BUSY = {"GET": (429, 502, 503, 504), "POST": (429, 503)}
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

    Addresses and headers may name secrets, ``${NAME}``. Their values are put in when a request
    is sent, and taken out of all that comes back; an address that a server
    gives can name no others.

    Parameters
    ----------
    private_hosts : collection of str
        Hosts, alone or with a port, that may be asked though they are private.
    connect_timeout : float
        Seconds until there is a connection.
    timeout : float
        Seconds to wait for the first byte of a reply, and for each further chunk.
    total : float, optional
        Seconds one request may take, to the last byte; without limit by default.
    most_bytes : int
        How long a reply may be.
    delay : float
        Seconds between two requests to one host.
    max_attempts : int
        How often a request is made before it has failed: again after a busy server or a
        lost connection, each time after waiting twice as long, or as long as the server
        asks. A reply that is merely slow is never asked for again.
    holders : sequence
        The settings that are asked with: addresses, headers, fields.
    cancel : Cancel, optional
        Looked at while waiting.

    References
    ----------
    RFC 9110, HTTP Semantics, for redirects, conditional requests and Retry-After. RFC 7617, The
    'Basic' HTTP Authentication Scheme.
    """

    def __init__(
        self,
        *,
        private_hosts: Collection[str] = (),
        connect_timeout: float = 10.0,
        timeout: float = 30.0,
        total: float | None = None,
        most_bytes: int = 20_000_000,
        delay: float = 0.0,
        max_attempts: int = 3,
        holders: Sequence[Any] = (),
        cancel: Cancel | None = None,
    ) -> None:
        self._httpx = optional("httpx", "web", "fetching over HTTP")
        self._cancel = cancel or NeverCancel()
        self._client = self._httpx.Client(
            transport=checked_transport(private_hosts, self._cancel),
            follow_redirects=False,
            timeout=self._httpx.Timeout(timeout, connect=connect_timeout),
            headers={"user-agent": AGENT},
            trust_env=False,
        )
        self._timeout = timeout
        self._total = total
        self._most_bytes = most_bytes
        self._delay = delay
        self._max_attempts = max_attempts
        self._hider = Hider(holders)
        self._names = frozenset(named_in(list(holders)))
        named = [parted(one) for one in holders if isinstance(one, str) and "://" in one]
        self._own_hosts = {_host(address) for address, _ in named}
        self._users = {_host(address): user for address, user in named if user}
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
        ServiceError
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
        raise ServiceError(
            f"it redirects more than {_MOST_REDIRECTS} times",
            without_password(address),
            "fix the address",
        )

    def post(self, address: str, **what: Any) -> Reply:
        """Send something; ``what`` is as for HTTPX: ``json``, ``data``, ``files``, ``headers``."""
        return self._patiently("POST", address, what)

    def lines(self, address: str, **what: Any) -> Iterator[str]:
        """Send something, and give the lines of the reply as they come.

        Only the beginning is tried again: what has come cannot be taken back. Left before its
        end, it closes the connection.

        Raises
        ------
        ServiceError
            There is no reply, one of another status than 200, or it breaks off.
        LimitError
            It is too long.
        """
        begun: Any = None
        with ExitStack() as held:

            def begin() -> Reply:
                nonlocal begun
                self._pause_for(address)
                url, sent = self._ready(address, what)
                begun = held.enter_context(self._client.stream("POST", url, **sent))
                body = b"" if begun.status_code == 200 else begun.read()
                return self._reply(begun, address, body)

            reply = self._patiently("POST", address, what, begin)
            if reply.status != 200:
                raise refusal(reply)
            size = 0
            try:
                for line in begun.iter_lines():
                    size += len(line)
                    if size > self._most_bytes:
                        raise LimitError(
                            f"it is longer than {self._most_bytes / 1e6:g} MB",
                            without_password(address),
                            "ask less",
                        )
                    yield self._hider.text(line)
            except self._httpx.HTTPError as error:
                raise ServiceError(
                    f"the reply broke off: {self._reason(error)}",
                    without_password(address),
                    "ask again",
                ) from None

    def _patiently(
        self,
        method: str,
        address: str,
        what: dict[str, Any],
        once: Callable[[], Reply] | None = None,
    ) -> Reply:
        where = without_password(address)
        if urlsplit(address).scheme not in ("http", "https"):
            raise ServiceError("only http and https addresses are asked", where, "fix it")
        wait = _FIRST_WAIT
        for attempt in range(1, self._max_attempts + 1):
            last = attempt == self._max_attempts
            try:
                reply = once() if once else self._once(method, address, what)
            except self._httpx.TransportError as error:
                if last or not self._may_send_again(method, error):
                    raise self._no_reply(error, where) from None
            except (self._httpx.HTTPError, self._httpx.InvalidURL, ValueError) as error:
                what_is_wrong = f"it cannot be asked: {self._hider.text(str(error))}"
                raise ServiceError(what_is_wrong, where, "fix it") from None
            else:
                if reply.status not in _BUSY[method] or last:
                    return reply
                wait = max(wait, _asked_to_wait(reply))
                if wait > _LONGEST_WAIT:
                    return reply
            self._pause(wait)
            wait *= 2
        raise AssertionError("an attempt returns or raises")

    def _may_send_again(self, method: str, error: Exception) -> bool:
        """Whether a request cannot have been served, or may be served twice."""
        if isinstance(error, self._httpx.ConnectError | self._httpx.ConnectTimeout):
            return True
        return method == "GET" and not isinstance(error, self._httpx.TimeoutException)

    def _no_reply(self, error: Exception, where: str) -> ServiceError:
        if isinstance(error, self._httpx.ConnectError | self._httpx.ConnectTimeout):
            return ServiceError(
                f"no connection: {self._reason(error)}", where, "is it up? try again later"
            )
        if isinstance(error, self._httpx.TimeoutException):
            return ServiceError(
                f"no reply within {self._timeout:g} s", where, "raise `timeout`, or try again later"
            )
        return ServiceError(f"no reply: {self._reason(error)}", where, "is it up? try again later")

    def _ready(self, address: str, what: dict[str, Any]) -> tuple[str, dict[str, Any]]:
        """An address and what goes with it, with the values of the secrets they name."""
        bare, user = parted(address)
        if _host(bare) not in self._own_hosts:
            return address, what
        headers = {name: self._revealed(value) for name, value in what.get("headers", {}).items()}
        user = user or self._users.get(_host(bare), "")
        if user and "authorization" not in {name.lower() for name in headers}:
            packed = base64.b64encode(unquote(self._revealed(user)).encode()).decode()
            headers["authorization"] = f"Basic {packed}"
        sent = {name: value.encode("utf-8") for name, value in headers.items()}
        return self._revealed(bare), {**what, "headers": sent}

    def _revealed(self, text: str) -> str:
        return revealed(text, self._names)

    def _once(self, method: str, address: str, what: dict[str, Any]) -> Reply:
        self._pause_for(address)
        deadline = None if self._total is None else time.monotonic() + self._total
        url, sent = self._ready(address, what)
        try:
            with self._client.stream(method, url, **sent) as reply:
                chunks = []
                size = 0
                for chunk in reply.iter_bytes():
                    chunks.append(chunk)
                    size += len(chunk)
                    if size > self._most_bytes:
                        raise LimitError(
                            f"it is longer than {self._most_bytes / 1e6:g} MB",
                            without_password(address),
                            "raise gather.max_megabytes, or exclude it",
                        )
                    if deadline is not None and time.monotonic() > deadline:
                        raise self._httpx.ReadTimeout("it takes too long")
                return self._reply(reply, address, b"".join(chunks))
        finally:
            self._last[urlsplit(address).netloc] = time.monotonic()

    def _reply(self, reply: Any, address: str, body: bytes) -> Reply:
        """A reply as it is told: without the values of secrets."""
        headers = {name.lower(): self._hider.text(value) for name, value in reply.headers.items()}
        return Reply(reply.status_code, parted(address)[0], headers, self._hider.data(body))

    def _reason(self, error: Exception) -> str:
        said = re.sub(r"^\[Errno -?\d+\] ", "", str(error)) or type(error).__name__
        return self._hider.text(said)

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


def _host(address: str) -> str:
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc}".lower()


class Profile(Protocol):
    """What the settings say of a server."""

    @property
    def address(self) -> str: ...
    @property
    def headers(self) -> Mapping[str, str]: ...
    @property
    def connect_timeout(self) -> float: ...
    @property
    def timeout(self) -> float: ...
    @property
    def max_attempts(self) -> int: ...


def client_of(
    profile: Profile,
    cancel: Cancel | None = None,
    *,
    delay: float = 0.0,
    holders: Sequence[Any] = (),
) -> Client:
    """A client for the server that a profile names; it may be a private one.

    ``holders`` are what else of the settings is sent to it.
    """
    host = urlsplit(revealed(parted(profile.address)[0])).netloc
    return Client(
        private_hosts=(host, host.partition(":")[0]),
        connect_timeout=profile.connect_timeout,
        timeout=profile.timeout,
        max_attempts=profile.max_attempts,
        delay=delay,
        holders=(profile.address, profile.headers, *holders),
        cancel=cancel,
    )


def refusal(reply: Reply) -> ServiceError:
    """What a reply of another status than 200 means."""
    said = " ".join(reply.body[:200].decode("utf-8", "replace").split())
    return ServiceError(
        f"the server answers with status {reply.status}{f': {said}' if said else ''}",
        without_password(reply.address),
        "see its profile, and whether it is up",
    )


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
