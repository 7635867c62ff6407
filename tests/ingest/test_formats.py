"""Formats: canonical text, outline, and the way back to the original."""

from __future__ import annotations

import csv
import html
import io
import json
import re
import sys
import zipfile
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import SCANNED, needs
from mutations import mutated
from yonder_lantern import Desk
from yonder_lantern.core import (
    Block,
    BlockKind,
    Document,
    FormatError,
    LimitError,
    Limits,
    Location,
    Mark,
    MissingExtraError,
    Origin,
    OriginRun,
    Parsed,
    heading_trail,
    location_of,
)
from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.ingest.formats import Formats
from yonder_lantern.ingest.formats.correcting import corrected
from yonder_lantern.ingest.formats.delimited import rows
from yonder_lantern.ingest.formats.html import HtmlFormat
from yonder_lantern.ingest.formats.json_nodes import Node, plain, read_json
from yonder_lantern.platform.archives import Archive
from yonder_lantern.text import decode

FORMATS = Formats()
DEMO = sorted([*(DEMO_FOLDER / "documents").rglob("*.*"), *(DEMO_FOLDER / "site").glob("*.html")])
PLANS = DEMO_FOLDER / "documents" / "plans"
MUTATIONS = 50


def read(name: str, data: bytes | str) -> Parsed:
    kind = FORMATS.for_file(name)
    assert kind is not None
    return kind.read(data if isinstance(data, bytes) else data.encode(), name)


def kinds(parsed: Parsed) -> list[tuple[str, str]]:
    return [(b.kind.name, parsed.text[b.start : b.end]) for b in parsed.blocks]


def check_outline(parsed: Parsed) -> None:
    """What holds of every outline, whatever the file."""
    last = 0
    for index, block in enumerate(parsed.blocks):
        assert last <= block.start < block.end <= len(parsed.text)
        last = block.end if block.kind is not BlockKind.ITEM else block.start
        assert block.under < index
        assert block.header < index
        if block.under >= 0:
            assert parsed.blocks[block.under].kind is BlockKind.HEADING
        if block.header >= 0:
            named_by = BlockKind.HEADER_ROW if block.kind is BlockKind.ROW else BlockKind.TERM
            assert parsed.blocks[block.header].kind is named_by


@pytest.mark.parametrize("path", DEMO, ids=lambda path: path.name)
def test_demo_documents_have_a_sound_outline_that_holds_all_their_words(path: Path) -> None:
    if path.name in SCANNED:
        needs("tesseract")
    parsed = read(path.name, path.read_bytes())
    check_outline(parsed)
    inside = " ".join(parsed.text[b.start : b.end] for b in parsed.blocks)
    body = parsed.text
    if path.suffix in (".md", ".rst"):
        body = re.sub(r"\n(:\w+: .*\n)+", "\n", body)
        body = re.sub(r"\A---\n.*?\n---\n", "", body, flags=re.DOTALL)
    assert set(re.findall(r"\w{3,}", body)) <= set(re.findall(r"\w{3,}", inside))


@pytest.mark.parametrize("path", [p for p in DEMO if p.suffix == ".html"], ids=lambda p: p.name)
def test_every_word_of_a_page_is_found_again_in_its_file(path: Path) -> None:
    source = path.read_text(encoding="utf-8")
    parsed = read(path.name, path.read_bytes())
    assert parsed.origin.runs
    for match in re.finditer(r"[^\s|]+", parsed.text):
        start, end = parsed.origin.original(match.start(), match.end())
        assert html.unescape(source[start:end]) == match.group()


def test_markdown_blocks_and_front_matter() -> None:
    parsed = read(
        "a.md",
        "---\ntitle: Berths\naudience: [crew]\nvalid_from: 2026-04-01\n---\n# One\n\nSome *text*\n"
        "here.\n\n## Two\n\n- first\n- second\n  goes on\n\n    - inner\n\n3. third\n\n| a | b |\n"
        "|---|---|\n| 1 | 2 |\n\n```py\nx = 1\n\ny = 2\n```\n\n> quoted\n",
    )
    check_outline(parsed)
    assert parsed.title == "Berths"
    assert parsed.metadata == {"audience": ["crew"], "valid_from": "2026-04-01"}
    assert kinds(parsed) == [
        ("HEADING", "# One"),
        ("PARAGRAPH", "Some *text*\nhere."),
        ("HEADING", "## Two"),
        ("ITEM", "first"),
        ("ITEM", "second\n  goes on"),
        ("ITEM", "inner"),
        ("ITEM", "3. third"),
        ("HEADER_ROW", "| a | b |"),
        ("ROW", "| 1 | 2 |"),
        ("CODE", "```py\nx = 1\n\ny = 2\n```"),
        ("PARAGRAPH", "quoted"),
    ]
    row = parsed.blocks[8]
    assert parsed.text.count("\n", 0, row.start) == 22
    assert heading_trail(parsed.text, parsed.blocks, 8) == ("One", "Two")
    assert parsed.blocks[row.header].kind is BlockKind.HEADER_ROW


