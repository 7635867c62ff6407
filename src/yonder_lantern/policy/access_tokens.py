"""Access tokens: who may come in over the network, as what audience, until when.

A token is shown once, when it is made; what is kept is its hash. Its name is whose conversations
it opens.
"""

from __future__ import annotations

import hashlib
import hmac
import re
import secrets
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

from ..core import Caller, CallError, Purge, StateError
from ..platform.storage import (
    FileLock,
    check_kept,
    note_kept,
    private_folder,
    replace_bytes,
    sealed,
    unsealed,
    write_bytes,
)

RIGHTS = ("ask", "leave notes", "add sources", "see traces")
_PREFIX = "yl_"
_SITE = re.compile(r"https?://[\w.-]+(?::\d+)?/?")
_FILE = "tokens.json"
_REMEDY = (
    "restore a backup; or delete the file and kept/tokens.json, and make new tokens with "
    "`yonder serve --new-token`"
)


@dataclass(frozen=True, slots=True)
class AccessToken:
    """What a token opens.

    Attributes
    ----------
    name : str
        Whose it is.
    audience : tuple of str
        The labels that its bearer has.
    made, expires : str
        In UTC; ``expires`` is empty for one that does not.
    per_minute : int
        Questions a minute; 0 is without limit.
    hash : str
        Of the token itself.
    rights : tuple of str
        Of `RIGHTS`.
    per_day : str
        What its bearer's answers may cost in a day, in the currency of the model; empty is without
        limit.
    sites : tuple of str
        The web sites whose pages may send it; with any, it is the token of a box: no secret.
    """

    name: str
    audience: tuple[str, ...]
    made: str
    expires: str
    per_minute: int
    hash: str
    rights: tuple[str, ...] = ("ask",)
    per_day: str = ""
    sites: tuple[str, ...] = ()

    @property
    def caller(self) -> Caller:
        """Its bearer."""
        return Caller(labels=frozenset(self.audience))

    def is_over(self, now: datetime | None = None) -> bool:
        """Whether it has expired."""
        now = now or datetime.now(UTC)
        return bool(self.expires) and datetime.fromisoformat(self.expires) <= now


