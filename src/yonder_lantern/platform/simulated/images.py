"""A simulated service that describes images: it sees nothing, and reads what a PNG says.

A PNG may carry texts beside its image; the one called ``Description`` is what comes back.

References
----------
W3C (2025), Portable Network Graphics (PNG) Specification, third edition: the chunk ``tEXt``.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator
from contextlib import contextmanager

from .http_services import JsonHandler, form_of, served

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_KEYWORD = b"Description"


def description_of(png: bytes) -> str:
    """What a PNG says that it shows; empty if it says nothing."""
    at = len(_SIGNATURE)
    while png[: len(_SIGNATURE)] == _SIGNATURE and at + 8 <= len(png):
        size = struct.unpack_from(">I", png, at)[0]
        keyword, _, words = png[at + 8 : at + 8 + size].partition(b"\0")
        if png[at + 4 : at + 8] == b"tEXt" and keyword == _KEYWORD:
            return words.decode("latin-1")
        at += size + 12
    return ""


def with_description(png: bytes, words: str) -> bytes:
    """A PNG that says what it shows.

    Examples
    --------
    >>> bare = _SIGNATURE + struct.pack(">I4s", 0, b"IEND") + bytes(4)
    >>> description_of(with_description(bare, "A red buoy."))
    'A red buoy.'
    """
    data = _KEYWORD + b"\0" + words.encode("latin-1", "replace")
    chunk = struct.pack(">I", len(data)) + b"tEXt" + data
    chunk += struct.pack(">I", zlib.crc32(b"tEXt" + data))
    end = png.rindex(b"IEND") - 4
    return png[:end] + chunk + png[end:]


class _ImageHandler(JsonHandler):
    def do_POST(self) -> None:
        """Answer a form with the file ``image`` with ``{"shows": ...}``."""
        words = description_of(form_of(self).get("image", b""))
        if words:
            self.reply(200, {"shows": words})
        else:
            self.reply(415, {"error": "only PNG files that say what they show can be seen here"})


@contextmanager
def image_service(port: int = 0) -> Iterator[str]:
    """The simulated service for images, while it runs on this machine; its address."""
    with served(_ImageHandler, port) as host:
        yield f"{host}/describe"