def test_html_keeps_main_text_tables_and_code_and_drops_the_rest() -> None:
    parsed = read(
        "a.html",
        "<html lang=en-GB><head><title>The &amp; page</title><meta name=author content='A, B'>"
        "<meta name=audience content='crew, board'><script>var x = '<p>no</p>';</script></head>"
        "<body><nav>Menu</nav><main><h1>One</h1><p>A  para&shy;graph<br>of <b>two</b>&#32;lines."
        "<ul><li>first<li>second</ul><table><tr><th>a</th><th>b</th></tr><tr><td>1<td><p>2</p>"
        "</table><pre>x = 1\n  y</pre><aside>Aside</aside></main><footer>Foot</footer></body>",
    )
    check_outline(parsed)
    assert parsed.title == "The & page"
    assert parsed.metadata == {"language": "en", "author": "A, B", "audience": ["crew", "board"]}
    assert kinds(parsed) == [
        ("HEADING", "One"),
        ("PARAGRAPH", "A para\xadgraph of two lines."),
        ("ITEM", "first"),
        ("ITEM", "second"),
        ("HEADER_ROW", "a | b"),
        ("ROW", "1 | 2"),
        ("CODE", "x = 1\n  y"),
    ]


@pytest.mark.parametrize(
    ("name", "data"),
    [
        (
            "gate.html",
            "<dl><dt>shut<dt>closed<dd><p>No boat passes.</p><ul><li>Not even a tug.</ul>"
            "<dt>-o FILE<dd>Where it writes.</dl><p>After.</p>",
        ),
        (
            "gate.rst",
            "shut\n  No boat passes.\n\n  * Not even a tug.\n\n"
            "-o FILE  Where it writes.\n\nAfter.\n",
        ),
    ],
)
def test_a_term_names_what_defines_it(name: str, data: str) -> None:
    parsed = read(name, data)
    blocks = parsed.blocks
    named = {
        parsed.text[one.start : one.end].strip(): one.header >= 0
        and parsed.text[blocks[one.header].start : blocks[one.header].end]
        for one in blocks
    }
    terms = [parsed.text[b.start : b.end] for b in blocks if b.kind is BlockKind.TERM]
    assert terms[0] == "shut"
    assert terms[-1] == "-o FILE"
    assert named["No boat passes."] == named["Not even a tug."] == "shut"
    assert named["Where it writes."] == "-o FILE"
    assert named["After."] is False
    assert named.get("closed", "shut") == "shut"  # a further name for the same


def test_text_finds_headings_items_and_columns() -> None:
    parsed = read(
        "a.txt",
        "NOTICE 3\nHarbour, 2026\n\nDEPTHS\n\n1. Sounded in\n   January.\n2. Least:\n\n"
        "    Fuel berth      3.0 m\n    Marl Dock       5.0 m\n\nPlain words here, and\nmore.\n",
    )
    check_outline(parsed)
    assert parsed.title == "NOTICE 3"
    assert kinds(parsed)[3:] == [
        ("ITEM", "1. Sounded in\n   January."),
        ("ITEM", "2. Least:"),
        ("ROW", "Fuel berth      3.0 m"),
        ("ROW", "Marl Dock       5.0 m"),
        ("PARAGRAPH", "Plain words here, and\nmore."),
    ]


SUBTITLES = """WEBVTT

NOTE made up

1
00:00:04.000 --> 00:00:07.250
<v Duty controller>Good morning. The tide

00:00:07.250 --> 00:00:09.000
is <i>high</i> at six &amp; low at noon.

00:00:30.000 --> 00:00:32.500
<v Skipper>Where is the pilot?
"""


