"""The fields that the exchange of messages and the plain exchange have in common."""

from __future__ import annotations

from typing import Any

from ....settings import ModelProfile
from ..json_pointer import pointed
from .exchange import Part, counted, text_of

END = "[DONE]"
_CUT = "length"


def common_fields(profile: ModelProfile, *, stream: bool) -> dict[str, Any]:
    """What is sent besides the prompt."""
    fields: dict[str, Any] = {"max_tokens": profile.answer_tokens, "stream": stream}
    if profile.name:
        fields["model"] = profile.name
    if profile.temperature is not None:
        fields["temperature"] = profile.temperature
    if stream:
        fields["stream_options"] = {"include_usage": True}
    return fields


def part_of(value: Any, text: str) -> Part:
    """What a reply or an event says, with its text at a JSON Pointer."""
    return Part(
        text_of(pointed(value, text)),
        counted(pointed(value, "/usage/prompt_tokens")),
        counted(pointed(value, "/usage/completion_tokens")),
        pointed(value, "/choices/0/finish_reason") == _CUT,
    )


# -- the other side, for a simulated server


def choice(said: dict[str, Any], *, ends: bool) -> dict[str, Any]:
    """What a reply or an event says, and whether the text ends with it."""
    return {"index": 0, **said, "finish_reason": "stop" if ends else None}


def usage(read: int, written: int) -> dict[str, int]:
    """How many tokens were read and written."""
    return {"prompt_tokens": read, "completion_tokens": written, "total_tokens": read + written}
