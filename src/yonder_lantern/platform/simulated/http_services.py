"""Small simulated services, for trying things out and for tests.

The one for vectors makes them of the characters of the texts: the same text has the
same vector, and texts that share words are near.

The one for transcription hears nothing: it reads the labels that a WAV file may carry
beside its sound, and gives them back as what was said, with their times. Names that
are not among the likely words it is given, it "hears" wrongly, as real services do.

References
----------
Microsoft, IBM (1991), Multimedia programming interface and data specifications
1.0: the chunks ``cue``, ``labl`` and ``ltxt`` of a RIFF file.
"""

from __future__ import annotations

import json
import struct
import threading
import zlib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from email import policy
from email.parser import BytesParser
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from ..services.shapes import inputs


def labels_of(wav: bytes) -> list[tuple[float, float, str]]:
    """The labelled stretches of a WAV file: from and to in seconds, and the label."""
    rate = 8000
    starts: dict[int, int] = {}
    lengths: dict[int, int] = {}
    labels: dict[int, str] = {}
    for name, data in _chunks(wav, 12):
        if name == b"fmt ":
            rate = struct.unpack_from("<I", data, 4)[0]
        elif name == b"cue ":
            for at in range(struct.unpack_from("<I", data)[0]):
                number, _, _, _, _, start = struct.unpack_from("<II4sIII", data, 4 + 24 * at)
                starts[number] = start
        elif name == b"LIST" and data[:4] == b"adtl":
            for kind, inner in _chunks(data, 4):
                number = struct.unpack_from("<I", inner)[0]
                if kind == b"labl":
                    labels[number] = inner[4:].rstrip(b"\0").decode("utf-8")
                elif kind == b"ltxt":
                    lengths[number] = struct.unpack_from("<I", inner, 4)[0]
    return [
        (start / rate, (start + lengths.get(number, 0)) / rate, labels.get(number, ""))
        for number, start in sorted(starts.items(), key=lambda pair: pair[1])
    ]


def _chunks(data: bytes, at: int) -> Iterator[tuple[bytes, bytes]]:
    while at + 8 <= len(data):
        size = struct.unpack_from("<I", data, at + 4)[0]
        yield data[at : at + 4], data[at + 8 : at + 8 + size]
        at += 8 + size + size % 2


def heard(label: str, likely_words: str) -> tuple[str, str]:
    """A label as speaker and words; ``right=wrong`` is heard right if it is a likely word.

    Examples
    --------
    >>> heard("Pilot: Keep to the Corriveth=corry_vith.", "")
    ('Pilot', 'Keep to the corry vith.')
    """
    speaker, colon, words = label.partition(": ")
    if not colon:
        speaker, words = "", label
    out = []
    for word in words.split(" "):
        right, equals, wrong = word.partition("=")
        if equals:
            tail = wrong[len(wrong.rstrip(".,;:?!")) :]
            wrong = wrong.removesuffix(tail)
            known = right.casefold() in likely_words.casefold()
            out.append((right if known else wrong.replace("_", " ")) + tail)
        else:
            out.append(word)
    return speaker, " ".join(out)


class JsonHandler(BaseHTTPRequestHandler):
    """Replies with JSON, and says nothing of it."""

    protocol_version = "HTTP/1.1"

    def body(self) -> bytes:
        """What was sent."""
        return self.rfile.read(int(self.headers.get("content-length", "0")))

    def reply(self, status: int, value: Any, headers: Mapping[str, str] | None = None) -> None:
        """Send a value as JSON."""
        self.raw(status, json.dumps(value).encode(), "application/json", headers)

    def raw(
        self, status: int, data: bytes, kind: str, headers: Mapping[str, str] | None = None
    ) -> None:
        """Send bytes."""
        self.send_response(status)
        self.send_header("content-type", kind)
        self.send_header("content-length", str(len(data)))
        for name, value in (headers or {}).items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, format: str, *args: Any) -> None:
        """Say nothing."""


def form_of(handler: JsonHandler) -> dict[str, bytes]:
    """The fields and files of a form that was sent."""
    head = f"content-type: {handler.headers.get('content-type', '')}\r\n\r\n".encode()
    form: Any = BytesParser(policy=policy.HTTP).parsebytes(head + handler.body())
    fields: dict[str, bytes] = {}
    for part in form.iter_parts() if form.is_multipart() else ():
        name = part.get_param("name", header="content-disposition")
        fields[str(name)] = part.get_payload(decode=True) or b""
    return fields


class _Handler(JsonHandler):
    def do_POST(self) -> None:
        """Answer a form with the file ``file`` and, if there is one, the field ``words``."""
        fields = form_of(self)
        audio = fields.get("recording", b"")
        if audio[:4] != b"RIFF":
            self.reply(415, {"error": "only WAV files with labels can be heard here"})
            return
        likely = fields.get("words", b"").decode("utf-8", "replace")
        found = [(*times, *heard(label, likely)) for *times, label in labels_of(audio)]
        segments = [
            {"from": start, "to": end, "who": speaker, "said": words}
            for start, end, speaker, words in found
        ]
        self.reply(200, {"heard": segments})


@contextmanager
def transcription_service(port: int = 0) -> Iterator[str]:
    """The simulated transcription, while it runs on this machine; its address."""
    with served(_Handler, port) as host:
        yield f"{host}/"


@contextmanager
def served(handler: type[BaseHTTPRequestHandler], port: int) -> Iterator[str]:
    """A server on this machine while it runs; its address."""
    server = ThreadingHTTPServer(("127.0.0.1", port), handler)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        server.server_close()
        thread.join()


_DIMENSIONS = 96
_GRAM = 4


def vector_of(text: str) -> list[float]:
    """A vector made of the runs of four characters of a text.

    Examples
    --------
    >>> len(vector_of("quay")), vector_of("quay") == vector_of("Quay")
    (96, True)
    """
    found = [0.0] * _DIMENSIONS
    folded = f" {' '.join(text.casefold().split())} "
    for at in range(max(1, len(folded) - _GRAM + 1)):
        number = zlib.crc32(folded[at : at + _GRAM].encode("utf-8", "replace"))
        found[number % _DIMENSIONS] += 1.0 if number & 0x10000 else -1.0
    return found


class _VectorHandler(JsonHandler):
    def do_POST(self) -> None:
        """Answer ``{"texts": [...]}`` with ``{"vectors": [{"values": [...]}]}``."""
        body = self.body()
        try:
            sent = json.loads(body)
            if (texts := inputs.asked(sent)) is not None:
                self.reply(200, inputs.replied([vector_of(text) for text in texts]))
                return
            vectors = [{"values": vector_of(text)} for text in sent["texts"]]
        except (ValueError, KeyError, TypeError, AttributeError):
            self.reply(400, {"error": "a list of texts is needed, as `texts`"})
            return
        self.reply(200, {"vectors": vectors})


@contextmanager
def vector_service(port: int = 0) -> Iterator[str]:
    """The simulated service for vectors, while it runs on this machine; its address."""
    with served(_VectorHandler, port) as host:
        yield f"{host}/vectors"