def test_subtitles_join_cues_into_sentences_and_keep_their_times() -> None:
    parsed = read("briefing.vtt", SUBTITLES)
    check_outline(parsed)
    assert kinds(parsed) == [
        ("PARAGRAPH", "Good morning. The tide is high at six & low at noon."),
        ("PARAGRAPH", "Where is the pilot?"),
    ]
    assert parsed.metadata == {"speakers": ["Duty controller", "Skipper"]}
    assert [mark.seconds for mark in parsed.marks] == [(4, 7.25), (7.25, 9), (30, 32.5)]
    for match in re.finditer(r"\S+", parsed.text):
        start, end = parsed.origin.original(match.start(), match.end())
        assert html.unescape(SUBTITLES[start:end]) == match.group()
    subrip = re.sub(r"(\d)\.(\d{3})", r"\1,\2", SUBTITLES.split("\n\n", 2)[2])
    assert read("briefing.srt", subrip).text == parsed.text


def test_delimited_tables_have_rows_with_their_numbers() -> None:
    source = 'Code;What;"Remark ""x"""\nBL-60;"boat; lift";\n\nCR-02;"two\nlines";"says ""no"""\n'
    parsed = read("register.csv", source)
    check_outline(parsed)
    assert kinds(parsed) == [
        ("HEADER_ROW", 'Code | What | Remark "x"'),
        ("ROW", "BL-60 | boat; lift | "),
        ("ROW", 'CR-02 | two lines | says "no"'),
    ]
    assert [mark.row for mark in parsed.marks] == [1, 2, 4]
    row = parsed.blocks[2]
    start, end = parsed.origin.original(row.start, row.start + 5)
    assert source[start:end] == "CR-02"


cells = st.text(alphabet=st.sampled_from('ab ,;"\n'), max_size=6)


@given(st.lists(st.lists(cells, min_size=2, max_size=4), min_size=2, max_size=5))
def test_cells_are_those_that_the_standard_reader_finds(table: list[list[str]]) -> None:
    written = io.StringIO()
    csv.writer(written, lineterminator="\n", quoting=csv.QUOTE_ALL).writerows(table)
    source = written.getvalue()
    found = [
        [source[a:b].replace('""', '"') if doubled else source[a:b] for a, b, doubled in row]
        for row in rows(source, ",")
    ]
    assert found == list(csv.reader(io.StringIO(source)))


PYTHON = '''"""Gauge."""

import math

LIMIT = 3


@cached
def height(distance: float) -> float:
    """Height above datum."""

    return LIMIT - distance


class Gauge:
    """A gauge."""

    unit = "m"

    def read(self) -> float:
        if self.unit:

            return 1.0
        return 2.0


if __name__ == "__main__":
    main()
'''


def test_python_is_cut_between_its_functions() -> None:
    parsed = read("gauge.py", PYTHON)
    check_outline(parsed)
    found = kinds(parsed)
    assert [kind for kind, _ in found] == [*["CODE"] * 4, "HEADING", "CODE", "CODE", "CODE"]
    assert found[3][1].startswith("@cached\ndef height")
    assert found[3][1].endswith("return LIMIT - distance")
    assert found[4][1] == "class Gauge:"
    assert found[6][1].startswith("    def read(self)")
    assert found[6][1].endswith("return 2.0")
    assert heading_trail(parsed.text, parsed.blocks, 6) == ("class Gauge:",)
    assert heading_trail(parsed.text, parsed.blocks, 7) == ()
    held = {line for _, text in found for line in text.splitlines() if line.strip()}
    assert held == {line for line in PYTHON.splitlines() if line.strip()}


def test_other_languages_are_cut_at_blank_lines_between_definitions() -> None:
    source = "int a;\n\nint f(int x) {\n    int y;\n\n    return y;\n\n}\n\nint g() {\n}\n"
    parsed = read("gauge.c", source)
    assert [text for _, text in kinds(parsed)] == [
        "int a;",
        "int f(int x) {\n    int y;\n\n    return y;\n\n}",
        "int g() {\n}",
    ]
    assert len(kinds(read("broken.py", "def f(:\n    x\n\ny = 1\n"))) == 2


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encodings_are_told_apart(encoding: str) -> None:
    words = "Fährhäfen für Größere: Öl, Übernachtung, Gebühr und Zoë’s café.\r\nNächste Zeile.\r"
    expected = words.replace("\r\n", "\n").replace("\r", "\n")
    assert decode(words.encode(encoding)) == expected


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "empty"),
        (b" \n\t ", "empty"),
        (b"\x7fELF\x00\x00\x01", "binary"),
        (bytes(range(1, 32)) * 20, "binary"),
        (b"\xef\xbb\xbf\xff\xfe", "utf-8"),
        (b"---\ntitle: a: b\n---\nText", "front matter"),
        (b"---\n- a\n---\nText", "front matter"),
        (b"---\ntitle: a\n---\n", "no text"),
        (b"---\ndate: 2026-13-01\n---\nText", "front matter"),
    ],
)
def test_what_cannot_be_read_is_refused_with_a_reason(data: bytes, reason: str) -> None:
    with pytest.raises(FormatError, match=reason):
        read("a.md", data)


