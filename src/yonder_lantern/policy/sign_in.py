"""Links that sign a person in, and the sessions that they begin.

A link works once, for minutes; a session is a cookie, for hours. Only their hashes are kept.
"""

from __future__ import annotations

import hmac
import secrets
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from ..core import CallError, Purge, StateError
from ..platform.storage import FileLock, private_folder, replace_bytes, sealed, unsealed
from .access_tokens import hashed

_FILE = "sessions.json"
_REMEDY = "remove the file; everybody signs in again"
SESSION_HOURS = 12.0


@dataclass(frozen=True, slots=True)
class Session:
    """Somebody who signed in, or may by a link.

    ``audience`` is None for the desk's owner. ``link`` says that it is a link, not yet used.
    """

    name: str
    audience: tuple[str, ...] | None
    expires: str
    link: bool
    hash: str

    def is_over(self) -> bool:
        """Whether it has expired."""
        return datetime.fromisoformat(self.expires) <= datetime.now(UTC)


class SignIns:
    """The links and sessions of a desk.

    Parameters
    ----------
    folder : Path
        Where they are kept.
    """

    def __init__(self, folder: Path) -> None:
        self._path = folder / _FILE

    def make_link(
        self, name: str, audience: Sequence[str] | None = ("public",), *, minutes: float = 30
    ) -> str:
        """The secret part of a link that signs somebody in once.

        Parameters
        ----------
        name : str
            Who it is; conversations are theirs.
        audience : sequence of str or None
            What they see; None for the desk's owner, who may do everything.
        minutes : float, default 30
            Until it expires.

        Raises
        ------
        CallError
            The name or the audience is empty, or the time is not positive.
        """
        if not name.strip() or (audience is not None and not audience) or minutes <= 0:
            raise CallError(
                "a link needs a name, an audience and a time", "--sign-in", "give all three"
            )
        return self._add(name.strip(), audience, timedelta(minutes=minutes), link=True)

    def link(self, code: str) -> Session | None:
        """Whom the secret of a link would sign in; None if it is used up, or has expired."""
        return _of(self._all(), code, link=True)

    def redeem(self, code: str) -> str | None:
        """The secret of a session, for that of a link, which is then used up; None if it is not."""
        with self._changing() as kept:
            link = _of(kept, code, link=True)
            if link is None:
                return None
            left = [one for one in kept if one is not link]
            secret, session = _made(
                link.name, link.audience, timedelta(hours=SESSION_HOURS), link=False
            )
            self._keep([*left, session])
        return secret

    def session(self, secret: str) -> Session | None:
        """Who a session is; None if there is none, or it has expired."""
        return _of(self._all(), secret, link=False)

    def end(self, secret: str) -> None:
        """Sign out."""
        with self._changing() as kept:
            given = hashed(secret)
            self._keep([one for one in kept if not hmac.compare_digest(one.hash, given)])

    name = "sessions"

    def purge(self, purge: Purge) -> int:
        """End a person's sessions, and make their links worthless."""
        with self._changing() as kept:
            left = [one for one in kept if not purge.is_of(one.name)]
            if len(left) < len(kept):
                self._keep(left)
        return len(kept) - len(left)

    def expire(self, before: datetime) -> int:  # noqa: ARG002
        """Forget what has expired by itself."""
        over = len(self._read()) - len(self._all())
        if over:
            with self._changing() as kept:
                self._keep(kept)
        return over

    def copy_to(self, folder: Path) -> None:
        """Nothing: people sign in again."""

    def _add(
        self, name: str, audience: Sequence[str] | None, lasts: timedelta, *, link: bool
    ) -> str:
        secret, session = _made(name, audience, lasts, link=link)
        with self._changing() as kept:
            self._keep([*kept, session])
        return secret

    @contextmanager
    def _changing(self) -> Iterator[list[Session]]:
        """The sessions while nobody else changes them."""
        private_folder(self._path.parent)
        lock = FileLock(self._path.parent / "sessions.lock", shared=False)
        lock.take(wait=True)
        try:
            yield self._all()
        finally:
            lock.release()

    def _all(self) -> list[Session]:
        return [one for one in self._read() if not one.is_over()]

    def _read(self) -> list[Session]:
        if not self._path.exists():
            return []
        try:
            kept = unsealed(self._path.read_bytes())["sessions"]
            return [
                Session(**{**one, "audience": one["audience"] and tuple(one["audience"])})
                for one in kept
            ]
        except (ValueError, KeyError, TypeError) as error:
            where = str(self._path)
            raise StateError(f"the sessions are damaged: {error}", where, _REMEDY) from None

    def _keep(self, sessions: Sequence[Session]) -> None:
        replace_bytes(self._path, sealed({"sessions": [asdict(one) for one in sessions]}, indent=1))


def _made(
    name: str, audience: Sequence[str] | None, lasts: timedelta, *, link: bool
) -> tuple[str, Session]:
    secret = secrets.token_urlsafe(32)
    expires = (datetime.now(UTC) + lasts).isoformat(timespec="seconds")
    labels = None if audience is None else tuple(sorted(audience))
    return secret, Session(name, labels, expires, link, hashed(secret))


def _of(sessions: Sequence[Session], secret: str, *, link: bool) -> Session | None:
    """The one of a secret; every hash is compared, whichever fits."""
    given = hashed(secret)
    found = None
    for one in sessions:
        if hmac.compare_digest(one.hash, given) and one.link is link:
            found = one
    return found
