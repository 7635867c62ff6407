"""A simulated messenger: it sends a message as the real ones do, and hears the answer."""

from __future__ import annotations

import json
import secrets
from typing import Any
from urllib.parse import urlsplit

from ...platform.http import Client, refusal
from ...policy import signed

_SENDER = "+100 simulated"


def send_message(address: str, secret: str, text: str) -> dict[str, Any]:
    """Send a signed message; what comes back.

    Raises
    ------
    ServiceError
        The desk cannot be reached, or refuses it.
    """
    body = json.dumps({"text": text, "sender": _SENDER}).encode()
    headers = signed(secret, f"msg_{secrets.token_hex(8)}", body)
    host = urlsplit(address).netloc
    with Client(private_hosts=(host, host.partition(":")[0]), timeout=60.0) as client:
        reply = client.post(address, content=body, headers=headers)
    if reply.status != 200:
        raise refusal(reply)
    found: dict[str, Any] = json.loads(reply.body)
    return found
