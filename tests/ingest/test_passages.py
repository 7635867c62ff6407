"""Passages: nothing lost, nothing cut in half."""

from __future__ import annotations

from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import SCANNED, needs
from yonder_lantern.core import BlockKind, Document, Item, Stamp
from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.ingest.formats import Formats, read_document
from yonder_lantern.ingest.passages import context_header, cut
from yonder_lantern.text import count_tokens, sentences

DEMO = sorted((DEMO_FOLDER / "documents").rglob("*.*"))

HEADINGS = (BlockKind.HEADING, BlockKind.HEADER_ROW, BlockKind.TERM)


def document_of(name: str, data: bytes) -> Document:
    item = Item(
        "s", name, lambda: data, Stamp(len(data), 0), frozenset({"public", "crew", "board"})
    )
    kind = Formats().for_file(name)
    assert kind is not None
    return read_document(item, data, kind, zone=ZoneInfo("UTC"))


def check_cut(document: Document, tokens: int, overlap: int) -> None:
    text = document.text
    passages = cut(document, tokens=tokens, overlap=overlap, max_tokens=10**6)
    starts = [passage.start for passage in passages]
    assert starts == sorted(set(starts))
    for block in document.blocks:  # every block stands in one passage or in several together
        held = sum(max(0, min(p.end, block.end) - max(p.start, block.start)) for p in passages)
        assert held >= len("".join(text[block.start : block.end].split()))
    edges = {edge for p in passages for edge in (p.start, p.end)}
    for block in document.blocks:
        inside = {edge for edge in edges if block.start < edge < block.end}
        if block.kind in (BlockKind.ROW, *HEADINGS):
            assert not inside
        elif block.kind is BlockKind.CODE:
            for edge in inside:
                line_start = text.rfind("\n", 0, edge) + 1
                assert text[line_start:edge].strip() == "" or text[edge : edge + 1] in ("\n", "")
        else:
            bounds = {b for span in sentences(text, block.start, block.end) for b in span}
            assert inside <= bounds
    for passage in passages:
        assert passage.tokens == count_tokens(text[passage.start : passage.end])
        own = [b for b in document.blocks if b.start < passage.end and b.end > passage.start]
        sizes = {b: count_tokens(text[b.start : b.end]) for b in own}
        above = sum(size for b, size in sizes.items() if b.kind in HEADINGS)
        # Over the limit only by what may not be parted: headings, and one unit that is too long.
        assert passage.tokens <= above + max(tokens + overlap, 2 * max(sizes.values()))


@pytest.mark.parametrize("path", DEMO, ids=lambda path: path.name)
def test_demo_documents_are_cut_along_their_structure(path: Path) -> None:
    if path.name in SCANNED:
        needs("tesseract")
    document = document_of(path.name, path.read_bytes())
    for tokens, overlap in ((180, 30), (60, 20), (20, 0)):
        check_cut(document, tokens, overlap)


blocks = st.sampled_from(
    [
        "# Heading",
        "## Lower",
        "A sentence here. Another one follows. And a third, somewhat longer one ends it.",
        "- item one\n- item two is longer than that\n- item three",
        "| a | b |\n|---|---|\n| 1 | 2 |\n| 3 | 4 |\n| 5 | 6 |",
        "```\nx = 1\ny = 2\n\nz = 3\n```",
        "word " * 60,
    ]
)


@settings(max_examples=60, deadline=None)
@given(st.lists(blocks, min_size=1, max_size=12), st.integers(20, 80), st.integers(0, 10))
def test_any_document_is_cut_along_its_structure(
    parts: list[str], tokens: int, overlap: int
) -> None:
    check_cut(document_of("a.md", "\n\n".join(parts).encode()), tokens, overlap)


@given(st.lists(st.integers(1, 30), min_size=1, max_size=30))
def test_a_term_and_its_definition_stand_in_one_passage(lengths: list[int]) -> None:
    entries = "".join(
        f"<dt>--option-{at}<dd>{' '.join(['word'] * length)}" for at, length in enumerate(lengths)
    )
    document = document_of("options.html", f"<h1>Options</h1><dl>{entries}</dl>".encode())
    passages = cut(document, tokens=60, overlap=10)
    terms = [block for block in document.blocks if block.kind is BlockKind.TERM]
    assert len(terms) == len(lengths)
    for term in terms:
        number = document.blocks.index(term)
        (said,) = (block for block in document.blocks if block.header == number)
        assert any(one.start <= term.start and said.end <= one.end for one in passages)


def test_the_rest_of_a_long_definition_is_found_by_its_term() -> None:
    page = "<h1>Options</h1><dl><dt>--brave<dd>" + "<p>It goes on and on.</p>" * 40 + "</dl>"
    document = document_of("options.html", page.encode())
    *_, last = cut(document, tokens=60, overlap=0)
    assert context_header(document, last.block, last.start) == "options.html\nOptions\n--brave"


def test_the_lead_holds_title_headings_and_header_row() -> None:
    rows = "\n".join(f"| place {n} | {n}.00 crowns |" for n in range(30))
    document = document_of(
        "a.md", f"# Tariff\n\n## Berths\n\n| Where | Charge |\n|---|---|\n{rows}\n".encode()
    )
    passages = cut(document, tokens=60, overlap=0)
    assert len(passages) > 3
    assert context_header(document, passages[0].block, passages[0].start) == "Tariff"
    assert (
        context_header(document, passages[2].block, passages[2].start)
        == "Tariff\nBerths\n| Where | Charge |"
    )
