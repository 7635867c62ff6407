"""Who asks: the owner, the bearer of a token, somebody who signed in, or a visitor."""

from __future__ import annotations

import hashlib
import ipaddress
import re
import secrets
from dataclasses import dataclass, field, replace
from decimal import Decimal

from anyio import CapacityLimiter, to_thread
from starlette.requests import Request
from starlette.types import Scope

from ...core import Money
from ...desk import Desk
from ...policy import RIGHTS, AccessToken, AccessTokens, OpenId, SignIns, Usage
from .problems import HttpProblem
from .request_rate import RequestRate

PUBLIC = ("public",)
SET_UP = "set up"  # the owner alone may
COOKIE = "yonder"
VISITOR_COOKIE = "yonder-visitor"
VISITOR_HEADER = "yonder-visitor"  # of a box or a program, in place of the cookie
VISITORS = "visitors"
CALLER = "yonder.caller"  # in the scope of a request that came through the gate
_SECRET = re.compile(r"[\w-]{22,128}", re.ASCII)
_BESIDE_A_QUESTION = 20  # requests
_LEAST_REQUESTS = 120
_SAFE = ("GET", "HEAD", "OPTIONS")
_CHALLENGE = {"www-authenticate": 'Bearer realm="yonder"'}


@dataclass(frozen=True, slots=True)
class HttpCaller:
    """Who asks.

    Attributes
    ----------
    name : str
        Whose conversations they open; empty is the desk's owner.
    desk : Desk
        As they see it.
    per_minute : int
        Questions a minute; 0 is without limit.
    rights : frozenset of str
        What they may do.
    per_day : Decimal or None
        What their answers may cost in a day.
    signed_in : bool
        Whether it is a person, by a cookie.
    counted_as : str
        The name that their questions are counted under.
    address : str
        Of a stranger: a visitor, or somebody at a box. Their questions are counted by it, too.
    is_known : bool
        Whether they can be told from others; somebody at a box is not by its token alone.
    new_secret : str
        A visitor's, made now, for their browser to keep.
    """

    name: str
    desk: Desk = field(repr=False)
    per_minute: int = 0
    rights: frozenset[str] = frozenset(("ask",))
    per_day: Decimal | None = None
    signed_in: bool = False
    counted_as: str = ""
    address: str = ""
    is_known: bool = True
    new_secret: str = field(default="", repr=False)

    @property
    def known_as(self) -> str:
        """The name that what they do is kept under."""
        return self.name or "owner"


