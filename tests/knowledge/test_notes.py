"""Notes: who sees them, when they hold, what they say otherwise, and that none is lost."""

from __future__ import annotations

import json
import multiprocessing
import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Ran
from yonder_lantern import Desk
from yonder_lantern.core import LONGEST_NOTE, Caller, CallError, Note, StateError
from yonder_lantern.knowledge import NoteBook, as_note_texts, rank_notes, sqlite_notes

MakeDesk = Callable[..., Desk]
SETTINGS = """
[[source]]
name = "documents"
folder = "documents"
include = ["*.md"]

[[source]]
name = "crew"
folder = "crew"
audience = ["crew"]
"""
QUAY = "# Quay\n\nThe fuel berth closes at 18:30 in summer.\n\nThe crane lifts 12 tonnes.\n"
SECRET = (
    "# Safe\n\nThe spare key of the harbour safe hangs behind the blue door of the boat shed.\n"
)


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk({"quay.md": QUAY}, SETTINGS)
    (made.folder / "crew").mkdir()
    (made.folder / "crew" / "safe.md").write_text(SECRET)
    made.gather()
    return made


def test_notes_stand_beside_an_answer_and_never_in_it(desk: Desk) -> None:
    note = desk.notes.leave("The fuel berth closes at 16:00 since the fire.", by="ada")
    answer = desk.ask("When does the fuel berth close in summer?")
    assert [one.note for one in answer.notes] == [note]
    assert "16:00" not in answer.text
    assert all("16:00" not in one.quote for one in answer.citations)
    assert answer.notes[0].contradicts == (f"documents/quay.md#{answer.citations[0].start}",)
    assert desk.ask("Who owns the moon?").notes == ()
    assert desk.ask("When does the fuel berth close?", way="documents").notes == ()
    quiet = Desk.open(desk.folder, settings={"notes.beside_answers": False})
    assert quiet.ask("When does the fuel berth close in summer?").notes == ()


def test_a_newer_note_that_says_otherwise_comes_first(desk: Desk) -> None:
    older = desk.notes.leave("The crane is closed until 10:00.")
    newer = desk.notes.leave("The crane is closed until 12:00.")
    found = desk.find_notes("Until when is the crane closed?")
    assert [one.note for one in found] == [newer, older]
    assert (found[0].newer, found[1].newer) == ("", newer.id)


def test_only_those_with_its_label_see_a_note(desk: Desk) -> None:
    crew = desk.as_caller(["crew", "public"])
    note = crew.notes.leave("The crane squeaks at night.", by="bo")
    assert note.audience == ("crew",)
    public = desk.as_caller(["public"])
    for see, seen in ((desk, 1), (crew, 1), (public, 0)):
        assert len(see.find_notes("Does the crane squeak?")) == seen
        assert len(see.notes.all()) == seen
    with pytest.raises(CallError, match="no note"):
        public.notes.get(note.id)
    with pytest.raises(CallError, match="does not have the label"):
        public.notes.leave("x", audience=["crew"])
    with pytest.raises(CallError, match="could be for"):
        desk.as_caller(["crew", "board"]).notes.leave("x")


def test_a_note_cannot_carry_restricted_words_out(desk: Desk) -> None:
    quote = "I read: the spare key of the harbour safe hangs behind the blue door."
    with pytest.raises(CallError, match="not all of public may see") as caught:
        desk.notes.leave(quote, audience=["public"])
    assert "safe.md" not in str(caught.value)
    assert desk.notes.leave(quote, audience=["crew"]).audience == ("crew",)
    with pytest.raises(CallError, match="not all of public may see"):
        desk.notes.leave("See there.", about="crew/safe.md")
    with pytest.raises(CallError, match="no document"):
        desk.as_caller(["public"]).notes.leave("See there.", about="crew/safe.md")


