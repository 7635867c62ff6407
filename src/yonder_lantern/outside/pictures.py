"""Asking a service what a picture shows."""

from __future__ import annotations

import json

from ..records import Cancel, OutsideError
from ..settings import OutsideSettings
from .client import Client
from .pointer import pointed


def describe(
    service: OutsideSettings, picture: bytes, file_name: str, *, cancel: Cancel | None = None
) -> str:
    """Send a picture to a service; what it says is to be seen.

    The picture is sent as a file of a form, with the fields of the profile; ``words`` leads
    to the description in the reply.

    Raises
    ------
    OutsideError
        The service cannot be reached, refuses, or gives something else.
    """
    host = service.address.partition("://")[2].partition("/")[0]
    with Client(
        private_hosts=(host, host.partition(":")[0]),  # the profile names it
        seconds=service.seconds,
        tries=service.tries,
        cancel=cancel,
    ) as client:
        reply = client.post(
            service.address,
            data=dict(service.fields),
            files={service.file_field: (file_name, picture, "application/octet-stream")},
            headers=service.headers,
        )
    if reply.status != 200:
        said = reply.body[:200].decode("utf-8", "replace")
        raise OutsideError(
            f"the service answers with status {reply.status}: {said}",
            service.address,
            "see its profile in the settings, and whether it is up",
        )
    try:
        words = pointed(json.loads(reply.body), service.words)
    except ValueError:
        words = None
    if not isinstance(words, str):
        raise OutsideError(
            f"the service's reply has no text at {service.words}",
            service.address,
            "mend `words` in its profile",
        )
    return " ".join(words.split())
