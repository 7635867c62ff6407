"""How fast each format is read, beside the bare library that parses it.

    python benchmarks/formats.py

makes a larger file of each kind and prints megabytes and pages a second, and the time as a ratio to
what the library alone takes to give its text, in the same run: the best of five.
"""

from __future__ import annotations

import ast
import csv
import ctypes
import io
import json
import random
import time
import zipfile
from collections.abc import Callable
from email import policy
from email.parser import BytesParser
from html.parser import HTMLParser

import docutils.core
import docx
import markdown_it
import openpyxl
import pptx
import pypdfium2
from reportlab.lib.styles import getSampleStyleSheet
from reportlab.platypus import PageBreak, Paragraph, SimpleDocTemplate

from yonder_lantern.core import Limits
from yonder_lantern.ingest.formats import Formats

FORMATS = Formats(Limits(pages=10_000, bytes=10**9, expanded_bytes=10**9))
WORDS = (
    "the quay gate tide boat berth pilot crane rope lamp fog channel notice harbour master".split()
)
RUNS = 5


def sentences(generator: random.Random, count: int) -> str:
    return " ".join(
        " ".join(generator.choices(WORDS, k=12)).capitalize() + f" {generator.randrange(99)}."
        for _ in range(count)
    )


def made() -> dict[str, tuple[bytes, int]]:
    """A file of each kind, and how many pages, slides or rows it has."""
    generator = random.Random(1)
    parts = [sentences(generator, 5) for _ in range(600)]
    files: dict[str, tuple[bytes, int]] = {}
    markdown = "".join(f"## Part {n}\n\n{text}\n\n" for n, text in enumerate(parts))
    files["a.md"] = markdown.encode(), 0
    files["a.txt"] = "\n\n".join(parts).encode(), 0
    page = "".join(f"<h2>Part {n}</h2><p>{text}</p>" for n, text in enumerate(parts))
    files["a.html"] = f"<html><body><main>{page}</main></body></html>".encode(), 0
    titled = "".join(f"Part {n:04d}\n---------\n\n{text}\n\n" for n, text in enumerate(parts[:200]))
    files["a.rst"] = titled.encode(), 0
    rows = [[f"C-{n}", text[:60], str(n * 1.5), "yes"] for n, text in enumerate(parts * 5)]
    table = io.StringIO()
    csv.writer(table).writerows([["code", "what", "load", "safe"], *rows])
    files["a.csv"] = table.getvalue().encode(), len(rows)
    values = [dict(zip(("code", "what", "load", "safe"), row, strict=True)) for row in rows]
    files["a.json"] = json.dumps({"rows": values}, indent=1).encode(), len(rows)
    code = "".join(
        f"def f{n}(x):\n    '''{text[:50]}'''\n    return x + {n}\n\n\n"
        for n, text in enumerate(parts)
    )
    files["a.py"] = code.encode(), 0
    body = "\n\n".join(parts[:300])
    files["a.eml"] = (
        f"From: a@b.example\nSubject: x\nDate: Mon, 02 Nov 2026 08:00:00 +0000\n\n{body}".encode(),
        0,
    )
    made_pdf = io.BytesIO()
    style = getSampleStyleSheet()
    story = [
        one for text in parts[:100] for one in (Paragraph(text * 5, style["BodyText"]), PageBreak())
    ]
    SimpleDocTemplate(made_pdf).build(story)
    files["a.pdf"] = made_pdf.getvalue(), 100
    document = docx.Document()
    for n, text in enumerate(parts):
        document.add_heading(f"Part {n}", 1)
        document.add_paragraph(text)
    files["a.docx"] = saved(document), 0
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    files["a.xlsx"] = saved(book), len(rows)
    presentation = pptx.Presentation()
    for text in parts[:150]:
        slide = presentation.slides.add_slide(presentation.slide_layouts[1])
        slide.shapes.title.text, slide.placeholders[1].text = text[:40], text
    files["a.pptx"] = saved(presentation), 150
    chapter = f"<html><body>{page}</body></html>"
    opf = (
        '<package xmlns="http://www.idpf.org/2007/opf"><manifest><item id="c" href="c.xhtml" '
        'media-type="application/xhtml+xml"/></manifest><spine><itemref idref="c"/></spine>'
        "</package>"
    )
    container = (
        '<container xmlns="urn:oasis:names:tc:opendocument:xmlns:container"><rootfiles>'
        '<rootfile full-path="p.opf"/></rootfiles></container>'
    )
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("META-INF/container.xml", container)
        archive.writestr("p.opf", opf)
        archive.writestr("c.xhtml", chapter)
    files["a.epub"] = packed.getvalue(), 0
    return files