def spans_of(parsed: Parsed) -> list[tuple[str, Location]]:
    """Every block's words that are its own, and where they are said to be."""
    document = Document(
        "s/k", "s", "k", "v", "", "en", "f", parsed.text, parsed.blocks, parsed.origin, {},
        frozenset(), marks=parsed.marks,
    )  # fmt: skip
    return [
        (parsed.text[block.start : block.end], location_of(document, block.start, block.end))
        for block in parsed.blocks
    ]


def test_pages_of_a_pdf_hold_the_words_that_are_said_to_be_on_them() -> None:
    import pypdfium2

    data = (PLANS / "winter-works.pdf").read_bytes()
    parsed = read("winter-works.pdf", data)
    document = pypdfium2.PdfDocument(data)
    pages = [page.get_textpage().get_text_range() for page in document]
    assert "Page 2 of 3" in pages[1]
    assert "Page 2 of 3" not in parsed.text
    for words, location in spans_of(parsed):
        assert location.pages is not None
        on = " ".join(" ".join(pages[location.pages[0] - 1 : location.pages[1]]).split())
        for cell in words.split(" | "):
            assert cell in on
    assert {location.pages for _, location in spans_of(parsed)} == {(1, 1), (2, 2), (3, 3)}
    rows = [words for words, _ in spans_of(parsed) if words.startswith("Grid")]
    assert rows == ["Grid | 12,900 | grant"]


def made_pdf(pages: list[list[tuple[float, float, str]]], size: int = 10, **more: Any) -> bytes:
    """A PDF of lines at places."""
    from reportlab.pdfgen.canvas import Canvas

    made = io.BytesIO()
    canvas = Canvas(made, pagesize=(400, 300), invariant=1, **more)
    for page in pages:
        canvas.setFont("Helvetica", size)
        for left, bottom, words in page:
            canvas.drawString(left, bottom, words)
        canvas.showPage()
    canvas.save()
    return made.getvalue()


def test_divided_words_are_put_together_and_the_division_is_kept() -> None:
    first = [
        (50, 200, "The notice to mariners is sent to every skip-"),
        (50, 188, "per of the well-"),
    ]
    second = [(50, 250, "known fleet. It is a well-known fleet.")]
    parsed = read("a.pdf", made_pdf([first, second]))
    assert kinds(parsed) == [
        (
            "PARAGRAPH",
            "The notice to mariners is sent to every skipper of the well-known fleet. "
            "It is a well-known fleet.",
        )
    ]
    skipper, known = parsed.origin.differences
    assert parsed.text[skipper.start : skipper.end] == "skipper"
    assert (skipper.words, known.words) == ("skip-\nper", "well-\nknown")
    assert [mark.page for mark in parsed.marks] == [1, 2]


@pytest.mark.parametrize(
    ("name", "part", "words"),
    [
        ("dredging-2027.docx", "table 1, row 4", "Fish Quay berths | 3.4 m | 3,100 m³ | 18"),
        ("dredging-2027.docx", "paragraph 6", "No more than 1,200 cubic metres a tide"),
        ("season-briefing.pptx", "slide 3", "Owner signs form HC-11 before the tow begins"),
        ("season-briefing.pptx", "notes of slide 2", "The limit was 300 metres last year"),
        ("dues-forecast.xlsx", "sheet Income, row 3", "Pilotage | 88150 | 84000 | 86500"),
        ("dues-forecast.xlsx", "sheet Assumptions, row 4", "Rise of wages | 3.2 %"),
        ("book-of-mooring.epub", "chapter knots", "The bowline makes a loop that holds"),
        ("crane-hire.eml", "body, lines 3-4", "we can let you have the 50 tonne mobile crane"),
        ("gauge-comparison.ipynb", "cell 2, lines 4-6", "def mean_difference(gauge, staff):"),
        ("buoyage.json", "lines 23-28", "number 6 | can | Q R | 3.0 t"),
        ("oil-store.rst", "line 17", "Gear oil GX-220         120 litres"),
        ("noticeboard.png", "lines 2-4", "a brass sextant"),
        ("sail-loft-lease.pdf", "page 1, lines 2-5", "renew it for nine years at 640 crowns"),
    ],
)
def test_every_format_says_where_its_words_are(name: str, part: str, words: str) -> None:
    if name in ("noticeboard.png", "sail-loft-lease.pdf"):
        needs("tesseract")
    parsed = read(name, (PLANS / name).read_bytes())
    check_outline(parsed)
    places = [str(location) for said, location in spans_of(parsed) if words in said]
    assert [location.endswith(part) for location in places] == [True], places


