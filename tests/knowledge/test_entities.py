"""Statements: read from tables, terms and plain sentences, bound to their words, with time."""

from __future__ import annotations

import csv
import json
import xml.etree.ElementTree as ET
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import WITH_CREW, Ran
from yonder_lantern import Desk
from yonder_lantern.core import Block, BlockKind, CallError, Document, EntityStatement, Origin
from yonder_lantern.knowledge import statements_of
from yonder_lantern.knowledge.sentence_forms import said_in
from yonder_lantern.knowledge.stated_period import period_of_sentence

MakeDesk = Callable[..., Desk]
FILES: dict[str, str | bytes] = {
    "register.md": "# Register\n\n| Name | Kind | Load |\n|---|---|---|\n"
    "| BL-60 | boat lift | 60 t |\n| CR-1 | jib crane | |\n",
    "terms.html": "<h1>Terms</h1><dl><dt>Fender</dt><dd>A cushion for the hull.</dd>"
    "<dt>Bollard</dt><dd>A post for ropes.</dd></dl>",
    "office.md": "# Office\n\nThe Harbour Office is located in Customs Steps. It opens early.\n\n"
    "The vessel traffic service (VTS) is run by the Trust.\n\n"
    "A pilot is a person who knows the way.\n",
}


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, WITH_CREW)
    (made.folder / "crew").mkdir()
    table = "| Name | Code |\n|---|---|\n| BL-60 | 7731 |\n"
    safe = f"# Safe\n\nThe BL-60 key is kept in the safe.\n\n{table}"
    (made.folder / "crew" / "safe.md").write_text(safe)
    made.gather()
    return made


def statements(desk: Desk, name: str) -> list[EntityStatement]:
    document = desk.document(f"documents/{name}")
    assert document is not None
    return list(statements_of(document))


def said(desk: Desk, name: str) -> set[tuple[str, str, str]]:
    return {(one.relation, one.object, one.way) for one in desk.entity(name).says}


def test_tables_terms_abbreviations_and_sentences_say_things(desk: Desk) -> None:
    assert ("Load", "60 t", "table") in said(desk, "bl 60")
    assert said(desk, "the CR-1") == {("Kind", "jib crane", "table")}  # an empty cell says nothing
    assert said(desk, "fender") == {("means", "A cushion for the hull.", "term")}
    assert said(desk, "Harbour Offices") == {("is located in", "Customs Steps", "sentence")}
    assert ("is", "a person who knows the way", "sentence") in said(desk, "pilot")
    card = desk.entity("VTS")
    assert ("is run by", "the Trust", "sentence") in said(desk, "VTS")
    assert {card.name, *card.also} == {"VTS", "vessel traffic service"}
    assert "documents/office.md explains the abbreviation" in card.also.values()


def test_every_statement_stands_in_the_words_it_names(demo: Path, desk: Desk) -> None:
    for opened in (Desk.open(demo), desk):
        with opened.knowledge() as known:
            names = [name for name, _ in known.entities()][:60]
        for name in names:
            for one in opened.entity(name).says:
                document = opened.document(one.document)
                assert document is not None
                words = " ".join(document.text[one.start : one.end].split())
                assert one.object.removesuffix(" …").split()[0].strip("*_`") in words
                assert document.version == one.version


def test_what_a_caller_may_not_see_is_not_said(desk: Desk) -> None:
    assert ("Code", "7731", "table") in said(desk, "BL-60")
    public = desk.as_caller(["public"])
    assert ("Code", "7731", "table") not in said(public, "BL-60")
    with pytest.raises(CallError, match="nothing is said"):
        public.entity("BL-60 key")
    with public.knowledge() as known:
        assert "BL-60 key" not in [name for name, _ in known.entities()]


def test_a_changed_document_withdraws_what_it_said(desk: Desk) -> None:
    assert ("Load", "60 t", "table") in said(desk, "BL-60")
    path = desk.folder / "documents" / "register.md"
    path.write_text(str(FILES["register.md"]).replace("60 t", "55 t"))
    desk.gather()
    card = desk.entity("BL-60")
    assert {one.object for one in card.says if one.relation == "Load"} == {"55 t"}
    assert {one.object for one in card.earlier if one.relation == "Load"} == {"60 t"}
    assert all(one.withdrawn for one in card.earlier)
    assert {one.relation for one in card.earlier} == {"Load"}  # the rest is said still
    path.unlink()
    desk.gather()
    assert not [one for one in desk.entity("BL-60").says if one.document.startswith("documents/")]


