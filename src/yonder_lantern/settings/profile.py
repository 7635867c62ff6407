"""The profile of a model server: how to speak with it, and what it costs."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta

from .section import Section, check_amount


class StreamSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How a reply comes in pieces.

    Pointers are JSON Pointers (RFC 6901).

    Parameters
    ----------
    framing
        ``events``: server-sent events. ``lines``: one JSON value a line.
    piece
        Pointer to the text in an event.
    finish
        Pointer to the reason why it is the last.
    end
        Data of the event that ends the stream, such as ``[DONE]``.

    References
    ----------
    WHATWG, HTML, section 9.2, Server-sent events.
    """

    framing: Literal["events", "lines"] = "events"
    piece: str = "/piece"
    finish: str = ""
    end: str = ""


class PriceSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What a million tokens cost: those that the model reads, and those it writes.

    Parameters
    ----------
    read
        Price of a million tokens that the model reads.
    written
        Price of a million tokens that it writes.
    currency
        ISO 4217 code.
    """

    read: str = "0"
    written: str = "0"
    currency: Annotated[str, Meta(pattern=r"^[A-Z]{3}$")] = "EUR"

    def __post_init__(self) -> None:
        """Refuse a price that is no amount."""
        check_amount("read", self.read)
        check_amount("written", self.written)


class ModelProfile(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How to speak with one model server.

    Pointers are JSON Pointers (RFC 6901) into the reply.

    Parameters
    ----------
    address
        URL of the server.
    name
        Name of the model.
    shape
        A common exchange: ``roles``, messages with roles, or ``prompt``, one text to be continued.
        With either, an address and usually a name is enough.
    streamed
        With a shape: the reply comes in pieces.
    temperature
        Sampling temperature. Left out: the server's default.
    extra
        Keys added to the body as they are.
    headers
        Headers of each request. Write secrets as ``${NAME}``.
    request
        Without a shape: a Jinja2 template of the body, a JSON object. It may use ``instructions``
        and ``question``, the two parts of the prompt, ``answer_tokens``, ``temperature``,
        ``schema`` and ``stream``.
    text
        Pointer to the answer.
    read
        Pointer to the number of tokens read.
    written
        Pointer to the number of tokens written.
    finish
        Pointer to the reason why the answer ends.
    cut_off
        Reasons that mean the limit of tokens was reached.
    stream
        ``[answer.model.stream]``, for replies in pieces.
    price
        ``[answer.model.price]``, per million tokens.
    context
        Tokens that the model takes in all.
    answer_tokens
        Most tokens of an answer.
    words_to_tokens
        Tokens of the model for each word, where it does not count itself.
    connect_timeout
        Seconds until a connection is there.
    timeout
        Seconds to wait for the first byte of a reply, and for each further chunk.
    max_attempts
        Attempts before a request has failed.
    max_per_minute
        Most requests in a minute, over all processes of a desk. 0: no limit.
    max_concurrent
        Most requests at the same time, over all processes of a desk. 0: no limit.
    simulated
        Shown beside its prices: the server is not a real one.

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