def test_office_places_lead_to_the_words_in_the_original() -> None:
    import docx
    import openpyxl
    import pptx

    document = docx.Document(str(PLANS / "dredging-2027.docx"))
    for words, location in spans_of(read("a.docx", (PLANS / "dredging-2027.docx").read_bytes())):
        kind, number = location.parts[0].split()
        if kind == "paragraph":
            assert document.paragraphs[int(number) - 1].text == words
        else:
            assert location.rows is not None
            cells = document.tables[int(number) - 1].rows[location.rows[0] - 1].cells
            assert " | ".join(cell.text for cell in cells) == words
    book = openpyxl.load_workbook(PLANS / "dues-forecast.xlsx")
    for words, location in spans_of(read("a.xlsx", (PLANS / "dues-forecast.xlsx").read_bytes())):
        if location.rows:
            row = book[location.parts[0].removeprefix("sheet ")][location.rows[0]]
            assert " | ".join(str(cell.value) for cell in row if cell.value is not None) == words
    slides = pptx.Presentation(str(PLANS / "season-briefing.pptx")).slides
    for words, location in spans_of(read("a.pptx", (PLANS / "season-briefing.pptx").read_bytes())):
        slide = slides[int(location.parts[0].split()[-1]) - 1]
        notes = slide.notes_slide.notes_text_frame.text if "notes" in location.parts[0] else ""
        assert words in notes + "".join(one.text_frame.text for one in slide.shapes if not notes)


@pytest.mark.parametrize("name", ["buoyage.json", "gauge-comparison.ipynb"])
def test_every_word_of_a_json_file_is_found_again_in_it(name: str) -> None:
    source = (PLANS / name).read_text()
    parsed = read(name, source)
    for run in parsed.origin.runs:
        original = source[run.original_start : run.original_end]
        words = parsed.text[run.start : run.end]
        assert words in (original, json.loads(f'"{original}"'))
    mapped = sum(run.end - run.start for run in parsed.origin.runs)
    assert mapped > len(parsed.text) * 0.6


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=4), inner, max_size=4)
    ),
    max_leaves=12,
)


@given(json_values)
def test_json_is_read_as_the_standard_reader_reads_it(value: Any) -> None:
    def back(node: Node) -> Any:
        if node.kind == "scalar":
            return plain(node)
        if node.kind == "list":
            return [back(child) for _, child in node.children]
        return {key: back(child) for key, child in node.children}

    text = json.dumps(value)
    assert back(read_json(text, 50)) == json.loads(text)


@given(
    st.text(alphabet=st.sampled_from("ab c.,"), max_size=40),
    st.dictionaries(
        st.sampled_from(["a", "b", "a b", "ab", "c"]), st.text("xyz", max_size=5), max_size=3
    ),
)
def test_corrections_keep_blocks_marks_and_the_way_back(
    text: str, corrections: dict[str, str]
) -> None:
    half = len(text) // 2
    ranges = [(0, half), (half, len(text))]
    parsed = Parsed(
        text,
        tuple(Block(BlockKind.PARAGRAPH, a, b) for a, b in ranges if a < b),
        origin=Origin((OriginRun(0, len(text), 100, 100 + len(text)),) if text else ()),
        marks=tuple(Mark(a, b, page=n) for n, (a, b) in enumerate(ranges) if a < b),
    )
    made = corrected(parsed, corrections) if corrections else parsed
    for one in made.origin.differences:
        wrong = " ".join(one.words.casefold().split())
        assert made.text[one.start : one.end] == corrections[wrong]
        start, end = made.origin.original(one.start, one.end)
        if one.start < one.end:
            assert text[start - 100 : end - 100] == one.words
    undone = list(made.text)
    for one in reversed(made.origin.differences):
        undone[one.start : one.end] = one.words
    assert "".join(undone) == text
    assert len(made.blocks) == len(parsed.blocks)
    if made.blocks:
        assert (made.blocks[0].start, made.blocks[-1].end) == (0, len(made.text))


