"""Gather hostile files of all formats with good ones between them.

    python benchmarks/hardness/hostile.py [COUNT]

200 by default: damaged copies of the demo's documents, and bombs made here.
"""

from __future__ import annotations

import io
import tempfile
import time
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

from common import count_of, end_with, make_desk

from mutations import mutated
from yonder_lantern import Desk
from yonder_lantern.demo import DEMO_FOLDER


def hostile(count: int) -> list[str]:
    """Gather hostile files of all formats with good ones between them."""
    faults: list[str] = []
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "desk"
        make_desk(folder, 20)
        (folder / "yonder.toml").write_text("[gather]\nseconds_per_item = 20\n")
        originals: dict[str, list[bytes]] = {}
        for path in sorted(DEMO_FOLDER.rglob("*.*")):
            if path.is_file() and path.stat().st_size < 300_000:
                originals.setdefault(path.suffix, []).append(path.read_bytes())
        for suffix, data in _MADE.items():
            originals.setdefault(suffix, []).append(data)
        kinds = sorted(set(originals) - {".toml", ".db", ".atom", ".wav"})
        damaged = (kinds * (count // len(kinds) + 1))[: count - len(_BOMBS)]
        for number, suffix in enumerate(damaged):
            *_, (_, data) = mutated(suffix, originals[suffix], number // len(kinds) + 1)
            (folder / "documents" / f"hostile-{number}{suffix}").write_bytes(data)
        for name, data in _BOMBS.items():
            (folder / "documents" / f"bomb-{name}").write_bytes(data())
        began = time.monotonic()
        report = Desk.open(folder).gather()
        took = time.monotonic() - began
        reported = {problem.item for problem in report.problems}
        wrong = [item for item in reported if "hostile" not in item and "bomb" not in item]
        faults += [f"a good one failed: {item}" for item in wrong]
        read = report.added - 20
        if read + report.failed + sum(report.skipped.values()) != count:
            faults.append(f"{read} read and {report.failed} reported of {count}")
        for problem in report.problems:
            if not problem.reason or not problem.remedy or "report the fault" in problem.remedy:
                faults.append(f"{problem.item}: {problem.reason} / {problem.remedy}")
        with Desk.open(folder) as desk:
            if "documents/berth-7.md" not in {
                h.document for h in desk.find("When does berth 7 close?")
            }:
                faults.append("a good one is not found")
    print(
        f"{count} hostile files in {len(kinds)} formats, {took:.0f} s: {read} read, "
        f"{report.failed} reported, {sum(report.skipped.values())} not for us; {len(faults)} faults"
    )
    return faults


def _pdf_bomb() -> bytes:
    """A page whose image says that it has 30,000 by 30,000 dots."""
    stream = zlib.compress(bytes(1000)) * 50
    parts = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 14400 14400] /Contents 5 0 R "
        b"/Resources << /XObject << /I 4 0 R >> >> >>",
        b"<< /Type /XObject /Subtype /Image /Width 30000 /Height 30000 /ColorSpace /DeviceRGB "
        b"/BitsPerComponent 8 /Filter /FlateDecode /Length %d >>\nstream\n%s\nendstream"
        % (len(stream), stream),
        b"<< /Length 35 >>\nstream\nq 14400 0 0 14400 0 0 cm /I Do Q \nendstream",
    ]
    out = bytearray(b"%PDF-1.4\n")
    places = []
    for number, part in enumerate(parts, 1):
        places.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, part)
    start = len(out)
    out += b"xref\n0 6\n0000000000 65535 f \n"
    for location in places:
        out += b"%010d 00000 n \n" % location
    out += b"trailer << /Size 6 /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF" % start
    return bytes(out)


def _zip_of(name: str, data: bytes) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, data)
    return made.getvalue()


