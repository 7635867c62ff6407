"""Asking a model server, whole or in pieces, as its profile says."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from ...core import Cancel, LimitError, Money, ServiceError, Tokens
from ...settings import ModelProfile, all_revealed, without_password
from ...text import count_tokens
from ..http import client_of, refusal
from .shapes import Exchange, Part, PlainPrompt, Profiled, Roles
from .thinking import Thinking

_FAR_TOO_LONG = 3  # times the tokens of an answer, from where no more is read
_MILLION = Decimal(1_000_000)
_SHOWN = 200  # characters of a reply in an error


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
    """What a model wrote, what it read and wrote in tokens, and what that costs.

    ``cut`` says that it ends because it has as many tokens as it may.
    """

    text: str
    tokens: Tokens
    cost: Money
    cut: bool = False


def exchange_of(profile: ModelProfile) -> Exchange:
    """How to speak with the server of a profile."""
    if profile.shape == "roles":
        return Roles(streams=profile.streamed)
    if profile.shape == "prompt":
        return PlainPrompt(streams=profile.streamed)
    return Profiled(profile)


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
    if not amount:
        return Money()
    return Money((amount / _MILLION).normalize(), price.currency, profile.simulated)


def most_it_costs(profile: ModelProfile, prompt: Prompt) -> Money:
    """What an answer costs at most, as far as it can be told before."""
    read = estimated_tokens(profile, prompt.instructions + prompt.question)
    return price_of(profile, Tokens(read, profile.answer_tokens, estimated=True))


def request_body(profile: ModelProfile, prompt: Prompt, *, stream: bool) -> dict[str, Any]:
    """What is sent for a prompt; secrets among the profile's extra fields by their names.

    Raises
    ------
    SettingsError
        The profile's template is wrong, or gives no JSON.
    """
    body = exchange_of(profile).body(
        profile, prompt.instructions, prompt.question, prompt.schema, stream=stream
    )
    return {**body, **profile.extra}


def ask_model(profile: ModelProfile, prompt: Prompt, *, cancel: Cancel | None = None) -> ModelReply:
    """The whole answer to a prompt.

    Raises
    ------
    ServiceError
        The server cannot be reached, refuses, or replies in another shape.
    SettingsError
        The request template is wrong.
    """
    exchange = exchange_of(profile)
    with client_of(profile, cancel, holders=[profile.extra]) as client:
        reply = client.post(profile.address, **_sent(profile, prompt, stream=False))
    if reply.status != 200:
        raise refusal(reply)
    part = exchange.whole(_json(reply.body, profile))
    if part.text is None:
        raise _other_shape(profile, f"no text at {exchange.text_at}", reply.body)
    thinking = Thinking()
    text = thinking.spoken(part.text) + thinking.rest()
    return _reply(profile, prompt, text, part.text, part)


def stream_model(
    profile: ModelProfile, prompt: Prompt, *, cancel: Cancel | None = None
) -> Iterator[str | ModelReply]:
    """The answer to a prompt in pieces as they come, and the whole at the end.

    A profile that does not stream gives one piece.

    Raises
    ------
    ServiceError, SettingsError
        As for `ask_model`; also when the reply breaks off, holds no text, or lacks the
        mark with which it ends.
    """
    exchange = exchange_of(profile)
    if not exchange.streams:
        reply = ask_model(profile, prompt, cancel=cancel)
        yield reply.text
        yield reply
        return
    written: list[str] = []
    spoken: list[str] = []
    thinking = Thinking()
    most = _FAR_TOO_LONG * profile.answer_tokens / profile.words_to_tokens
    first = b""
    last = Part(None)
    ended = texts = False
    with client_of(profile, cancel, holders=[profile.extra]) as client:
        for line in client.lines(profile.address, **_sent(profile, prompt, stream=True)):
            data = _data(line, exchange)
            if data == exchange.end and exchange.end:
                ended = True
            if not data or ended:
                continue
            first = first or data.encode()
            part = exchange.event(_json(data.encode(), profile))
            last = Part(
                None,
                last.read if part.read is None else part.read,
                last.written if part.written is None else part.written,
                last.cut or part.cut,
            )
            texts = texts or part.text is not None
            if not part.text:
                continue
            written.append(part.text)
            most -= count_tokens(part.text)
            if most < 0:
                raise LimitError(
                    f"the model writes more than {_FAR_TOO_LONG} times what it may",
                    f"answer_tokens = {profile.answer_tokens}, in the profile",
                    "raise it, or see that the request passes it on",
                )
            if piece := thinking.spoken(part.text):
                spoken.append(piece)
                yield piece
    if rest := thinking.rest():
        spoken.append(rest)
        yield rest
    if not first:
        raise _other_shape(profile, "no event of a stream", first)
    if not written and not texts:
        raise _other_shape(profile, "no text in any event; the first is", first)
    if exchange.end and not ended:
        raise _other_shape(
            profile, f"no end mark {exchange.end!r}, so it was cut off; the first event is", first
        )
    if not written:
        raise ServiceError(
            "the model wrote nothing",
            without_password(profile.address),
            "ask again; or take another model, or another shape",
        )
    yield _reply(profile, prompt, "".join(spoken), "".join(written), last)


def _sent(profile: ModelProfile, prompt: Prompt, *, stream: bool) -> dict[str, Any]:
    """A request's body and headers; the values of secrets are put in here."""
    body = {**request_body(profile, prompt, stream=stream), **all_revealed(profile.extra)}
    return {
        "content": json.dumps(body, ensure_ascii=False).encode("utf-8", "backslashreplace"),
        "headers": {"content-type": "application/json", **profile.headers},
    }


def _reply(
    profile: ModelProfile, prompt: Prompt, text: str, written: str, part: Part
) -> ModelReply:
    tokens = Tokens(part.read or 0, part.written or 0)
    if part.read is None or part.written is None:
        tokens = Tokens(
            estimated_tokens(profile, prompt.instructions + prompt.question),
            estimated_tokens(profile, written),
            estimated=True,
        )
    return ModelReply(text, tokens, price_of(profile, tokens), part.cut)


def _data(line: str, exchange: Exchange) -> str:
    """The data of a line of a stream; empty for lines that hold none."""
    if exchange.framing == "events":
        field, _, value = line.partition(":")
        if field != "data":
            return ""  # a comment, a name, an end
        line = value
    return line.strip()


def _json(body: bytes, profile: ModelProfile) -> Any:
    try:
        return json.loads(body)
    except (ValueError, RecursionError):
        raise _other_shape(profile, "no JSON", body) from None


def _other_shape(profile: ModelProfile, what: str, body: bytes) -> ServiceError:
    said = " ".join(body[:_SHOWN].decode("utf-8", "replace").split())
    remedy = (
        "is it a server of that shape? See `shape` in docs/howto/connect-a-model-server.md"
        if profile.shape
        else "fix the JSON Pointers in its profile; `yonder check` shows a reply"
    )
    return ServiceError(
        f"the model's reply holds {what}{f': {said}' if said else ''}",
        without_password(profile.address),
        remedy,
    )
