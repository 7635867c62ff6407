"""Callers who signed in elsewhere: what a signed token of an issuer says of them.

References
----------
OpenID Connect Core 1.0; RFC 7519 (JSON Web Token); RFC 7517 (JSON Web Key).
"""

from __future__ import annotations

import json
import logging
import threading
import time
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core import ServiceError, SettingsError, optional
from ..platform.http import Client
from ..settings import OpenIdSettings

_LOG = logging.getLogger("yonder_lantern.policy")
_ALGORITHMS = ("RS256", "RS384", "RS512", "ES256", "ES384", "ES512", "PS256", "EdDSA")
_KEPT = 3600.0  # seconds that fetched keys are used
_AGAIN = 60.0  # seconds before they are fetched again for a key that is not among them
_FIRST_WAIT = 15.0  # seconds, doubled with each attempt that fails
_LONGEST_WAIT = 600.0
_LEEWAY = 30  # seconds that clocks may differ


@dataclass(frozen=True, slots=True)
class Identity:
    """Who a token speaks of: the subject's own name for them, and their labels."""

    name: str
    audience: tuple[str, ...]


class OpenId:
    """Checks tokens of one issuer.

    Parameters
    ----------
    settings : OpenIdSettings
    folder : Path
        The desk's, that a file of keys is beneath.
    labels : collection of str
        The audiences that there are.

    Raises
    ------
    MissingExtraError
        PyJWT is not installed.
    """

    def __init__(self, settings: OpenIdSettings, folder: Path, labels: Collection[str]) -> None:
        self._jwt = optional("jwt", "serve", "signing in by OpenID Connect")
        self._settings = settings
        self._folder = folder
        self._labels = frozenset(labels)
        self._keys: dict[str, Any] = {}
        self._fetched = self._due = float("-inf")
        self._failed = 0  # attempts to fetch them, one after the other
        self._guard = threading.Lock()

    def lacks_key(self, token: str) -> bool:
        """Whether the keys should be fetched before it can be told who a token speaks of.

        Not within some time of the last attempt, which is longer after each that failed: whoever
        sends tokens of keys that do not exist makes nobody wait.
        """
        try:
            id_ = self._key_id(token)
        except self._jwt.PyJWTError:
            return False
        now = time.monotonic()
        stale = now - self._fetched > _KEPT
        return (stale or self._known(id_) is None) and now >= self._due

    def fetch_keys(self, token: str) -> None:
        """Fetch the issuer's keys, unless a token needs none by now; this can take some time.

        Where they cannot be had, those that are known stay.
        """
        with self._guard:
            if not self.lacks_key(token):
                return
            try:
                self._keys = self._read()
            except (ServiceError, SettingsError) as error:
                self._failed += 1
                wait = min(_LONGEST_WAIT, _FIRST_WAIT * 2.0**self._failed)
                _LOG.warning("%s; tried again in %g s at the earliest", error, wait)
            else:
                self._failed, wait = 0, _AGAIN
                self._fetched = time.monotonic()
            self._due = time.monotonic() + wait

    def identity(self, token: str) -> Identity | None:
        """Who a token speaks of; None for one that is not valid now, or not for this desk.

        By the keys that were fetched: this never waits.
        """
        try:
            key = self._known(self._key_id(token))
            if key is None:
                return None
            claims = self._jwt.decode(
                token,
                key,
                algorithms=list(_ALGORITHMS),
                audience=self._settings.client,
                issuer=self._settings.issuer,
                leeway=_LEEWAY,
                options={"require": ["exp", "sub", "iss", "aud"]},
            )
        except self._jwt.PyJWTError:
            return None
        given = claims.get(self._settings.labels, [])
        given = [given] if isinstance(given, str) else given
        known = {one for one in given if isinstance(one, str)} if isinstance(given, list) else set()
        labels = (known & self._labels) | set(self._settings.audience)
        return Identity(f"{self._settings.issuer} {claims['sub']}", tuple(sorted(labels)))

    def _key_id(self, token: str) -> str:
        return str(self._jwt.get_unverified_header(token).get("kid", ""))

    def _known(self, id_: str) -> Any:
        """The public key of an id; the only one there is, where a token names none."""
        keys = self._keys
        if not id_ and len(keys) == 1:
            return next(iter(keys.values()))
        return keys.get(id_)

    def _read(self) -> dict[str, Any]:
        place = self._settings.keys
        try:
            if place.startswith("https://"):
                with Client(timeout=10.0, total=20.0, most_bytes=1_000_000) as client:
                    reply = client.get(place)
                if reply.status != 200:
                    raise ServiceError(
                        f"could not fetch signing keys: HTTP status {reply.status}", place
                    )
                text = reply.body.decode("utf-8")
            else:
                text = (self._folder / place).read_text(encoding="utf-8")
            kept = self._jwt.PyJWKSet(json.loads(text)["keys"]).keys
            return {one.key_id or "": one.key for one in kept}
        except (OSError, ValueError, KeyError, TypeError, self._jwt.PyJWTError) as error:
            raise SettingsError(
                f"the issuer's keys cannot be read: {error}", "serve.openid.keys", "fix it"
            ) from None
