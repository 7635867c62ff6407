"""Signatures of messages between programs that share a secret.

References
----------
Standard Webhooks, version 1: the headers ``webhook-id``, ``webhook-timestamp`` and
``webhook-signature``. RFC 2104, HMAC.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import time
from collections.abc import Mapping

_OLDEST = 300  # seconds between the clocks of both sides, or of a message on its way
_SCHEME = "v1,"


def signed(secret: str, id_: str, body: bytes, at: int | None = None) -> dict[str, str]:
    """The headers that a message goes with.

    Parameters
    ----------
    secret : str
    id_ : str
        Of the message: the same again is the same message.
    body : bytes
    at : int, optional
        Seconds since 1970; now by default.

    Examples
    --------
    >>> headers = signed("shared", "m1", b"{}")
    >>> is_signed("shared", headers, b"{}"), is_signed("shared", headers, b"{ }")
    (True, False)
    """
    moment = str(int(time.time()) if at is None else at)
    return {
        "webhook-id": id_,
        "webhook-timestamp": moment,
        "webhook-signature": _SCHEME + _signature(secret, id_, moment, body),
    }


def is_signed(secret: str, headers: Mapping[str, str], body: bytes) -> bool:
    """Whether a message comes from somebody who has the secret, and came just now."""
    id_, moment = headers.get("webhook-id", ""), headers.get("webhook-timestamp", "")
    if not id_ or not (moment.isascii() and moment.isdecimal() and len(moment) < 16):
        return False
    if not is_secret(secret):
        return False
    wanted = _SCHEME + _signature(secret, id_, moment, body)
    given = headers.get("webhook-signature", "").split()
    fits = [hmac.compare_digest(one.encode(), wanted.encode()) for one in given[:10]]
    return any(fits) and abs(time.time() - int(moment)) <= _OLDEST


def is_secret(secret: str) -> bool:
    """Whether something can be signed with it: it is not empty, and valid Base64 if it must be.

    Examples
    --------
    >>> is_secret("between us"), is_secret("whsec_x")
    (True, False)
    """
    try:
        return bool(secret) and bool(_key_of(secret))
    except ValueError:
        return False


def _key_of(secret: str) -> bytes:
    if secret.startswith("whsec_"):  # how the standard writes keys that are bytes
        return base64.b64decode(secret.removeprefix("whsec_"), validate=True)
    return secret.encode()


def _signature(secret: str, id_: str, moment: str, body: bytes) -> str:
    key = _key_of(secret)
    told = f"{id_}.{moment}.".encode() + body
    return base64.b64encode(hmac.new(key, told, hashlib.sha256).digest()).decode()