def packed(files: dict[str, bytes | str]) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return made.getvalue()


CONTAINER = (
    '<container xmlns="urn:oasis:names:tc:opendocument:xmlns:container"><rootfiles>'
    '<rootfile full-path="p.opf"/></rootfiles></container>'
)
EXPANDING = '<!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;">]><package>&b;</package>'
OUTSIDE = '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><package>&a;</package>'


def protected_pdf() -> bytes:
    from reportlab.lib.pdfencrypt import StandardEncryption

    return made_pdf([[(50, 200, "secret")]], encrypt=StandardEncryption("password", strength=128))


def with_macros() -> bytes:
    with zipfile.ZipFile(PLANS / "dredging-2027.docx") as old:
        files: dict[str, bytes | str] = {name: old.read(name) for name in old.namelist()}
    types = bytes(files["[Content_Types].xml"])  # type: ignore[arg-type]
    files["[Content_Types].xml"] = types.replace(
        b"vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml",
        b"vnd.ms-word.document.macroEnabled.main+xml",
    )
    files["word/vbaProject.bin"] = b"macro"
    return packed(files)


@pytest.mark.parametrize(
    ("name", "data", "reason"),
    [
        ("a.docx", packed({"bomb.xml": b"0" * 30_000_000}), "unpacked it has 1 files of 30 MB"),
        ("a.xlsx", packed({f"{n}": "" for n in range(10_001)}), "10001 files"),
        ("a.docx", (PLANS / "dredging-2027.docx").read_bytes()[:9000], "only part of one"),
        ("a.docx", b"%PDF-1.4", "not a Word file"),
        ("a.docx", packed({"hello.txt": "hello"}), "not a Word document"),
        ("a.docx", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"0" * 600, "password"),
        ("a.docx", with_macros(), "macros"),
        ("a.xlsx", (PLANS / "dredging-2027.docx").read_bytes(), "not a workbook"),
        ("a.pptx", (PLANS / "dredging-2027.docx").read_bytes(), "not a presentation"),
        ("a.pdf", b"not a pdf at all", "not a PDF file"),
        ("a.pdf", (PLANS / "winter-works.pdf").read_bytes()[:700], "not a PDF|no text|damaged"),
        ("a.pdf", protected_pdf(), "password"),
        ("a.pdf", made_pdf([[] for _ in range(21)]), "21 pages; the limit is 20"),
        ("a.epub", packed({"META-INF/container.xml": CONTAINER, "p.opf": EXPANDING}), "entities"),
        ("a.epub", packed({"META-INF/container.xml": CONTAINER, "p.opf": OUTSIDE}), "entities"),
        ("a.epub", packed({"META-INF/container.xml": CONTAINER}), "part of it is missing: p.opf"),
        ("a.json", "[" * 40 + "]" * 40, "more than 20 deep"),
        ("a.json", '{"a": 1,\n "b" 2}', r"not valid JSON \(line 2\): a colon"),
        ("a.jsonl", '{"a": 1}\n{"a": }', r"line 2"),
        ("a.json", "{}", "no value"),
        ("a.ipynb", '{"cells": 3}', "no list of cells"),
        ("a.ipynb", '{"cells": []}', "no text"),
        ("a.eml", "no headers here\n\nbody", "no mail headers"),
        ("a.eml", "Subject: x\n\n", "no text"),
        ("a.png", b"\x89PNG nothing", "cannot be opened"),
        ("a.rst", ".. just a comment", "no text"),
        ("a.html", "<p>a</p><![odd[x]]>", "page is damaged"),
    ],
    ids=lambda value: value if isinstance(value, str) and len(value) < 40 else "",
)
def test_bad_files_are_refused_with_a_reason(name: str, data: bytes | str, reason: str) -> None:
    strict = Formats(Limits(expanded_bytes=20_000_000, pages=20, depth=20))
    kind = strict.for_file(name)
    assert kind is not None
    with pytest.raises((FormatError, LimitError), match=reason) as caught:
        kind.read(data if isinstance(data, bytes) else data.encode(), name)
    assert caught.value.remedy


