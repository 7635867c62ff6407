"""The plain exchange: a prompt in, the text that goes on from it out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ....settings import ModelProfile
from .common import END, choice, common_fields, part_of, usage
from .exchange import Asked, Part


@dataclass(frozen=True, slots=True)
class PlainPrompt:
    """One text in, one text out, whole or as events up to an end mark."""

    streams: bool = True
    text_at: str = "/choices/0/text"
    framing: Literal["events", "lines"] = "events"
    end: str = END

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
        return {
            "prompt": f"{instructions}\n\n{question}\n\nAnswer:".lstrip(),
            **common_fields(profile, stream=stream),
        }

    def whole(self, reply: Any) -> Part:
        """What a whole reply says."""
        return part_of(reply, self.text_at)

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
        choices = choice({"text": text}, ends=True)
        return {"choices": [choices], "usage": usage(read, written)}

    def pieces(self, pieces: list[str], read: int, written: int) -> list[dict[str, Any]]:
        """The events of a stream."""
        told = [choice({"text": piece}, ends=False) for piece in pieces]
        events: list[dict[str, Any]] = [
            {"choices": [one]} for one in (*told, choice({"text": ""}, ends=True))
        ]
        return [*events, {"choices": [], "usage": usage(read, written)}]
