"""A simulated model server: it answers with sentences of the brief, or badly on request.

It understands nothing: it picks the sentences that share most words with the question,
and numbers them as the passages are. With a fault it does what real servers and models
are known to do.
"""

from __future__ import annotations

import json
import re
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from ...text import Analyser, count_tokens, sentences
from ..services.shapes import Asked, simulated_exchanges
from .http_services import JsonHandler, served

FAULTS = {
    "slow": "waits before each piece",
    "busy": "answers 429 twice, then normally",
    "broken": "answers 500",
    "cut": "breaks the connection in the middle",
    "garbled": "replies with invalid JSON",
    "long": "goes on and on",
    "invents": "adds a sentence of its own",
    "swaps": "changes the numbers",
    "miscites": "cites another passage than the one it took a sentence from",
    "obeys": "does what a passage tells it to",
    "misshapes": "at first gives an object that does not fit the schema",
}
_PASSAGE = re.compile(r"^(=====\S*) \[(\d+)\] .*?\n(.*?)^\1 end of \[\2\]", re.M | re.S)
_QUESTION = re.compile(r"^(?:Question|From these passages\b[^:]*): (.*)\Z", re.M | re.S)
_REFUSAL = re.compile(r"write only: (.+)")
_ORDER = re.compile(r"(?:write|say|answer)(?: only)?[:,]? [\"“]([^\"”]+)[\"”]", re.I)
_INVENTED = "The harbour cat is called Ferrow and is 93 years old [1]."
_ENGLISH = Analyser("en")
_LEAST = 0.4  # of the question's words must stand in a sentence and above it
_PER_WORD = 0.002  # of two that share as many words, the shorter is nearer
_PER_PLACE = 0.05  # what stands further down is less to the point
_WAIT = 0.15
_SCHEMA = re.compile(r"^Schema: (.*)$", re.M)
_TOLD = "An earlier reply did not fit"
_NUMBER = re.compile(r"\d+(?:\.\d+)?")
_MADE_UP = {"string": "Ferrow the cat", "number": 93, "integer": 93, "boolean": True}


def reply_to(instructions: str, question: str, fault: str = "") -> str:
    """What the simulated model writes for a prompt.

    Examples
    --------
    >>> prompt = (
    ...     "===== [1] Quay\\nThe quay closes at 22:00.\\n===== end of [1]\\n"
    ...     "Question: When does the quay close?"
    ... )
    >>> reply_to("", prompt), reply_to("", prompt, "swaps")
    ('The quay closes at 22:00 [1].', 'The quay closes at 33:11 [1].')
    """
    asked = _QUESTION.search(question)
    wanted = frozenset(_ENGLISH.terms(asked[1] if asked else question))
    found: list[tuple[float, int, str]] = []
    numbers = []
    for match in _PASSAGE.finditer(question):
        number, text = int(match[2]), match[3]
        numbers.append(number)
        if fault == "obeys" and (order := _ORDER.search(text)):
            return order[1]
        for said in _sayings(text):
            terms = frozenset(_ENGLISH.terms(said))
            share = len(wanted & terms) / max(1, len(wanted))
            found.append(
                (share - _PER_WORD * len(terms) - _PER_PLACE * (number - 1), -number, said)
            )
    found.sort(key=lambda one: (-one[0], one[1]))
    if not numbers:
        return "Without documents I would only be guessing: perhaps 42."
    if not found or found[0][0] < _LEAST:
        refusal = _REFUSAL.search(instructions)
        return refusal[1].strip() if refusal else "I do not know."
    written = []
    for share, place, said in found[:2]:
        if share < found[0][0] - _PER_WORD:
            break
        cited = -place
        if fault == "miscites":
            cited = next((other for other in numbers if other != cited), cited)
        if fault == "swaps":
            said = re.sub(r"\d", lambda m: str((int(m[0]) + 1) % 10), said)  # noqa: PLW2901
        end = "" if "|" in said else "."
        written.append(f"{said if '|' in said else said.rstrip(' .')} [{cited}]{end}")
    if fault == "invents":
        written.append(_INVENTED)
    if fault == "long":
        written *= 400
    return ("\n" if any("|" in one for one in written) else " ").join(written)


def object_for(instructions: str, question: str, fault: str = "") -> str:
    """What the simulated model writes when the prompt asks for an object of a schema.

    Examples
    --------
    >>> told = 'Schema: {"type": "object", "properties": {"closes": {"type": "string"}}}'
    >>> prompt = "===== [1] Quay\\nThe quay closes at 22:00.\\n===== end of [1]\\nQuestion: Quay?"
    >>> object_for(told, prompt)
    '{"closes": "The quay closes at 22:00."}'
    """
    schema = json.loads(_SCHEMA.findall(instructions)[-1])
    said = [one for match in _PASSAGE.finditer(question) for one in _sayings(match[3])]
    if fault == "misshapes" and _TOLD not in instructions:
        return "Here you are: [1, 2, 3]"
    found = {}
    for name, part in schema.get("properties", {}).items():
        kind = part.get("type", "string") if isinstance(part, dict) else "string"
        if fault == "invents":
            found[name] = _MADE_UP.get(kind)
            continue
        name_terms = frozenset(_ENGLISH.terms(re.sub(r"_|(?<=[a-z])(?=[A-Z])", " ", name)))
        best = next((one for one in said if name_terms & frozenset(_ENGLISH.terms(one))), None)
        number = _NUMBER.search(best or "")
        if best is not None and kind == "string":
            found[name] = best
        elif number is not None and kind in ("number", "integer"):
            amount = float(number[0]) + (fault == "swaps")
            found[name] = int(amount) if amount == int(amount) else amount
        else:
            found[name] = None
    return json.dumps(found)


