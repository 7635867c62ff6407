"""Sending a file to a service as a form, and taking its reply as JSON."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from ...core import Cancel, ServiceError
from ...settings import ServiceSettings, without_password
from .client import client_of


def sent_file(
    service: ServiceSettings,
    data: bytes,
    file_name: str,
    fields: Mapping[str, str],
    *,
    cancel: Cancel | None = None,
) -> Any:
    """Send a file with the fields of a form; the reply, None where it is no JSON.

    Raises
    ------
    ServiceError
        The service cannot be reached, or refuses.
    """
    with client_of(service, cancel, holders=[service.fields]) as client:
        reply = client.post(
            service.address,
            data=dict(fields),
            files={service.file_field: (file_name, data, "application/octet-stream")},
            headers=service.headers,
        )
    if reply.status != 200:
        said = reply.body[:200].decode("utf-8", "replace")
        raise ServiceError(
            f"the service answers with status {reply.status}: {said}",
            without_password(service.address),
            "see its profile in the settings, and whether it is up",
        )
    try:
        return json.loads(reply.body)
    except (ValueError, RecursionError):
        return None