def saved(what: object) -> bytes:
    held = io.BytesIO()
    what.save(held)  # type: ignore[attr-defined]
    return held.getvalue()


# What the bare library takes to give the same words and structure, without anything of ours.


def bare_pdf(data: bytes) -> None:
    """Each character of each page with its box, and the size of every fiftieth."""
    raw = pypdfium2.raw
    document = pypdfium2.PdfDocument(data)
    left, right, bottom, top = (ctypes.c_double() for _ in range(4))
    places = [ctypes.byref(one) for one in (left, right, bottom, top)]
    for page in document:
        text = page.get_textpage().raw
        for at in range(raw.FPDFText_CountChars(text)):
            raw.FPDFText_GetUnicode(text, at)
            raw.FPDFText_GetCharBox(text, at, *places)
            if at % 50 == 0:
                raw.FPDFText_GetFontSize(text, at)
    document.close()


def bare_docx(data: bytes) -> None:
    for one in docx.Document(io.BytesIO(data)).iter_inner_content():
        _ = one.text, one.style.name


def bare_pptx(data: bytes) -> None:
    for slide in pptx.Presentation(io.BytesIO(data)).slides:
        for shape in slide.shapes:
            if shape.has_text_frame:
                _ = [[run.text for run in one.runs] for one in shape.text_frame.paragraphs]


def bare_xlsx(data: bytes) -> None:
    book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    for sheet in book.worksheets:
        _ = list(sheet.iter_rows(values_only=True))


def bare_html(data: bytes) -> None:
    HTMLParser().feed(data.decode())


def bare_epub(data: bytes) -> None:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        bare_html(archive.read("c.xhtml"))


def bare_rst(data: bytes) -> None:
    docutils.core.publish_doctree(data.decode(), settings_overrides={"report_level": 5})


def bare_mail(data: bytes) -> None:
    BytesParser(policy=policy.default).parsebytes(data).get_body().get_content()


BARE: dict[str, tuple[str, Callable[[bytes], object]]] = {
    "a.md": (
        "markdown-it-py",
        lambda d: markdown_it.MarkdownIt("commonmark").enable("table").parse(d.decode()),
    ),
    "a.txt": ("splitlines", lambda d: d.decode().splitlines()),
    "a.html": ("html.parser", bare_html),
    "a.rst": ("docutils", bare_rst),
    "a.csv": ("csv", lambda d: list(csv.reader(io.StringIO(d.decode())))),
    "a.json": ("json", json.loads),
    "a.py": ("ast", ast.parse),
    "a.eml": ("email", bare_mail),
    "a.pdf": ("PDFium", bare_pdf),
    "a.docx": ("python-docx", bare_docx),
    "a.xlsx": ("openpyxl", bare_xlsx),
    "a.pptx": ("python-pptx", bare_pptx),
    "a.epub": ("zipfile, html.parser", bare_epub),
}


def best(what: Callable[[], object]) -> float:
    times = []
    for _ in range(RUNS):
        began = time.perf_counter()
        what()
        times.append(time.perf_counter() - began)
    return min(times)


def main() -> None:
    print("format     MB  MB/s  pages or rows/s   ratio  to")
    for name, (data, pages) in made().items():
        kind = FORMATS.for_file(name)
        assert kind is not None
        library, bare = BARE[name]
        ours = best(lambda: kind.read(data, name))  # noqa: B023
        theirs = best(lambda: bare(data))  # noqa: B023
        size = len(data) / 1e6
        counted = f"{pages / ours:,.0f}" if pages else ""
        print(
            f"{name[1:]:<7}{size:>6.2f}{size / ours:>6.1f}{counted:>17}{ours / theirs:>8.2f}"
            f"  {library}"
        )


if __name__ == "__main__":
    main()
