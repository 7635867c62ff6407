"""Asking a service what an image shows."""

from __future__ import annotations

from ...core import Cancel, ServiceError
from ...settings import ServiceSettings, revealed, without_password
from ..http import sent_file
from .json_pointer import pointed


def describe(
    service: ServiceSettings, image: bytes, file_name: str, *, cancel: Cancel | None = None
) -> str:
    """Send an image to a service; what it says is to be seen.

    The image is sent as a file of a form, with the fields of the profile; ``words`` leads
    to the description in the reply.

    Raises
    ------
    ServiceError
        The service cannot be reached, refuses, or gives something else.
    """
    for name in ("file_field", "words"):
        if not getattr(service, name):
            raise ServiceError(
                f"the service's profile has no {name!r}",
                without_password(service.address),
                "say there how it takes an image and where its reply describes it; see "
                "docs/howto/formats.md",
            )
    fields = {name: revealed(value) for name, value in service.fields.items()}
    words = pointed(sent_file(service, image, file_name, fields, cancel=cancel), service.words)
    if not isinstance(words, str):
        raise ServiceError(
            f"the service's reply has no text at {service.words}",
            without_password(service.address),
            "fix `words` in its profile",
        )
    return " ".join(words.split())
