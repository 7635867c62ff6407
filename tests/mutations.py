"""Files with damage in them, the same each time; for the tests and for benchmarks/fuzz.py."""

from __future__ import annotations

import random
import zipfile
from collections.abc import Iterator
from io import BytesIO

_MARKUP = [b"<table>", b"```", b"---\n", b"&#x", b"</p", b'"', b"{", b"[", b"::\n\n", b"\\u12"]


def mutated(suffix: str, originals: list[bytes], count: int) -> Iterator[tuple[str, bytes]]:
    """Names and contents of damaged files of a kind; half of the packed ones are damaged inside."""
    generator = random.Random(suffix)
    for number in range(count):
        data = generator.choice(originals)
        if data.startswith(b"PK") and number % 2:
            data = _damaged_inside(data, generator)
        else:
            data = _damaged(data, generator)
        yield f"a{suffix}", data


def _damaged(data: bytes, generator: random.Random) -> bytes:
    out = bytearray(data)
    for _ in range(generator.randint(1, 40)):
        at = generator.randrange(len(out))
        match generator.randrange(5):
            case 0:
                out[at] = generator.randrange(256)
            case 1:
                del out[at : at + generator.randint(1, 80)]
            case 2:
                out[at:at] = generator.choice(_MARKUP)
            case 3:
                out[at:at] = out[at : at + 200]
            case _:
                out[at] ^= 1 << generator.randrange(8)
        if not out:
            out = bytearray(b"x")
    return bytes(out)


def _damaged_inside(data: bytes, generator: random.Random) -> bytes:
    """An archive one of whose entries is damaged and packed again."""
    made = BytesIO()
    with zipfile.ZipFile(BytesIO(data)) as old, zipfile.ZipFile(made, "w") as new:
        chosen = generator.choice([name for name in old.namelist() if old.read(name)])
        for name in old.namelist():
            entry = old.read(name)
            new.writestr(name, _damaged(entry, generator) if name == chosen else entry)
    return made.getvalue()
