"""The ``[service.NAME]`` sections: services of other programs, over HTTP."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta

from .section import Section, check_amount


class ServiceSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How to speak with one service, and what it costs.

    ``results``, ``begin``, ``end``, ``words``, ``speaker`` and ``vector`` are JSON
    Pointers: the first to the list of results in the reply, the others within one
    result. ``price`` is for an hour of a recording, an image, or a million words and
    marks of text; ``simulated`` says so beside it. ``timeout`` is in seconds until the first
    byte and between two pieces. ``shape = "inputs"`` is the exchange that most embedding
    servers speak: an address and mostly a ``model`` are enough then.

    References
    ----------
    RFC 6901, JavaScript Object Notation (JSON) Pointer.
    """

    address: str
    headers: dict[str, str] = msgspec.field(default_factory=dict)
    connect_timeout: Annotated[float, Meta(gt=0, le=3600)] = 10.0
    timeout: Annotated[float, Meta(gt=0, le=86_400)] = 600.0
    max_attempts: Annotated[int, Meta(ge=1, le=20)] = 4
    simulated: bool = False
    shape: Literal["", "inputs"] = ""
    model: str = ""
    price: str = "0"
    currency: Annotated[str, Meta(pattern=r"^[A-Z]{3}$")] = "EUR"
    file_field: str = ""
    fields: dict[str, str] = msgspec.field(default_factory=dict)
    results: str = ""
    begin: str = ""
    end: str = ""
    words: str = ""
    speaker: str = ""
    request: dict[str, Any] = msgspec.field(default_factory=lambda: {"texts": "{texts}"})
    vector: str = ""
    batch: Annotated[int, Meta(ge=1, le=10_000)] = 64
    max_per_minute: Annotated[int, Meta(ge=0, le=100_000)] = 0

    def __post_init__(self) -> None:
        """Refuse a price that is no amount."""
        check_amount("price", self.price)
