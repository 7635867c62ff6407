"""An exchange that a profile describes: a template for the request, pointers into replies."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ....core import SettingsError
from ....settings import ModelProfile
from ..json_pointer import pointed
from ..request_templates import fill
from .exchange import Part, counted, text_of


@dataclass(frozen=True, slots=True)
class Profiled:
    """As a profile without a shape says."""

    profile: ModelProfile

    @property
    def text_at(self) -> str:
        """Where the text is expected in a whole reply."""
        return self.profile.text or "/"

    @property
    def streams(self) -> bool:
        """Whether the profile has a section ``stream``."""
        return self.profile.stream is not None

    @property
    def framing(self) -> Literal["events", "lines"]:
        """How events are kept apart."""
        return self.profile.stream.framing if self.profile.stream else "events"

    @property
    def end(self) -> str:
        """The data with which a stream ends."""
        return self.profile.stream.end if self.profile.stream else ""

    def body(
        self,
        profile: ModelProfile,
        instructions: str,
        question: str,
        schema: Mapping[str, Any] | None,
        *,
        stream: bool,
    ) -> dict[str, Any]:
        """What is sent, as the profile's template gives it.

        Raises
        ------
        SettingsError
            The template is wrong, or gives no JSON object.
        """
        values = {
            "instructions": instructions,
            "question": question,
            "answer_tokens": profile.answer_tokens,
            "temperature": profile.temperature,
            "schema": schema,
            "stream": stream,
        }
        where = f"the profile of {profile.name or profile.address}, request"
        try:
            body = json.loads(fill(profile.request, values, where))
            if not isinstance(body, dict):
                raise ValueError("it is no object")
        except ValueError as error:
            raise SettingsError(
                f"the request that the template gives is no JSON: {error}",
                where,
                "put `| tojson` behind each value",
            ) from None
        return body

    def whole(self, reply: Any) -> Part:
        """What a whole reply says."""
        return self._part(reply, self.profile.text, self.profile.finish)

    def event(self, event: Any) -> Part:
        """What an event of a stream says."""
        assert self.profile.stream is not None
        stream = self.profile.stream
        return self._part(event, stream.piece, stream.finish)

    def _part(self, value: Any, text: str, finish: str) -> Part:
        reason = pointed(value, finish) if finish else None
        return Part(
            text_of(pointed(value, text)),
            counted(pointed(value, self.profile.read)),
            counted(pointed(value, self.profile.written)),
            reason is not None and str(reason) in self.profile.cut_off,
        )