def test_an_entry_longer_than_it_says_is_refused() -> None:
    data = bytearray(packed({"a.txt": b"x" * 5000}))
    at = data.rindex(b"PK\x01\x02")
    data[at + 24 : at + 28] = (10).to_bytes(4, "little")  # the size that the list gives
    with (
        Archive(bytes(data), Limits(), "test") as archive,
        pytest.raises(FormatError, match="damaged"),
    ):
        archive.read("a.txt")


def test_a_missing_package_names_the_extra(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "pypdfium2", None)
    with pytest.raises(MissingExtraError) as caught:
        read("a.pdf", b"%PDF-1.4")
    assert caught.value.remedy == "pip install 'yonder-lantern[pdf]'"


FUZZED = sorted({path.suffix for path in DEMO} | {".vtt", ".csv", ".py", ".jsonl"})


@pytest.mark.parametrize("suffix", FUZZED)
def test_mutated_files_never_crash_a_format(suffix: str) -> None:
    made = {
        ".vtt": SUBTITLES * 3,
        ".csv": 'a,b,"c ""d"""\n1,"2\n2",3\n' * 20,
        ".py": PYTHON * 3,
        ".jsonl": '{"a": "x\\u00e9", "b": [1, 2.5e3]}\n' * 10,
    }
    originals = [path.read_bytes() for path in DEMO if path.suffix == suffix]
    originals = [one for one in originals if len(one) < 40_000] or [made[suffix].encode()]
    if suffix == ".png":
        needs("tesseract")
    read_well = sum(
        map(survives, mutated(suffix, originals, MUTATIONS if suffix != ".png" else 10))
    )
    assert read_well >= (0 if suffix in FRAGILE else MUTATIONS // 4)


FRAGILE = (
    ".docx",
    ".xlsx",
    ".pptx",
    ".epub",
    ".png",
    ".json",
    ".jsonl",
    ".ipynb",
)  # any damage may be fatal


def survives(case: tuple[str, bytes]) -> bool:
    """Whether a mutated file is read; what cannot be must be refused in words."""
    try:
        check_outline(read(*case))
    except (FormatError, LimitError):
        return False
    return True


def test_a_record_with_more_inside_keeps_to_itself(tmp_path: Path) -> None:
    (tmp_path / "documents").mkdir()
    records = [
        {"id": "M-1", "depth": "3.0 m", "services": ["water"], "owner": {"name": "Ada Pell"}},
        {"id": "M-2", "depth": "1.2 m", "notes": [{"when": "May", "what": "chain worn"}]},
        {"id": "M-3", "depth": "2.2 m", "services": []},
    ]
    (tmp_path / "documents/moorings.json").write_text(json.dumps(records))
    (tmp_path / "yonder.toml").write_text("")
    desk = Desk.open(tmp_path)
    desk.gather()
    document = desk.document("documents/moorings.json")
    assert document is not None
    told = {"3.0 m": "M-1", "Ada Pell": "M-1", "chain worn": "M-2", "2.2 m": "M-3"}
    for words, record in told.items():
        at = document.text.index(words)
        assert record in location_of(document, at, at + len(words)).heading
    assert "services: water" in document.text


ANCHORED = """<html><body><h1 id="top">Locks</h1><p>The lock is old.</p>
<p id="hours">It opens at six. <a id="fee"></a>The fee is 4.00.</p>
<dl><dt>sluice<b id="sluice"></b></dt><dd>A gate for water.</dd></dl>
<ul><li id="rule">Keep off the gates.</li></ul></body></html>"""


@pytest.mark.parametrize(
    ("words", "anchor"),
    [
        ("The lock is old", "top"),
        ("It opens at six", "hours"),
        ("The fee is 4.00", "fee"),
        ("sluice", "sluice"),
        ("A gate for water", "sluice"),
        ("Keep off the gates", "rule"),
    ],
)
def test_words_of_a_page_have_the_nearest_anchor_before_them(words: str, anchor: str) -> None:
    parsed = HtmlFormat().read(ANCHORED.encode(), "locks.html")
    at = parsed.text.index(words)
    leads = [mark.anchor for mark in parsed.marks if mark.start <= at < mark.end]
    assert leads == [anchor]