class Doorman:
    """Tells who asks, and keeps count of how often.

    Parameters
    ----------
    desk : Desk
    allow_visitors : bool
        Whether those without a token come in, each as a visitor.
    """

    def __init__(self, desk: Desk, *, allow_visitors: bool) -> None:
        self.desk = desk
        folder = desk.state / "access"
        self.sign_ins = SignIns(folder)
        self._tokens = AccessTokens(folder)
        self._usage = Usage(folder)
        self._requests = RequestRate()
        self._allow_visitors = allow_visitors
        self._settings = settings = desk.settings.serve
        labels = {label for source in desk.settings.source for label in source.audience}
        self._openid = OpenId(settings.openid, desk.folder, labels) if settings.openid else None
        self._fetching = CapacityLimiter(1)  # of an issuer's keys: others go on meanwhile
        self._origins = frozenset(one.rstrip("/") for one in settings.origins)

    async def caller(self, request: Request) -> HttpCaller:
        """Who sent a request; traces of what they ask say so, by a hash.

        Raises
        ------
        HttpProblem
            As `_found`.
        """
        found = await self._found(request)
        if found.name:
            found.desk.asked_by = found.name
        return found

    async def _found(self, request: Request) -> HttpCaller:
        """Who sent a request.

        Raises
        ------
        HttpProblem
            401: the token is wrong, expired or missing. 403: it is that of another site, or a
            page of another site sent a cookie.
        """
        kind, _, secret = request.headers.get("authorization", "").partition(" ")
        if kind:
            found = None
            if kind.lower() == "bearer":
                found = await self._bearer(secret.strip(), request)
            if found is None:  # one reply for all: none tells which tokens there are
                raise HttpProblem(401, "the token is not valid, or has expired",
                                  "ask the desk's owner for another", _CHALLENGE)  # fmt: skip
            return found
        cookie = request.cookies.get(COOKIE, "")
        session = self.sign_ins.session(cookie) if cookie else None
        if session is not None:
            _check_writer(request)
            owner = session.audience is None
            desk = self.desk if owner else self.desk.as_caller(session.audience)
            rights = frozenset((*RIGHTS, SET_UP) if owner else ("ask",))
            name = "" if owner else f"person {session.name}"
            return HttpCaller(
                name, desk, 0, rights, signed_in=True, counted_as="owner" if owner else name
            )
        if not self._allow_visitors:
            raise HttpProblem(401, "a token is needed", "send Authorization: Bearer …, or sign in",
                              _CHALLENGE)  # fmt: skip
        return self._visitor(request)

    def _visitor(self, request: Request) -> HttpCaller:
        """Somebody without a token, known by a secret of theirs, or given one now."""
        secret = request.headers.get(VISITOR_HEADER, "")
        if not secret:
            secret = request.cookies.get(VISITOR_COOKIE, "")
            if secret:
                _check_writer(request)
        known = bool(_SECRET.fullmatch(secret))
        # A program would send a cookie back from nowhere: it brings a secret of its own.
        browses = request.url.path == root_of(request) or "origin" in request.headers
        if not known:
            secret = secrets.token_urlsafe(32)
        return HttpCaller(
            f"visitor {_short_hash(secret)}",
            self.desk.as_caller(PUBLIC),
            self._settings.visitors_per_minute,
            counted_as=VISITORS,
            address=_network_of(request),
            is_known=known or browses,
            new_secret=secret if browses and not known else "",
        )

    async def _bearer(self, secret: str, request: Request) -> HttpCaller | None:
        known = self._tokens.known(secret)
        if known is not None and not known.is_over():
            self._check_site(known, request)
            name = f"token {known.name}"
            found = HttpCaller(
                name,
                self.desk.as_caller(known.audience),
                known.per_minute,
                frozenset(known.rights),
                Decimal(known.per_day) if known.per_day else None,
                counted_as=name,
            )
            return _at_box(found, request) if known.sites else found
        if self._openid is not None and secret.count(".") == 2:
            if self._openid.lacks_key(secret):
                await to_thread.run_sync(self._openid.fetch_keys, secret, limiter=self._fetching)
            one = self._openid.identity(secret)
            if one is not None:
                return HttpCaller(one.name, self.desk.as_caller(one.audience), counted_as=one.name)
        return None

    def _check_site(self, token: AccessToken, request: Request) -> None:
        """Refuse the token of a box that a page of another site sends."""
        origin = request.headers.get("origin", "")
        if token.sites and origin and origin not in (*token.sites, own_origin(request)):
            raise HttpProblem(403, "this token is for other sites", "ask the desk's owner")

    def may_call(self, origin: str) -> bool:
        """Whether pages of a site may call at all: it is configured, or a box stands on it."""
        if origin in self._origins:
            return True
        return any(origin in one.sites for one in self._tokens.all() if not one.is_over())

    def need(self, caller: HttpCaller, right: str) -> None:
        """Refuse somebody who may not do something.

        Raises
        ------
        HttpProblem
            403: they may not.
        """
        if right not in caller.rights:
            raise HttpProblem(403, f"you may not {right}", "ask the desk's owner")

    def count_request(self, caller: HttpCaller) -> None:
        """Count a request, whatever it asks for; a page sends several beside each question.

        Raises
        ------
        HttpProblem
            429: there were too many in this minute.
        """
        name, questions = caller.counted_as, caller.per_minute
        if caller.address:
            name, questions = f"address {caller.address}", self._settings.address_per_minute
        if questions:
            self._requests.count(name, max(_LEAST_REQUESTS, questions * _BESIDE_A_QUESTION))

    def count(self, caller: HttpCaller) -> None:
        """Count a question.

        Raises
        ------
        HttpProblem
            403: they may not ask. 429: they have asked as often as they may, or spent as much.
        """
        self.need(caller, "ask")
        if caller.address:
            self._count(f"address {caller.address}", self._settings.address_per_minute)
        self._count(caller.counted_as, caller.per_minute)
        most = caller.per_day
        if most is not None and self._usage.spent_today(caller.counted_as) >= most:
            raise HttpProblem(429, f"{most} may be spent in a day, and it is spent",
                              "come back tomorrow (UTC)", {"retry-after": "3600"})  # fmt: skip

    def _count(self, name: str, per_minute: int) -> None:
        if not per_minute:
            return
        wait = round(self._usage.ask(name, per_minute) + 0.4)
        if wait:
            raise HttpProblem(429, f"{per_minute} questions a minute are allowed",
                              f"wait {wait} seconds", {"retry-after": str(wait)})  # fmt: skip

    def spent(self, caller: HttpCaller, cost: Money) -> None:
        """Add what an answer cost."""
        if caller.per_day is not None:
            self._usage.spend(caller.counted_as, cost)


def caller_of(request: Request) -> HttpCaller:
    """Who sent a request that came through the gate."""
    found: HttpCaller = request.scope[CALLER]
    return found


def root_of(request: Request) -> str:
    """The path that a desk is mounted at, ending in a slash: of its cookies, and its page."""
    return str(request.scope.get("root_path", "")).rstrip("/") + "/"


def own_path(scope: Scope) -> str:
    """The path of a request below the place that a desk is mounted at."""
    path, root = str(scope.get("path", "")), str(scope.get("root_path", ""))
    return path.removeprefix(root) if path.startswith(f"{root}/") else path


def own_origin(request: Request) -> str:
    """The origin of our own pages, as the caller reaches them."""
    return f"{request.url.scheme}://{request.headers.get('host', '')}"


def _check_writer(request: Request) -> None:
    """Refuse what writes by a cookie, unless a page of ours sent it.

    A browser sends cookies with whatever any page makes it send; the origin tells which page.
    """
    if request.method in _SAFE or request.headers.get("origin", "") == own_origin(request):
        return
    raise HttpProblem(403, "only the desk's own pages may write with a cookie",
                      f"programs send a token, or a secret of their own as {VISITOR_HEADER}; "
                      "behind a proxy, name it: serve.proxies")  # fmt: skip


def _at_box(found: HttpCaller, request: Request) -> HttpCaller:
    """Somebody at a box: all who use it come by one token, so each is known by a secret, too."""
    secret = request.headers.get(VISITOR_HEADER, "")
    known = bool(_SECRET.fullmatch(secret))
    name = f"{found.name} visitor {_short_hash(secret)}" if known else found.name
    return replace(found, name=name, address=_network_of(request), is_known=known)


def _short_hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()[:24]


def _network_of(request: Request) -> str:
    """The address that a stranger is counted by; of IPv6 the network that one customer has."""
    host = request.client.host if request.client else ""
    try:
        address = ipaddress.ip_address(host.partition("%")[0])
    except ValueError:
        return host or "unknown"
    if isinstance(address, ipaddress.IPv6Address):
        mapped = address.ipv4_mapped
        return str(mapped or ipaddress.IPv6Network((int(address) >> 64 << 64, 64)))
    return str(address)