def test_what_holds_for_a_time_is_said_as_of_a_date(make_desk: MakeDesk) -> None:
    dates = "---\nvalid_from: 2024-01-01\nvalid_until: 2025-01-01\n---\n"
    old = f"{dates}# Fees\n\nA berth costs 9 crowns.\n"
    new = "---\nvalid_from: 2025-01-01\n---\n# Fees\n\nA berth costs 12 crowns.\n"
    desk = make_desk({"old.md": old, "new.md": new})
    desk.gather()
    assert said(desk, "berth") == {("costs", "12 crowns", "sentence")}
    assert said(desk.as_caller(as_of="2024-06-01"), "berth") == {("costs", "9 crowns", "sentence")}
    assert [one.object for one in desk.entity("berth").earlier] == ["9 crowns"]


def test_a_row_or_sentence_holds_between_the_dates_it_names(make_desk: MakeDesk) -> None:
    rows = "| AB-1 | 9 crowns | 2024-01-01 | 31 December 2024 |\n"
    rows += "| AB-1 | 12 crowns | 2025-01-01 | |\n"
    table = f"| Berth | Fee | Valid from | Valid until |\n|---|---|---|---|\n{rows}"
    slip = "The boat slip is closed from 1 May 2026 to 30 June 2026. The tug was built in 1998."
    desk = make_desk({"fees.md": f"# Fees\n\n{table}", "slip.md": f"# Slip\n\n{slip}\n"})
    desk.gather()

    def fee(day: str) -> set[str]:
        card = desk.as_caller(as_of=day).entity("AB-1")
        return {one.object for one in card.says if one.relation == "Fee"}

    assert fee("2024-12-31") == {"9 crowns"}
    assert fee("2025-01-01") == {"12 crowns"}
    assert not fee("2023-06-01")
    (closed,) = (one for one in statements(desk, "slip.md") if "closed" in one.relation)
    assert (closed.valid_from[:10], closed.valid_until[:10]) == ("2026-05-01", "2026-07-01")


