"""Asking a service what is said on a recording."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...core import Cancel, ServiceError
from ...settings import ServiceSettings, revealed, without_password
from ..http import sent_file
from .json_pointer import pointed

WORDS = "{words}"  # in a field of the request: the list of likely words


@dataclass(frozen=True, slots=True)
class Segment:
    """What is said between two times, in seconds."""

    begin: float
    end: float
    words: str
    speaker: str = ""


def transcribe(
    service: ServiceSettings,
    audio: bytes,
    file_name: str,
    *,
    likely_words: Sequence[str] = (),
    cancel: Cancel | None = None,
) -> list[Segment]:
    """Send a recording to a service; what is said on it, in order.

    The recording is sent as a file of a form, with the fields of the profile; in
    these, ``{words}`` stands for the likely words.

    Raises
    ------
    ServiceError
        The service cannot be reached, refuses, or gives something else.
    """
    for name in ("file_field", "begin", "end", "words"):
        if not getattr(service, name):
            raise ServiceError(
                f"the service's profile has no {name!r}",
                without_password(service.address),
                "say there how it takes a recording and where its reply says what; see "
                "docs/howto/sources.md",
            )
    fields = {
        name: revealed(value).replace(WORDS, ", ".join(likely_words))
        for name, value in service.fields.items()
    }
    results = pointed(sent_file(service, audio, file_name, fields, cancel=cancel), service.results)
    if not isinstance(results, list):
        raise ServiceError(
            f"the service's reply has no list at {service.results or 'its top'}",
            without_password(service.address),
            "fix `results` in its profile",
        )
    return [_segment(one, service) for one in results]


def _segment(result: object, service: ServiceSettings) -> Segment:
    begin, end = pointed(result, service.begin), pointed(result, service.end)
    words = pointed(result, service.words)
    if not isinstance(begin, int | float) or not isinstance(end, int | float) or words is None:
        raise ServiceError(
            "a result of the service lacks its times or words",
            without_password(service.address),
            "fix `begin`, `end` and `words` in its profile",
        )
    speaker = pointed(result, service.speaker) if service.speaker else ""
    return Segment(float(begin), float(end), str(words), str(speaker or ""))
