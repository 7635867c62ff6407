"""Who asks: the bearer of a token, or the public; and how often they may."""

from __future__ import annotations

import threading
import time
from collections import deque
from dataclasses import dataclass

from starlette.requests import Request

from ...desk import Desk
from ...policy import AccessTokens
from .problems import HttpProblem

PUBLIC = ("public",)
_MINUTE = 60.0
_CHALLENGE = {"www-authenticate": 'Bearer realm="yonder"'}


@dataclass(frozen=True, slots=True)
class Visitor:
    """Who asks.

    ``desk`` is the desk as they see it; ``name`` is whose conversations they open.
    """

    name: str
    desk: Desk
    per_minute: int


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
        self._tokens = AccessTokens(desk.state / "access")
        self._open = open_to_public
        self._asked: dict[str, deque[float]] = {}
        self._lock = threading.Lock()

    def visitor(self, request: Request) -> Visitor:
        """Who sent a request.

        Raises
        ------
        HttpProblem
            401: the token is wrong, expired or missing.
        """
        kind, _, token = request.headers.get("authorization", "").partition(" ")
        if not kind:
            if not self._open:
                raise HttpProblem(401, "a token is needed", "send Authorization: Bearer …",
                                  _CHALLENGE)  # fmt: skip
            return Visitor("public", self.desk.as_caller(PUBLIC), 0)
        known = self._tokens.known(token.strip()) if kind.lower() == "bearer" else None
        if known is None or known.is_over():  # one reply for all: none tells which tokens there are
            raise HttpProblem(401, "the token is not valid, or has expired",
                              "ask the desk's owner for another", _CHALLENGE)  # fmt: skip
        labels = known.audience
        return Visitor(f"token {known.name}", self.desk.as_caller(labels), known.per_minute)

    def count(self, visitor: Visitor) -> None:
        """Count a question.

        Raises
        ------
        HttpProblem
            429: they have asked as often as they may.
        """
        if not visitor.per_minute:
            return
        now = time.monotonic()
        with self._lock:
            asked = self._asked.setdefault(visitor.name, deque())
            while asked and asked[0] <= now - _MINUTE:
                asked.popleft()
            if len(asked) >= visitor.per_minute:
                wait = max(1, round(asked[0] + _MINUTE - now))
                raise HttpProblem(429, f"{visitor.per_minute} questions a minute are allowed",
                                  f"wait {wait} seconds", {"retry-after": str(wait)})  # fmt: skip
            asked.append(now)
