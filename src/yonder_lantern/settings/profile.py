"""The profile of a model server: how to speak with it, and what it costs."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from .section import Section, check_amount


class StreamSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How a reply comes in pieces.

    ``framing`` is ``events`` for server-sent events, ``lines`` for one JSON a line;
    ``piece`` is the JSON Pointer to the text in one of them, ``end`` the data with which
    some servers close a stream, which is no JSON.

    References
    ----------
    WHATWG, HTML, section 9.2, Server-sent events.
    """

    framing: Literal["events", "lines"] = "events"
    piece: str = "/piece"
    end: str = ""


class PriceSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What a million tokens cost: those that the model reads, and those it writes."""

    read: str = "0"
    written: str = "0"
    currency: Annotated[str, Meta(pattern=r"^[A-Z]{3}$")] = "EUR"

    def __post_init__(self) -> None:
        """Refuse a price that is no amount."""
        check_amount("read", self.read)
        check_amount("written", self.written)


class ModelProfile(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How to speak with one model server.

    ``request`` is a Jinja2 template that gives the body, a JSON; it may use
    ``instructions`` and ``question``, the two parts of the prompt, ``answer_tokens``,
    ``schema`` and ``stream``. ``text``, ``read`` and ``written`` are JSON Pointers to the
    answer and the counts of tokens in the reply; of a stream, the counts stand in
    its last piece. ``context`` is how many tokens the model takes in all, ``words_to_tokens``
    how many of its tokens a word of ours comes to, where it does not count itself.
    ``per_minute`` and ``at_once`` limit requests, over all processes of a desk; 0 does not.

    References
    ----------
    RFC 6901, JavaScript Object Notation (JSON) Pointer.
    """

    address: str
    name: str = ""
    headers: dict[str, str] = msgspec.field(default_factory=dict)
    request: str = (
        '{"instructions": {{ instructions | tojson }}, "question": {{ question | tojson }}, '
        '"stream": {{ stream | tojson }}}'
    )
    text: str = "/text"
    read: str = "/tokens/read"
    written: str = "/tokens/written"
    stream: StreamSettings | None = None
    price: PriceSettings = PriceSettings()
    context: Annotated[int, Meta(ge=200, le=100_000_000)] = 8000
    answer_tokens: Annotated[int, Meta(ge=16, le=1_000_000)] = 700
    words_to_tokens: Annotated[float, Meta(ge=0.5, le=10)] = 1.5
    seconds: Annotated[float, Meta(gt=0, le=86_400)] = 60.0
    tries: Annotated[int, Meta(ge=1, le=20)] = 3
    per_minute: Annotated[int, Meta(ge=0, le=100_000)] = 0
    at_once: Annotated[int, Meta(ge=0, le=1000)] = 0
