"""The plain exchange: a prompt in, the text that goes on from it out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ...settings import ModelProfile
from ..pointer import pointed
from .exchange import Asked, Part, counted, text_of

_CUT = "length"


@dataclass(frozen=True, slots=True)
class PlainPrompt:
    """One text in, one text out, whole or as events up to an end mark."""

    streams: bool = True
    text_at: str = "/choices/0/text"
    framing: Literal["events", "lines"] = "events"
    end: str = "[DONE]"

    def body(
        self,
        profile: ModelProfile,
        instructions: str,
        question: str,
        schema: Mapping[str, Any] | None,  # noqa: ARG002 - the instructions hold it
        *,
        stream: bool,
    ) -> dict[str, Any]:
        """What is sent."""
        body: dict[str, Any] = {
            "prompt": f"{instructions}\n\n{question}\n\nAnswer:".lstrip(),
            "max_tokens": profile.answer_tokens,
            "stream": stream,
        }
        if profile.name:
            body["model"] = profile.name
        if profile.temperature is not None:
            body["temperature"] = profile.temperature
        if stream:
            body["stream_options"] = {"include_usage": True}
        return body

    def whole(self, reply: Any) -> Part:
        """What a whole reply says."""
        return Part(
            text_of(pointed(reply, self.text_at)),
            counted(pointed(reply, "/usage/prompt_tokens")),
            counted(pointed(reply, "/usage/completion_tokens")),
            pointed(reply, "/choices/0/finish_reason") == _CUT,
        )

    def event(self, event: Any) -> Part:
        """What an event of a stream says: the same, of a piece."""
        return self.whole(event)

    # -- the other side, for a simulated server

    def asked(self, body: Mapping[str, Any]) -> Asked | None:
        """What a body asks; None if it is of another shape."""
        if not isinstance(body.get("prompt"), str):
            return None
        told = body["prompt"].removesuffix("\n\nAnswer:")
        return Asked(told, told, bool(body.get("stream")))

    def replied(self, text: str, read: int, written: int) -> dict[str, Any]:
        """A whole reply."""
        choice = {"index": 0, "text": text, "finish_reason": "stop"}
        return {"choices": [choice], "usage": _usage(read, written)}

    def pieces(self, pieces: list[str], read: int, written: int) -> list[dict[str, Any]]:
        """The events of a stream."""
        found: list[dict[str, Any]] = [
            {"choices": [{"index": 0, "text": piece, "finish_reason": None}]} for piece in pieces
        ]
        found.append({"choices": [{"index": 0, "text": "", "finish_reason": "stop"}]})
        found.append({"choices": [], "usage": _usage(read, written)})
        return found


def _usage(read: int, written: int) -> dict[str, int]:
    return {"prompt_tokens": read, "completion_tokens": written, "total_tokens": read + written}
