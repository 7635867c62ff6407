"""What is common to all exchanges with a model server."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, Protocol

from ....settings import ModelProfile


@dataclass(frozen=True, slots=True)
class Part:
    """What a reply, or one event of a stream, says.

    Attributes
    ----------
    text : str or None
        None where it says nothing.
    read, written : int or None
        Tokens, where they are counted.
    cut : bool
        Whether the text ends because it has as many tokens as it may.
    """

    text: str | None
    read: int | None = None
    written: int | None = None
    cut: bool = False


@dataclass(frozen=True, slots=True)
class Asked:
    """A request as a server reads it."""

    instructions: str
    question: str
    stream: bool


class Exchange(Protocol):
    """How to speak with a model server.

    Attributes
    ----------
    text_at : str
        Where the text is expected, for errors.
    streams : bool
        Whether the reply comes in pieces.
    framing : {"events", "lines"}
        Server-sent events, or one JSON a line.
    end : str
        The data with which a stream ends; empty if it just ends.
    """

    @property
    def text_at(self) -> str: ...
    @property
    def streams(self) -> bool: ...
    @property
    def framing(self) -> Literal["events", "lines"]: ...
    @property
    def end(self) -> str: ...

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
        ...

    def whole(self, reply: Any) -> Part:
        """What a whole reply says."""
        ...

    def event(self, event: Any) -> Part:
        """What an event of a stream says."""
        ...


def counted(value: Any) -> int | None:
    """A count of tokens, if it is one."""
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def text_of(value: Any) -> str | None:
    """A text, if it is one."""
    return value if isinstance(value, str) else None