def test_statements_go_out_in_open_formats(desk: Desk, yonder: Callable[..., Ran]) -> None:
    for name in ("k.graphml", "k.jsonld", "k.csv"):
        ran = yonder("look", "--export", name, "--audience", "public", cwd=desk.folder)
        assert ran.status == 0, ran.err
        assert "7731" not in (desk.folder / name).read_text()
    edges = ET.parse(desk.folder / "k.graphml").getroot().findall(".//{*}edge")
    graph = json.loads((desk.folder / "k.jsonld").read_text())["@graph"]
    with (desk.folder / "k.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    assert len(edges) == len(graph) == len(rows) > 5
    assert yonder("look", "--export", "k.odd", cwd=desk.folder).status == 2


def test_the_command_shows_a_card(desk: Desk, yonder: Callable[..., Ran]) -> None:
    ran = yonder("look", "--entity", "bl-60", cwd=desk.folder)
    assert "Load: 60 t" in ran.out
    assert "documents/register.md#" in ran.out
    assert yonder("look", "--entities", "--json", cwd=desk.folder).json[0]["statements"] >= 2
    assert yonder("look", "--entity", "unicorn", cwd=desk.folder).status == 2
    drawn = yonder("look", "--entity", "BL-60", "--to", "CR-1", "--draw", "x.png", cwd=desk.folder)
    assert drawn.status == 2
    assert "--draw draws one entity" in drawn.err


def test_declared_relations_and_kinds_are_read(
    make_desk: MakeDesk, yonder: Callable[..., Ran]
) -> None:
    desk = make_desk(
        {
            "boats.md": "# Boats\n\nThe Teasel lies alongside Fish Quay. The Plover is moored to "
            "the Mole.\n\n| Boat | Berth | Engine |\n|---|---|---|\n| Heron | B-12 | EN-7 |\n",
        }
    )
    desk.gather()
    assert said(desk, "Heron") == {("Berth", "B-12", "table"), ("Engine", "EN-7", "table")}
    with pytest.raises(CallError):
        desk.entity("Teasel")
    settings = desk.folder / "yonder.toml"
    settings.write_text(
        settings.read_text() + '[[relation]]\nname = "berthed at"\n'
        'also = ["lies alongside", "is moored to", "Berth"]\n'
        "[[entity_kind]]\nname = \"engine\"\npattern = 'EN-\\d+'\n"
        "[[entity_kind]]\nname = \"boat\"\npattern = '[A-Z][a-z]+'\n"
    )
    desk = Desk.open(desk.folder)
    assert said(desk, "Teasel") == {("berthed at", "Fish Quay", "sentence")}
    assert said(desk, "Plover") == {("berthed at", "the Mole", "sentence")}
    assert ("berthed at", "B-12", "table") in said(desk, "Heron")
    assert not desk.entity("Heron").earlier  # read otherwise is not withdrawn
    assert (desk.entity("Heron").kind, desk.entity("EN-7").kind) == ("boat", "engine")
    listed = yonder("look", "--entities", "--kind", "boat", "--json", cwd=desk.folder).json
    assert {one["name"] for one in listed} == {"Heron", "Teasel", "Plover"}
    assert yonder("look", "--kind", "boat", cwd=desk.folder).status == 2
    settings.write_text('[[entity_kind]]\nname = "x"\npattern = "("\n')
    wrong = yonder("look", "--entities", cwd=desk.folder)
    assert wrong.status == 2
    assert "no regular expression" in wrong.err


@pytest.mark.parametrize(
    ("sentence", "said"),
    [
        ("The lock gate is opened by the keeper.", ("lock gate", "is opened by", "the keeper")),
        ("As of 2.1, pilot supports two radios.", ("pilot", "supports", "two radios")),
        ("Buoys do not carry lamps.", ("Buoys", "do not carry", "lamps")),
        ("--quay is ignored for barges.", ("--quay", "is ignored for", "barges")),
        ("Note that fees depend on length.", ("fees", "depend on", "length")),
        (
            "Gauges have a wire, a float and a lid.",
            ("Gauges", "have", "a wire, a float and a lid"),
        ),
        ("It lies at the quay.", None),
        ("The install command runs.", None),
        ("Many boats use fenders.", None),
        ("The file contains the following lines:", None),
        ("Each time the tug sends a signal, wait.", None),
        ("You must report this.", None),
    ],
)
def test_sentences_of_plain_forms_are_read_and_others_are_not(
    sentence: str, said: tuple[str, str, str] | None
) -> None:
    assert said_in(sentence) == said


@given(st.text(alphabet="from untilsince 0123456789-. May,June2026", max_size=80))
def test_any_period_is_a_period(sentence: str) -> None:
    begins, ends = period_of_sentence(sentence, UTC)
    for moment in filter(None, (begins, ends)):
        assert datetime.fromisoformat(moment).tzinfo is not None


WORDS = st.sampled_from(
    "The the a lamp lamps is are has not of in depends on . , ( ) -- it AB-1 é".split()
)


@given(st.lists(WORDS, max_size=30))
def test_reading_a_sentence_ends_and_names_what_it_holds(words: list[str]) -> None:
    sentence = " ".join(words)
    found = said_in(sentence)
    assert found is None or all(found)
    assert found is None or found[0].split()[0] in sentence


def test_terms_of_one_definition_are_all_defined(make_desk: MakeDesk) -> None:
    page = "<h1>lamp</h1><dl><dt>-g</dt><dt>--grow</dt><dd>Makes the light grow.</dd></dl>"
    desk = make_desk({"lamp.html": page})
    desk.gather()
    for name in ("-g", "--grow"):
        assert said(desk, name) == {("means", "Makes the light grow.", "term")}


@given(st.text(max_size=200))
def test_any_text_is_read_without_a_fault(text: str) -> None:
    blocks = (Block(BlockKind.PARAGRAPH, 0, len(text)),) if text else ()
    public = frozenset(["public"])
    named = ("a/b", "a", "b", "v", "t", "en", "text")
    document = Document(*named, text, blocks, Origin(), {}, public)
    for one in statements_of(document):
        assert 0 <= one.start < one.end <= len(text)
        assert one.subject
        assert one.object
