"""Speaking a text by a service: words out, sound back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...core import Cancel, ServiceError
from ...settings import ServiceSettings, without_password
from ..http import client_of, refusal
from .speech import spoken_form


def speak_by_service(
    service: ServiceSettings, text: str, language: str = "en", *, cancel: Cancel | None = None
) -> tuple[bytes, str]:
    """The sound of a text, and its media type.

    The profile's ``request`` is the body, JSON. In it ``{text}`` stands for the text and
    ``{language}`` for its language. What else it names, such as a voice, goes as it is.

    Parameters
    ----------
    service : ServiceSettings
    text : str
        As an answer has it; numbers of citations and markup are not spoken.
    language : str
        ISO 639-1.

    Raises
    ------
    ServiceError
        The service cannot be reached, refuses, or gives something else than sound.
    """
    values = {"{text}": spoken_form(text), "{language}": language}
    if "{text}" not in str(service.request):
        raise ServiceError(
            "the service's request has no {text}", without_password(service.address),
            'say how it takes a text: request = { text = "{text}", voice = "…" }',
        )  # fmt: skip
    with client_of(service, cancel) as client:
        reply = client.post(
            service.address, json=_filled(service.request, values), headers=service.headers
        )
    if reply.status != 200:
        raise refusal(reply)
    if not reply.kind.startswith("audio/"):
        raise ServiceError(
            f"the service gives {reply.kind or 'something'}, no sound",
            without_password(service.address),
            "see its profile",
        )
    return reply.body, reply.kind


def _filled(value: Any, values: Mapping[str, str]) -> Any:
    if isinstance(value, str):
        for name, text in values.items():
            value = value.replace(name, text)
        return value
    if isinstance(value, Mapping):
        return {key: _filled(inner, values) for key, inner in value.items()}
    return [_filled(inner, values) for inner in value] if isinstance(value, list) else value
