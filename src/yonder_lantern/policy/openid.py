"""Callers who signed in elsewhere: what a signed token of an issuer says of them.

References
----------
OpenID Connect Core 1.0; RFC 7519 (JSON Web Token); RFC 7517 (JSON Web Key).
"""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core import ServiceError, SettingsError, optional
from ..platform.http import Client
from ..settings import OpenIdSettings

_ALGORITHMS = ("RS256", "RS384", "RS512", "ES256", "ES384", "ES512", "PS256", "EdDSA")
_KEPT = 3600.0  # seconds that fetched keys are used
_AGAIN = 60.0  # seconds before they are fetched again for a key that is not among them
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
        self._fetched = float("-inf")
        self._guard = threading.Lock()

    def identity(self, token: str) -> Identity | None:
        """Who a token speaks of; None for one that is not valid now, or not for this desk."""
        try:
            key = self._key(str(self._jwt.get_unverified_header(token).get("kid", "")))
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

    def _key(self, id_: str) -> Any:
        """The public key of an id; the only one there is, where a token names none."""
        with self._guard:
            age = time.monotonic() - self._fetched
            if age > _KEPT or (id_ not in self._keys and age > _AGAIN):
                self._keys = self._read()
                self._fetched = time.monotonic()
            if not id_ and len(self._keys) == 1:
                return next(iter(self._keys.values()))
            return self._keys.get(id_)

    def _read(self) -> dict[str, Any]:
        place = self._settings.keys
        try:
            if place.startswith("https://"):
                with Client(timeout=10.0, total=20.0, most_bytes=1_000_000) as client:
                    reply = client.get(place)
                if reply.status != 200:
                    raise ServiceError(f"the keys cannot be had: status {reply.status}", place)
                text = reply.body.decode("utf-8")
            else:
                text = (self._folder / place).read_text(encoding="utf-8")
            kept = self._jwt.PyJWKSet(json.loads(text)["keys"]).keys
            return {one.key_id or "": one.key for one in kept}
        except (OSError, ValueError, KeyError, TypeError, self._jwt.PyJWTError) as error:
            raise SettingsError(
                f"the issuer's keys cannot be read: {error}", "serve.openid.keys", "fix it"
            ) from None