def test_notes_hold_for_a_time_and_are_withdrawn(desk: Desk) -> None:
    book = desk.notes
    past = book.leave("The crane is painted.", valid_from="2020-01-01", valid_until="2020-02-01")
    now = book.leave("The crane is oiled.", valid_from="2020-01-01")
    later = book.leave("The crane is sold.", valid_from="2999-01-01")
    assert [one.id for one in book.standing()] == [now.id]
    assert {one.id for one in book.all()} == {past.id, now.id, later.id}
    public = desk.as_caller(["public"])
    with pytest.raises(CallError, match="owner left this note"):
        public.notes.withdraw(now.id, by="ada")
    gone = book.withdraw(now.id, by="cy")
    assert (gone.withdrawn_by, book.standing()) == ("cy", [])
    assert book.withdraw(now.id, by="dee") == gone  # once is enough
    with pytest.raises(CallError, match="only the desk's owner"):
        public.notes.forget(now.id)
    book.forget(now.id)
    with pytest.raises(CallError, match="no note"):
        book.get(now.id)
    database = (desk.state / "notes" / "notes.sqlite").read_bytes()
    assert b"oiled" not in database  # for good


@pytest.mark.parametrize(
    "wrong",
    [
        {"text": "  "},
        {"text": "x" * 4001},
        {"text": "x", "valid_until": "soon"},
        {"text": "x", "valid_from": "2026-02-01", "valid_until": "2026-01-01"},
        {"text": "x", "audience": [" "]},
    ],
)
def test_what_is_no_note_is_refused(desk: Desk, wrong: dict[str, Any]) -> None:
    with pytest.raises(CallError):
        desk.notes.leave(**wrong)
    assert desk.notes.all() == []


def _leave(folder: Path, name: str, count: int) -> None:
    book = NoteBook(sqlite_notes(folder), Caller())
    for number in range(count):
        book.leave(f"{name} {number}")


def test_notes_of_several_processes_are_all_kept(tmp_path: Path) -> None:
    context = multiprocessing.get_context("spawn")
    writers = [
        context.Process(target=_leave, args=(tmp_path, f"writer{number}", 40))
        for number in range(4)
    ]
    for one in writers:
        one.start()
    for one in writers:
        one.join()
    notes = NoteBook(sqlite_notes(tmp_path), Caller()).all()
    assert {one.text for one in notes} == {f"writer{w} {n}" for w in range(4) for n in range(40)}
    assert len({one.id for one in notes}) == 160


def test_notes_are_shared_over_postgresql(
    desk: Desk, postgres: tuple[str, Callable[[str], None]]
) -> None:
    address, _ = postgres
    one = Desk.open(desk.folder, settings={"notes.address": address})
    note = one.notes.leave("The crane is for hire in the shared yard.")
    other = Desk.open(desk.folder, settings={"notes.address": address})
    assert [found.note for found in other.find_notes("Is the crane for hire?")] == [note]
    other.notes.withdraw(note.id)
    assert one.find_notes("Is the crane for hire?") == []
    other.notes.forget(note.id)


def test_damage_is_told_and_costs_no_answer(desk: Desk, caplog: pytest.LogCaptureFixture) -> None:
    desk.notes.leave("The crane is out of order.")
    path = desk.state / "notes" / "notes.sqlite"
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("UPDATE notes SET note = replace(note, 'order', 'ordre')")
        connection.commit()
    with pytest.raises(StateError, match="notes are damaged"):
        desk.notes.all()
    assert desk.ask("What does the crane lift?").answered
    assert "could not be read" in caplog.text


@given(st.lists(st.text("abc ", min_size=1, max_size=12), max_size=6), st.text("abc ", max_size=8))
def test_ranks_are_shares_and_repeat(texts: list[str], question: str) -> None:
    notes = [
        Note(str(at), text, "x", f"2026-01-0{at + 1}", ("public",)) for at, text in enumerate(texts)
    ]
    asked = {word: [word] for word in question.split()}
    weights = dict.fromkeys(asked, 1.0)
    found = rank_notes(notes, weights, asked, str.split)
    assert all(0 < one.score <= 1 for one in found)
    assert [one.score for one in found] == sorted((one.score for one in found), reverse=True)
    assert found == rank_notes(notes, weights, asked, str.split)


