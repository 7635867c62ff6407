"""Asking a model server, whole or in pieces, as its profile says."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from ..records import Cancel, LimitError, Money, OutsideError, SettingsError, Tokens
from ..settings import ModelProfile
from ..text import count_tokens
from .client import client_of, refusal
from .pointer import pointed
from .templates import fill

_FAR_TOO_LONG = 3  # times the tokens of an answer, from where no more is read
_MILLION = Decimal(1_000_000)


@dataclass(frozen=True, slots=True)
class Prompt:
    """What is sent: how to answer, and what to answer from and about.

    ``schema`` is a JSON Schema that the answer is to follow, for servers that can.
    """

    instructions: str
    question: str
    schema: Mapping[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class ModelReply:
    """What a model wrote, what it read and wrote in tokens, and what that costs."""

    text: str
    tokens: Tokens
    cost: Money


def estimated_tokens(profile: ModelProfile, text: str) -> int:
    """About how many of the model's tokens a text has.

    Examples
    --------
    >>> estimated_tokens(ModelProfile(address="http://127.0.0.1/"), "Where is the quay?")
    8
    """
    return round(count_tokens(text) * profile.words_to_tokens + 0.5)


def price_of(profile: ModelProfile, tokens: Tokens) -> Money:
    """What some tokens cost, by the profile's prices."""
    price = profile.price
    amount = tokens.read * Decimal(price.read) + tokens.written * Decimal(price.written)
    return Money((amount / _MILLION).normalize() if amount else Decimal(0), price.currency)


def most_it_costs(profile: ModelProfile, prompt: Prompt) -> Money:
    """What an answer costs at most, as far as it can be told before."""
    read = estimated_tokens(profile, prompt.instructions + prompt.question)
    return price_of(profile, Tokens(read, profile.answer_tokens, estimated=True))


def ask_model(profile: ModelProfile, prompt: Prompt, *, cancel: Cancel | None = None) -> ModelReply:
    """The whole answer to a prompt.

    Raises
    ------
    OutsideError
        The server cannot be reached, refuses, or replies in another shape.
    SettingsError
        The request template is wrong.
    """
    with client_of(profile, cancel) as client:
        reply = client.post(
            profile.address,
            content=request_body(profile, prompt, stream=False),
            headers=_headers(profile),
        )
    if reply.status != 200:
        raise refusal(reply)
    whole = _json(reply.body, profile)
    text = pointed(whole, profile.text)
    if not isinstance(text, str):
        raise _other_shape(profile, f"no text at {profile.text or '/'}", reply.body)
    tokens = _counted(profile, whole, prompt, text)
    return ModelReply(text, tokens, price_of(profile, tokens))


def stream_model(
    profile: ModelProfile, prompt: Prompt, *, cancel: Cancel | None = None
) -> Iterator[str | ModelReply]:
    """The answer to a prompt in pieces as they come, and the whole at the end.

    A profile without a section ``stream`` gives one piece.

    Raises
    ------
    OutsideError, SettingsError
        As for `ask_model`; also when the reply breaks off.
    """
    if profile.stream is None:
        reply = ask_model(profile, prompt, cancel=cancel)
        yield reply.text
        yield reply
        return
    pieces: list[str] = []
    most = _FAR_TOO_LONG * profile.answer_tokens / profile.words_to_tokens
    last: Any = None
    with client_of(profile, cancel) as client:
        body = request_body(profile, prompt, stream=True)
        for line in client.lines(profile.address, content=body, headers=_headers(profile)):
            data = _data(line, profile)
            if data is None:
                continue
            last = _json(data.encode(), profile)
            piece = pointed(last, profile.stream.piece)
            if isinstance(piece, str) and piece:
                pieces.append(piece)
                most -= count_tokens(piece)
                if most < 0:
                    raise LimitError(
                        f"the model writes more than {_FAR_TOO_LONG} times what it may",
                        f"answer_tokens = {profile.answer_tokens}, in the profile",
                        "raise it, or see that the request passes it on",
                    )
                yield piece
    if last is None:
        raise _other_shape(profile, "no piece of an answer", b"")
    text = "".join(pieces)
    tokens = _counted(profile, last, prompt, text)
    yield ModelReply(text, tokens, price_of(profile, tokens))


def _headers(profile: ModelProfile) -> dict[str, str]:
    return {"content-type": "application/json", **profile.headers}


def request_body(profile: ModelProfile, prompt: Prompt, *, stream: bool) -> bytes:
    """What is sent for a prompt, as the profile's template gives it.

    Raises
    ------
    SettingsError
        The template is wrong, or gives no JSON.
    """
    values = {
        "instructions": prompt.instructions,
        "question": prompt.question,
        "answer_tokens": profile.answer_tokens,
        "schema": prompt.schema,
        "stream": stream,
    }
    where = f"the profile of {profile.name or profile.address}, request"
    body = fill(profile.request, values, where)
    try:
        return json.dumps(json.loads(body), ensure_ascii=False).encode()
    except ValueError as error:
        raise SettingsError(
            f"the request that the template gives is no JSON: {error}",
            where,
            "put `| tojson` behind each value",
        ) from None


def _data(line: str, profile: ModelProfile) -> str | None:
    """The JSON of a line of a stream; None for lines that hold none."""
    assert profile.stream is not None
    if profile.stream.framing == "events":
        field, _, value = line.partition(":")
        if field != "data":
            return None  # a comment, a name, an end
        line = value.removeprefix(" ")
    if not line.strip() or (profile.stream.end and line.strip() == profile.stream.end):
        return None
    return line


def _json(body: bytes, profile: ModelProfile) -> Any:
    try:
        return json.loads(body)
    except ValueError:
        raise _other_shape(profile, "no JSON", body) from None


def _other_shape(profile: ModelProfile, what: str, body: bytes) -> OutsideError:
    said = " ".join(body[:120].decode("utf-8", "replace").split())
    return OutsideError(
        f"the model's reply holds {what}{f': {said}' if said else ''}",
        profile.address,
        "mend the JSON Pointers in its profile; `yonder check` shows a reply",
    )


def _counted(profile: ModelProfile, reply: Any, prompt: Prompt, text: str) -> Tokens:
    read, written = pointed(reply, profile.read), pointed(reply, profile.written)
    if isinstance(read, int) and isinstance(written, int):
        return Tokens(read, written)
    return Tokens(
        estimated_tokens(profile, prompt.instructions + prompt.question),
        estimated_tokens(profile, text),
        estimated=True,
    )
