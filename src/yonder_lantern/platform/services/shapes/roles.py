"""The exchange that most model servers speak: messages with roles, streamed as events."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ....settings import ModelProfile
from .common import END, choice, common_fields, part_of, usage
from .exchange import Asked, Part


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
    end: str = END

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
            **common_fields(profile, stream=stream),
        }
        if schema is not None:
            form = {"name": "fields", "schema": dict(schema)}
            body["response_format"] = {"type": "json_schema", "json_schema": form}
        return body

    def whole(self, reply: Any) -> Part:
        """What a whole reply says."""
        return part_of(reply, self.text_at)

    def event(self, event: Any) -> Part:
        """What an event of a stream says."""
        return part_of(event, "/choices/0/delta/content")

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
        choices = choice({"message": message}, ends=True)
        return {"choices": [choices], "usage": usage(read, written)}

    def pieces(self, pieces: list[str], read: int, written: int) -> list[dict[str, Any]]:
        """The events of a stream."""
        told = [choice({"delta": {"content": piece}}, ends=False) for piece in pieces]
        events: list[dict[str, Any]] = [
            {"choices": [one]} for one in (*told, choice({"delta": {}}, ends=True))
        ]
        return [*events, {"choices": [], "usage": usage(read, written)}]