def test_the_command_leaves_finds_and_withdraws(desk: Desk, yonder: Callable[..., Ran]) -> None:
    assert yonder("notes", cwd=desk.folder).status == 1
    left = yonder("notes", "--leave", "The crane is out of order.\x1b[31m", "--by", "ada", "--json",
                  cwd=desk.folder).json  # fmt: skip
    ran = yonder("ask", "What does the crane lift?", cwd=desk.folder)
    assert "Notes that people left, not part of the answer:" in ran.out
    assert "\x1b[31m" not in ran.out
    assert yonder("notes", "--find", "Is the crane in order?", cwd=desk.folder).status == 0
    exported = desk.folder / "notes.jsonl"
    assert yonder("notes", "--export", str(exported), cwd=desk.folder).status == 0
    assert json.loads(exported.read_text())["by"] == "ada"
    assert yonder("notes", "--withdraw", left["id"][:18], cwd=desk.folder).status == 0
    assert yonder("notes", cwd=desk.folder).status == 1
    assert yonder("notes", "--all", cwd=desk.folder).status == 0
    assert yonder("notes", "--forget", "nothing", cwd=desk.folder).status == 2


def test_a_conversation_is_left_as_notes_and_says_things(
    make_desk: Callable[..., Desk], yonder: Callable[..., Ran]
) -> None:
    desk = make_desk({"a.md": "# Gate\n\nThe sluice gate is kept in the north yard.\n"})
    desk.gather()
    conversation = desk.conversations.start()
    desk.talk("Where is the sluice gate kept?", conversation)
    desk.talk("What does a unicorn weigh?", conversation)
    (note,) = desk.leave_conversation(conversation.id, by="ada")
    assert note.text.startswith("Asked: Where is the sluice gate kept?\n\nAnswered: ")
    assert "unicorn" not in note.text
    assert "[1]" not in note.text
    assert note.source == f"conversation {conversation.id}, part 1"
    card = desk.entity("sluice gate")
    assert [one.document for one in card.noted] == [f"note {note.id}"]
    start, end = card.noted[0].start, card.noted[0].end
    assert note.text[start:end] == "The sluice gate is kept in the north yard."
    assert all(one.document == "documents/a.md" for one in card.says)
    shown = yonder("look", "--entity", "sluice gate", cwd=desk.folder).out
    assert "From notes" in shown
    desk.notes.withdraw(note.id)
    assert not desk.entity("sluice gate").noted
    ran = yonder("notes", "--conversation", conversation.id, cwd=desk.folder)
    assert "1 note kept for public." in ran.out
    assert yonder("notes", "--conversation", "nosuch", cwd=desk.folder).status == 2


def test_a_conversation_is_not_left_for_those_who_may_not_see_what_it_quotes(
    make_desk: Callable[..., Desk],
) -> None:
    crew = "---\naudience: [crew]\n---\n# Safe\n\n"
    crew += "The code of the old harbour safe is seven seven three one.\n"
    settings = '[[source]]\nname = "documents"\nfolder = "documents"\n'
    settings += 'audience = ["public", "crew"]\n'
    desk = make_desk({"safe.md": crew}, settings)
    desk.gather()
    conversation = desk.conversations.start()
    desk.talk("What is the code of the old harbour safe?", conversation)
    with pytest.raises(CallError, match="quotes"):
        desk.leave_conversation(conversation.id)
    assert desk.notes.all() == []
    assert desk.leave_conversation(conversation.id, audience=["crew"])


@given(st.lists(st.tuples(st.text(max_size=3000), st.text(max_size=6000)), max_size=6))
def test_no_turn_of_a_conversation_is_lost(turns: list[tuple[str, str]]) -> None:
    found = as_note_texts(turns)
    assert all(0 < len(text) <= LONGEST_NOTE for text in found)
    assert sum(text.count("Asked: ") for text in found) >= len(turns) if turns else not found
