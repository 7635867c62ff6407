"""The exchange that most model servers speak: messages with roles, streamed as events."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ...settings import ModelProfile
from ..pointer import pointed
from .exchange import Asked, Part, counted, text_of

_CUT = "length"


@dataclass(frozen=True, slots=True)
class Roles:
    """A list of messages in; a message, or pieces of one up to an end mark, out.

    Examples
    --------
    >>> profile = ModelProfile(address="http://127.0.0.1/", shape="roles")
    >>> Roles().body(profile, "Be brief.", "Where?", None, stream=False)["messages"][1]
    {'role': 'user', 'content': 'Where?'}
    """

    streams: bool = True
    text_at: str = "/choices/0/message/content"
    framing: Literal["events", "lines"] = "events"
    end: str = "[DONE]"

    def body(
        self,
        profile: ModelProfile,
        instructions: str,
        question: str,
        schema: Mapping[str, Any] | None,
        *,
        stream: bool,
    ) -> dict[str, Any]:
        """What is sent."""
        told = [{"role": "system", "content": instructions}] if instructions else []
        body: dict[str, Any] = {
            "messages": [*told, {"role": "user", "content": question}],
            "max_tokens": profile.answer_tokens,
            "stream": stream,
        }
        if profile.name:
            body["model"] = profile.name
        if profile.temperature is not None:
            body["temperature"] = profile.temperature
        if stream:
            body["stream_options"] = {"include_usage": True}
        if schema is not None:
            form = {"name": "fields", "schema": dict(schema)}
            body["response_format"] = {"type": "json_schema", "json_schema": form}
        return body

    def whole(self, reply: Any) -> Part:
        """What a whole reply says."""
        return _part(reply, self.text_at)

    def event(self, event: Any) -> Part:
        """What an event of a stream says."""
        return _part(event, "/choices/0/delta/content")

    # -- the other side, for a simulated server

    def asked(self, body: Mapping[str, Any]) -> Asked | None:
        """What a body asks; None if it is of another shape."""
        if not isinstance(body.get("messages"), list):
            return None
        said: dict[str, str] = {}
        for message in body["messages"]:
            said[str(message.get("role"))] = str(message.get("content"))
        return Asked(said.get("system", ""), said.get("user", ""), bool(body.get("stream")))

    def replied(self, text: str, read: int, written: int) -> dict[str, Any]:
        """A whole reply."""
        message = {"role": "assistant", "content": text}
        choice = {"index": 0, "message": message, "finish_reason": "stop"}
        return {"choices": [choice], "usage": _usage(read, written)}

    def pieces(self, pieces: list[str], read: int, written: int) -> list[dict[str, Any]]:
        """The events of a stream."""
        found: list[dict[str, Any]] = [
            {"choices": [{"index": 0, "delta": {"content": piece}, "finish_reason": None}]}
            for piece in pieces
        ]
        found.append({"choices": [{"index": 0, "delta": {}, "finish_reason": "stop"}]})
        found.append({"choices": [], "usage": _usage(read, written)})
        return found


def _part(value: Any, pointer: str) -> Part:
    return Part(
        text_of(pointed(value, pointer)),
        counted(pointed(value, "/usage/prompt_tokens")),
        counted(pointed(value, "/usage/completion_tokens")),
        pointed(value, "/choices/0/finish_reason") == _CUT,
    )


def _usage(read: int, written: int) -> dict[str, int]:
    return {"prompt_tokens": read, "completion_tokens": written, "total_tokens": read + written}