def _sayings(text: str) -> Iterator[str]:
    """The sentences and rows of a passage."""
    for block in re.split(r"\n\s*\n|\n(?=[|#-]|\d+[.)] |.*\|)", text):
        if block.strip() and not block.lstrip().startswith(("#", "(", "|-")):
            for start, end in sentences(block):
                yield " ".join(block[start:end].split())


def _pieces(text: str) -> Iterator[str]:
    for match in re.finditer(r"\S+\s*", text):
        yield match.group()


class _ModelHandler(JsonHandler):
    fault = ""
    asked = 0

    def do_POST(self) -> None:
        """Answer a prompt of any ready-made shape, or one of the profile that is printed."""
        body = self.body()
        type(self).asked += 1
        if self.fault == "busy" and type(self).asked <= 2:
            self.reply(429, {"error": "too many questions"}, {"retry-after": "1"})
            return
        if self.fault == "broken":
            self.reply(500, {"error": "something broke"})
            return
        try:
            sent = json.loads(body)
            exchange = next((one for one in _SPOKEN if one.asked(sent) is not None), None)
            asked = exchange.asked(sent) if exchange else None
            if asked is None or exchange is None:
                raise ValueError("no shape fits")
        except (ValueError, KeyError, TypeError, AttributeError):
            self.reply(400, {"error": "`instructions` and `question`, or a ready-made shape"})
            return
        writes = object_for if _SCHEMA.search(asked.instructions) else reply_to
        text = writes(asked.instructions, asked.question, self.fault)
        read = count_tokens(asked.instructions) + count_tokens(asked.question)
        if self.fault == "garbled":
            self.raw(200, b"<html>Good evening</html>", "text/html")
        elif asked.stream:
            pieces = list(_pieces(text))
            self._stream(exchange.pieces(pieces, read, count_tokens(text)), exchange.end)
        elif self.fault == "cut":
            self.send_response(200)
            self.send_header("content-length", "5000")
            self.end_headers()
            self.wfile.write(b'{"text": "The q')
            self.close_connection = True
        else:
            if self.fault == "slow":
                time.sleep(_WAIT * 10)
            self.reply(200, exchange.replied(text, read, count_tokens(text)))

    def _stream(self, events: list[dict[str, Any]], end: str) -> None:
        self.send_response(200)
        self.send_header("content-type", "text/event-stream")
        self.send_header("transfer-encoding", "chunked")
        self.end_headers()
        for number, event in enumerate(events):
            if self.fault == "cut" and number == max(1, len(events) // 2):
                self.close_connection = True
                return
            if self.fault == "slow":
                time.sleep(_WAIT)
            self._event(json.dumps(event, ensure_ascii=False))
        if end:
            self._event(end)
        self.wfile.write(b"0\r\n\r\n")

    def _event(self, value: str) -> None:
        data = f"data: {value}\n\n".encode()
        self.wfile.write(b"%x\r\n%s\r\n" % (len(data), data))
        self.wfile.flush()


class _Own:
    """The exchange of a profile's defaults."""

    end = ""

    def asked(self, body: Mapping[str, Any]) -> Asked | None:
        """What a body asks; None if it is of another shape."""
        if not {"instructions", "question"} <= body.keys():
            return None
        return Asked(str(body["instructions"]), str(body["question"]), bool(body.get("stream")))

    def replied(self, text: str, read: int, written: int) -> dict[str, Any]:
        """A whole reply."""
        return {"text": text, "tokens": {"read": read, "written": written}}

    def pieces(self, pieces: list[str], read: int, written: int) -> list[dict[str, Any]]:
        """The events of a stream."""
        tokens = {"read": read, "written": written}
        return [*({"piece": piece} for piece in pieces), {"piece": "", "tokens": tokens}]


_SPOKEN = (_Own(), *simulated_exchanges())


@contextmanager
def model_service(port: int = 0, fault: str = "") -> Iterator[str]:
    """The simulated model server, while it runs on this machine; its address.

    Parameters
    ----------
    port : int, default 0
        0 is one that is free.
    fault : str, default ""
        One of `FAULTS`.
    """
    handler = type("Handler", (_ModelHandler,), {"fault": fault, "asked": 0})
    with served(handler, port) as host:
        yield f"{host}/answer"
