"""Formats: canonical text, outline, and the way back to the original."""

from __future__ import annotations

import csv
import html
import io
import random
import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.formats import Formats
from yonder_lantern.formats.delimited import rows
from yonder_lantern.records import BlockKind, FormatError, Parsed, heading_trail
from yonder_lantern.text import decode

FORMATS = Formats()
DEMO = sorted((DEMO_FOLDER / "documents").rglob("*.*"))
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
            assert parsed.blocks[block.header].kind is BlockKind.HEADER_ROW


@pytest.mark.parametrize("path", DEMO, ids=lambda path: path.name)
def test_demo_documents_have_a_sound_outline_that_holds_all_their_words(path: Path) -> None:
    parsed = read(path.name, path.read_bytes())
    check_outline(parsed)
    inside = " ".join(parsed.text[b.start : b.end] for b in parsed.blocks)
    body = parsed.text
    if path.suffix == ".md":
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
    assert parsed.details == {"audience": ["crew"], "valid_from": "2026-04-01"}
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
    assert parsed.details == {"language": "en", "author": "A, B", "audience": ["crew", "board"]}
    assert kinds(parsed) == [
        ("HEADING", "One"),
        ("PARAGRAPH", "A para\xadgraph of two lines."),
        ("ITEM", "first"),
        ("ITEM", "second"),
        ("HEADER_ROW", "a | b"),
        ("ROW", "1 | 2"),
        ("CODE", "x = 1\n  y"),
    ]


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
    assert parsed.details == {"speakers": ["Duty controller", "Skipper"]}
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
    ],
)
def test_what_cannot_be_read_is_refused_with_a_reason(data: bytes, reason: str) -> None:
    with pytest.raises(FormatError, match=reason):
        read("a.md", data)


@pytest.mark.parametrize("suffix", [".md", ".html", ".txt", ".vtt", ".csv", ".py"])
def test_mutated_files_never_crash_a_format(suffix: str) -> None:
    generator = random.Random(suffix)
    originals = [path.read_bytes() for path in DEMO if path.suffix == suffix]
    made = {".vtt": SUBTITLES * 3, ".csv": 'a,b,"c ""d"""\n1,"2\n2",3\n' * 20, ".py": PYTHON * 3}
    originals = originals or [made[suffix].encode()]
    read_well = 0
    for _ in range(MUTATIONS):
        data = bytearray(generator.choice(originals))
        for _ in range(generator.randint(1, 40)):
            at = generator.randrange(len(data))
            match generator.randrange(4):
                case 0:
                    data[at] = generator.randrange(256)
                case 1:
                    del data[at : at + generator.randint(1, 80)]
                case 2:
                    data[at:at] = generator.choice([b"<table>", b"```", b"---\n", b"&#x", b"</p"])
                case _:
                    data[at:at] = data[at : at + 200]
            if not data:
                data = bytearray(b"x")
        try:
            check_outline(read(f"a{suffix}", bytes(data)))
            read_well += 1
        except FormatError:
            continue
    assert read_well > MUTATIONS // 4
