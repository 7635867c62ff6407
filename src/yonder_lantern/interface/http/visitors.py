"""Who asks: the owner, the bearer of a token, somebody who signed in, or the public."""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import Decimal

from starlette.requests import Request

from ...core import Money
from ...desk import Desk
from ...policy import RIGHTS, AccessToken, AccessTokens, OpenId, SignIns, Usage
from .problems import HttpProblem

PUBLIC = ("public",)
SET_UP = "set up"  # the owner alone may
COOKIE = "yonder"
_ANYONE = "public"
_CHALLENGE = {"www-authenticate": 'Bearer realm="yonder"'}


@dataclass(frozen=True, slots=True)
class Visitor:
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
    is_box : bool
        Whether it is the box of a web site: many people by one token.
    """

    name: str
    desk: Desk = field(repr=False)
    per_minute: int = 0
    rights: frozenset[str] = frozenset(("ask",))
    per_day: Decimal | None = None
    signed_in: bool = False
    is_box: bool = False

    @property
    def counted_as(self) -> str:
        """The name that their questions are counted under."""
        return self.name or "owner"


class Doorman:
    """Tells who asks, and keeps count of how often.

    Parameters
    ----------
    desk : Desk
    open_to_public : bool
        Whether those without a token come in, as the public.
    """

    def __init__(self, desk: Desk, *, open_to_public: bool) -> None:
        self.desk = desk
        folder = desk.state / "access"
        self.sign_ins = SignIns(folder)
        self._tokens = AccessTokens(folder)
        self._usage = Usage(folder)
        self._open = open_to_public
        settings = desk.settings.serve
        self._public_per_minute = settings.public_per_minute
        labels = {label for source in desk.settings.source for label in source.audience}
        self._openid = OpenId(settings.openid, desk.folder, labels) if settings.openid else None
        self._origins = frozenset(one.rstrip("/") for one in settings.origins)

    def visitor(self, request: Request) -> Visitor:
        """Who sent a request.

        Raises
        ------
        HttpProblem
            401: the token is wrong, expired or missing. 403: it is that of another site.
        """
        kind, _, secret = request.headers.get("authorization", "").partition(" ")
        if kind:
            found = self._bearer(secret.strip(), request) if kind.lower() == "bearer" else None
            if found is None:  # one reply for all: none tells which tokens there are
                raise HttpProblem(401, "the token is not valid, or has expired",
                                  "ask the desk's owner for another", _CHALLENGE)  # fmt: skip
            return found
        cookie = request.cookies.get(COOKIE, "")
        session = self.sign_ins.session(cookie) if cookie else None
        if session is not None:
            owner = session.audience is None
            desk = self.desk if owner else self.desk.as_caller(session.audience)
            rights = frozenset((*RIGHTS, SET_UP) if owner else ("ask",))
            name = "" if owner else f"person {session.name}"
            return Visitor(name, desk, 0, rights, signed_in=True)
        if not self._open:
            raise HttpProblem(401, "a token is needed", "send Authorization: Bearer …, or sign in",
                              _CHALLENGE)  # fmt: skip
        return Visitor(_ANYONE, self.desk.as_caller(PUBLIC), self._public_per_minute)

    def _bearer(self, secret: str, request: Request) -> Visitor | None:
        known = self._tokens.known(secret)
        if known is not None and not known.is_over():
            self._check_site(known, request)
            return Visitor(
                f"token {known.name}",
                self.desk.as_caller(known.audience),
                known.per_minute,
                frozenset(known.rights),
                Decimal(known.per_day) if known.per_day else None,
                is_box=bool(known.sites),
            )
        if self._openid is not None and secret.count(".") == 2:
            one = self._openid.identity(secret)
            if one is not None:
                return Visitor(one.name, self.desk.as_caller(one.audience))
        return None

    def _check_site(self, token: AccessToken, request: Request) -> None:
        """Refuse the token of a box that a page of another site sends."""
        origin = request.headers.get("origin", "")
        own = f"{request.url.scheme}://{request.headers.get('host', '')}"
        if token.sites and origin and origin not in (*token.sites, own):
            raise HttpProblem(403, "this token is for other sites", "ask the desk's owner")

    def may_call(self, origin: str) -> bool:
        """Whether pages of a site may call at all: it is configured, or a box stands on it."""
        if origin in self._origins:
            return True
        return any(origin in one.sites for one in self._tokens.all() if not one.is_over())

    def need(self, visitor: Visitor, right: str) -> None:
        """Refuse somebody who may not do something.

        Raises
        ------
        HttpProblem
            403: they may not.
        """
        if right not in visitor.rights:
            raise HttpProblem(403, f"you may not {right}", "ask the desk's owner")

    def count(self, visitor: Visitor) -> None:
        """Count a question.

        Raises
        ------
        HttpProblem
            403: they may not ask. 429: they have asked as often as they may, or spent as much.
        """
        self.need(visitor, "ask")
        if visitor.per_minute:
            wait = round(self._usage.ask(visitor.counted_as, visitor.per_minute) + 0.4)
            if wait:
                raise HttpProblem(429, f"{visitor.per_minute} questions a minute are allowed",
                                  f"wait {wait} seconds", {"retry-after": str(wait)})  # fmt: skip
        most = visitor.per_day
        if most is not None and self._usage.spent_today(visitor.counted_as) >= most:
            raise HttpProblem(429, f"{most} may be spent in a day, and it is spent",
                              "come back tomorrow (UTC)", {"retry-after": "3600"})  # fmt: skip

    def spent(self, visitor: Visitor, cost: Money) -> None:
        """Add what an answer cost."""
        if visitor.per_day is not None:
            self._usage.spend(visitor.counted_as, cost)