_MADE = {  # formats that the demo has no document of
    ".tsv": b"code\twhat\nCR-01\tcrane\n" * 20,
    ".srt": b"1\n00:00:01,000 --> 00:00:02,500\nThe tide turns.\n\n" * 20,
    ".jsonl": b'{"a": "x\\u00e9", "b": [1, 2.5e3]}\n' * 20,
    ".yaml": b"berths:\n  - code: B-1\n    metres: 9.5\n" * 20,
    ".xml": b"<?xml version='1.0'?><berths><berth code='B-1'>nine metres</berth></berths>",
    ".c": b"/* the tide */\nint tide(int hour) { return hour % 12; }\n" * 20,
    ".sql": b"-- berths\nSELECT * FROM berths WHERE metres > 9;\n" * 20,
}
_BOMBS: dict[str, Callable[[], bytes]] = {
    "surrogate.json": lambda: b'{"a":"\\ud800 x"}',
    "deep.json": lambda: b"[" * 100_000 + b"]" * 100_000,
    "numbers.json": lambda: b'{"a": ' + b"9" * 5000 + b', "b": NaN, "c": 1e9999}',
    "entities.html": lambda: b"<p>" + b"&amp;" * 200_000 + b"</p>",
    "deep.html": lambda: b"<div>" * 50_000 + b"deep" + b"</div>" * 50_000,
    "table.html": lambda: b"<table>" + b"<tr>" * 20_000 + b"<td>x",
    "quotes.md": lambda: b"> " * 3000 + b"quoted",
    "lists.md": lambda: b"\n".join(b" " * n + b"- x" for n in range(800)),
    "links.md": lambda: b"[" * 20_000 + b"x" + b"](y)" * 20_000,
    "stars.md": lambda: b"*" * 60_000 + b"x" + b"_" * 60_000,
    "front.md": lambda: b"---\na: &a [x]\nb: &b [*a,*a]\nc: [*b,*b]\n---\n# X\n\nText.",
    "laughs.md": lambda: (
        b"---\n"
        + b"\n".join(
            b"a%d: &a%d [%s]" % (n, n, b",".join([b"*a%d" % (n - 1)] * 9) if n else b"lol")
            for n in range(9)
        )
        + b"\n---\n# X\n\nText."
    ),
    "wide.csv": lambda: b",".join(b"c%d" % n for n in range(50_000)) + b"\n" + b"1," * 50_000,
    "quote.csv": lambda: b'a,b\n"' + b"x" * 500_000,
    "zeros.txt": lambda: bytes(300_000),
    "line.txt": lambda: b"a" * 3_000_000,
    "letters.eml": lambda: b"From: a@b.example\nSubject: x\n\n" + b"x@" * 200_000,
    "nested.eml": lambda: (
        b"Content-Type: multipart/mixed; boundary=a\n\n"
        + b"--a\nContent-Type: multipart/mixed; boundary=a\n\n" * 3000
    ),
    "image.pdf": _pdf_bomb,
    "cut.pdf": lambda: (DEMO_FOLDER / "documents/plans/winter-works.pdf").read_bytes()[:900],
    "packed.docx": lambda: _zip_of("word/document.xml", b"<w>" + b"x" * 150_000_000),
    "packed.xlsx": lambda: _zip_of("xl/workbook.xml", b"x" * 250_000_000),
    "packed.epub": lambda: _zip_of("META-INF/container.xml", b"<c/>" * 1_000_000),
    "deep.rst": lambda: b"\n\n".join(b" " * n + b"x" for n in range(400)),
    "include.rst": lambda: (
        b".. include:: /etc/hostname\n\n.. raw:: html\n   :file: /etc/hostname\n\nx"
    ),
    "odd.ipynb": lambda: b'{"cells": [{"cell_type": 3, "source": {"a": 1}}], "nbformat": "x"}',
    "times.vtt": lambda: b"WEBVTT\n\n99:99:99.999 --> 00:00:00.000\nx\n" * 3000,
}


if __name__ == "__main__":
    end_with(hostile(count_of(200)))
