"""The ``[service.NAME]`` sections: services of other programs, over HTTP."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta

from .section import Section, check_amount


class ServiceSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How to speak with one service, and what it costs.

    Pointers are JSON Pointers (RFC 6901): `results` within the reply, the others within a result.

    Parameters
    ----------
    address
        URL of the service.
    headers
        Headers of each request. Write secrets as ``${NAME}``.
    connect_timeout
        Seconds until a connection is there.
    timeout
        Seconds to wait for the first byte of a reply, and for each further chunk.
    max_attempts
        Attempts before a request has failed.
    simulated
        Shown beside its prices: the service is not a real one.
    shape
        ``"inputs"`` is the exchange that most embedding servers offer; with it an address, and
        usually a model, is enough.
    model
        Name of the model, for ``shape``.
    price
        Price of an hour transcribed, an image described, or a million words and punctuation marks
        embedded.
    currency
        ISO 4217 code.
    file_field
        Form field that takes the file. Required for recordings and images.
    fields
        Other form fields.
    results
        Pointer to the list of results.
    begin
        Pointer to where a result begins, in seconds.
    end
        Pointer to where a result ends, in seconds.
    words
        Pointer to the text of a result.
    speaker
        Pointer to the speaker of a result.
    request
        Body of a request for vectors; ``"{texts}"`` is replaced by the list of texts. Of
        ``[service.speech]``: ``"{text}"`` and ``"{language}"`` are, and a voice may stand beside.
    vector
        Pointer to the vector of a result.
    batch
        Texts in a request.
    max_per_minute
        Most requests in a minute. 0: no limit.

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