class AccessTokens:
    """The tokens of a desk.

    Parameters
    ----------
    folder : Path
        Where their hashes are kept.
    """

    def __init__(self, folder: Path) -> None:
        self._path = folder / _FILE

    def all(self) -> list[AccessToken]:
        """Every token, by name.

        Raises
        ------
        StateError
            The file is damaged.
        """
        if not self._path.exists():
            check_kept(self._path, "access tokens")
            return []
        try:
            kept = unsealed(self._path.read_bytes())["tokens"]
            found = [AccessToken(**{**one, **_tuples(one)}) for one in kept]
        except (ValueError, KeyError, TypeError) as error:
            raise StateError(
                f"the access tokens are damaged: {error}", str(self._path), _REMEDY
            ) from None
        return sorted(found, key=lambda one: one.name)

    def make(
        self,
        name: str,
        audience: Sequence[str] = ("public",),
        *,
        days: float | None = None,
        per_minute: int = 60,
        rights: Sequence[str] = ("ask",),
        per_day: str = "",
        sites: Sequence[str] = (),
        replace: bool = False,
    ) -> str:
        """Make a token and return it: it is not kept, and never shown again.

        Parameters
        ----------
        name : str
            Whose it is.
        audience : sequence of str
        days : float, optional
            Until it expires; it does not without.
        per_minute : int, default 60
            Questions a minute.
        rights : sequence of str, default ("ask",)
            Of `RIGHTS`.
        per_day : str
            What its bearer's answers may cost in a day.
        sites : sequence of str
            Web sites with a box: ``https://example.org``. Such a token is for the public alone.
        replace : bool
            Whether it takes the place of one of the same name, which then opens nothing.

        Raises
        ------
        CallError
            There is one of that name. The name or the audience is empty, a number is negative, a
            right is unknown, or a box would see more than the public.
        """
        if not name.strip() or not audience:
            raise CallError("a token needs a name and an audience", "--new-token", "give both")
        if per_minute < 0 or (days is not None and days <= 0):
            raise CallError("a token's limits are positive", "--days, --per-minute", "raise them")
        _check(audience, rights, per_day, sites, per_minute)
        token = _PREFIX + secrets.token_urlsafe(32)
        now = datetime.now(UTC)
        expires = (now + timedelta(days=days)).isoformat(timespec="seconds") if days else ""
        made = AccessToken(
            name.strip(),
            tuple(sorted(audience)),
            now.isoformat(timespec="seconds"),
            expires,
            per_minute,
            hashed(token),
            tuple(sorted(set(rights))),
            per_day,
            tuple(one.rstrip("/") for one in sites),
        )
        with self._changing() as kept:
            if not replace and any(one.name == made.name for one in kept):
                raise CallError(
                    f"there is a token {made.name!r} already", "--new-token",
                    "choose another name, or make the old one worthless with --replace",
                )  # fmt: skip
            self._keep([*(one for one in kept if one.name != made.name), made])
        return token

    def revoke(self, name: str) -> None:
        """Make a token worthless.

        Raises
        ------
        CallError
            There is none of that name.
        """
        with self._changing() as kept:
            left = [one for one in kept if one.name != name]
            if len(left) == len(kept):
                raise CallError(
                    f"there is no token {name!r}", "--revoke", "see yonder serve --tokens"
                )
            self._keep(left)

    def known(self, token: str) -> AccessToken | None:
        """What a token opens; None for one that is unknown. An expired one is returned.

        Every kept hash is compared, whichever fits: the time tells nothing.
        """
        given = hashed(token)
        found = None
        for one in self.all():
            if hmac.compare_digest(one.hash, given):
                found = one
        return found

    @contextmanager
    def _changing(self) -> Iterator[list[AccessToken]]:
        """The tokens while nobody else changes them."""
        private_folder(self._path.parent)
        lock = FileLock(self._path.with_suffix(".lock"), shared=False)
        lock.take(wait=True)
        try:
            yield self.all()
        finally:
            lock.release()

    name = "tokens"

    def purge(self, purge: Purge) -> int:
        """Remove a person's tokens."""
        with self._changing() as kept:
            left = [one for one in kept if not purge.is_of(one.name)]
            if len(left) < len(kept):
                self._keep(left)
        return len(kept) - len(left)

    def expire(self, before: datetime) -> int:
        """Remove tokens that expired before a moment."""
        with self._changing() as kept:
            left = [one for one in kept if not one.is_over(before)]
            if len(left) < len(kept):
                self._keep(left)
        return len(kept) - len(left)

    def copy_to(self, folder: Path) -> None:
        """Copy the hashes."""
        if self._path.exists():
            private_folder(folder / "access")
            write_bytes(folder / "access" / _FILE, self._path.read_bytes())

    def _keep(self, tokens: Sequence[AccessToken]) -> None:
        note_kept(self._path)
        replace_bytes(self._path, sealed({"tokens": [asdict(one) for one in tokens]}, indent=1))


def hashed(token: str) -> str:
    """What is kept of a secret. Ours are long and random: one round of a hash is enough."""
    return hashlib.sha256(token.encode("utf-8", "surrogatepass")).hexdigest()


def _tuples(kept: dict[str, Any]) -> dict[str, tuple[str, ...]]:
    """The lists of a kept token as tuples."""
    return {key: tuple(value) for key, value in kept.items() if isinstance(value, list)}


def _check(
    audience: Sequence[str],
    rights: Sequence[str],
    per_day: str,
    sites: Sequence[str],
    per_minute: int,
) -> None:
    """Refuse what a token cannot be.

    Raises
    ------
    CallError
    """
    for right in rights:
        if right not in RIGHTS:
            raise CallError(f"there are no rights to {right!r}", "--right", ", ".join(RIGHTS))
    try:
        if per_day and Decimal(per_day) < 0:
            raise InvalidOperation
    except InvalidOperation:
        raise CallError(f"not an amount: {per_day!r}", "--per-day", "write it as 0.50") from None
    for site in sites:
        if not _SITE.fullmatch(site):
            raise CallError(f"not a web site: {site!r}", "--site", "write it as https://host")
    if sites and (set(audience) != {"public"} or tuple(rights) != ("ask",) or not per_minute):
        raise CallError(
            "a box's token is no secret: it is for the public, to ask, with a limit",
            "--site",
            "leave --audience and --right out, and keep --per-minute",
        )
