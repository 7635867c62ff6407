"""The profile of a model server: how to speak with it, and what it costs."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta

from .section import Section, check_amount


class StreamSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How a reply comes in pieces.

    ``framing`` is ``events`` for server-sent events, ``lines`` for one JSON a line;
    ``piece`` and ``finish`` are the JSON Pointers to the text in one of them and to the
    reason for which it is the last, ``end`` the data with which some servers close a
    stream, which is no JSON.

    References
    ----------
    WHATWG, HTML, section 9.2, Server-sent events.
    """

    framing: Literal["events", "lines"] = "events"
    piece: str = "/piece"
    finish: str = ""
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

    ``shape`` is one of two ready-made exchanges: ``roles``, messages with roles, or ``prompt``,
    a text that is gone on from; ``streamed`` says whether the reply comes in pieces then. With
    either, an address and mostly a model's name are enough.

    Without a shape, ``request`` is a Jinja2 template that gives the body, a JSON; it may use
    ``instructions`` and ``question``, the two parts of the prompt, ``answer_tokens``,
    ``temperature``, ``schema`` and ``stream``. ``text``, ``read``, ``written`` and ``finish``
    are JSON Pointers to the answer, the counts of tokens and the reason for which it ends in
    the reply; ``cut_off`` are the reasons which say that the limit of tokens was reached.

    ``extra`` is added to the body as it is. ``timeout`` is in seconds until the first byte and
    between two pieces, ``connect_timeout`` until there is a connection. ``context`` is
    how many tokens the model takes in all, ``words_to_tokens``
    how many of its tokens a word of ours comes to, where it does not count itself.
    ``max_per_minute`` and ``max_concurrent`` limit requests, over all processes of a desk; 0
    does not. ``simulated`` says so beside its prices.

    References
    ----------
    RFC 6901, JavaScript Object Notation (JSON) Pointer.
    """

    address: str
    name: str = ""
    shape: Literal["", "roles", "prompt"] = ""
    streamed: bool = True
    temperature: Annotated[float, Meta(ge=0, le=10)] | None = None
    extra: dict[str, Any] = msgspec.field(default_factory=dict)
    headers: dict[str, str] = msgspec.field(default_factory=dict)
    request: str = (
        '{"instructions": {{ instructions | tojson }}, "question": {{ question | tojson }}, '
        '"stream": {{ stream | tojson }}}'
    )
    text: str = "/text"
    read: str = "/tokens/read"
    written: str = "/tokens/written"
    finish: str = ""
    cut_off: tuple[str, ...] = ("length",)
    stream: StreamSettings | None = None
    price: PriceSettings = PriceSettings()
    context: Annotated[int, Meta(ge=200, le=100_000_000)] = 8000
    answer_tokens: Annotated[int, Meta(ge=16, le=1_000_000)] = 700
    words_to_tokens: Annotated[float, Meta(ge=0.5, le=10)] = 1.5
    connect_timeout: Annotated[float, Meta(gt=0, le=3600)] = 10.0
    timeout: Annotated[float, Meta(gt=0, le=86_400)] = 120.0
    max_attempts: Annotated[int, Meta(ge=1, le=20)] = 3
    max_per_minute: Annotated[int, Meta(ge=0, le=100_000)] = 0
    max_concurrent: Annotated[int, Meta(ge=0, le=1000)] = 0
    simulated: bool = False
