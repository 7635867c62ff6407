"""What a caller may see holds for conversations, traces, documents and everything looked at."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable

import pytest

from conftest import call_yonder
from yonder_lantern import Desk
from yonder_lantern.core import CallError, CancelledError, ClosedError, LimitError, YonderError
from yonder_lantern.desk import check_desk, look_at_documents

MakeDesk = Callable[..., Desk]
SETTINGS = (
    '[[source]]\nname = "handbook"\nfolder = "documents/handbook"\n'
    '[[source]]\nname = "crew"\nfolder = "documents/crew"\naudience = ["crew"]\n'
)
FILES = {
    "handbook/quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.",
    "handbook/slip.md": "# Slip\n\nThe slip is free for boats under six metres.",
    "crew/safe.md": "---\ncode: ZX-99\n---\n# The safe\n\nThe safe opens with 4711, says Ferrow.",
}
ASKED = "What does the safe open with?"


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, SETTINGS)
    made.gather()
    return made


def test_a_conversation_goes_on_only_for_those_who_see_as_much(desk: Desk) -> None:
    kept = desk.conversations.start()
    answer, _ = desk.talk(ASKED, kept)
    assert "4711" in answer.text
    with pytest.raises(CallError, match="no conversation"):
        desk.as_caller(["public"]).conversations.resume()
    with pytest.raises(CallError, match="no conversation"):
        desk.as_caller(["crew", "public"]).conversations.resume(kept.id)
    with pytest.raises(CallError, match="wider access"):
        desk.talk("And in winter?", kept, audience=["public"])
    own = desk.as_caller(["public"]).conversations.start()
    desk.talk("When does the quay close in summer?", own, audience=["public"])
    assert desk.as_caller(["public"]).conversations.resume().id == own.id
    assert desk.as_caller(["public", "crew"]).conversations.resume(own.id).id == own.id
    desk.talk("And in winter?", own, audience=["public", "crew"])
    with pytest.raises(CallError, match="no conversation"):  # it may hold more from now on
        desk.as_caller(["public"]).conversations.resume(own.id)
    assert desk.conversations.resume(own.id).turns  # the owner sees all
    mine = desk.as_caller(["public"]).conversations.start(owner="ann")
    desk.talk("When does the quay close?", mine, audience=["public"])
    with pytest.raises(CallError, match="no conversation"):
        desk.as_caller(["public"]).conversations.resume(mine.id, owner="bob")
    assert desk.as_caller(["public"]).conversations.resume(mine.id, owner="ann").owner == "ann"


def test_the_verbs_show_a_caller_nothing_of_what_others_may_see(
    desk: Desk,
) -> None:
    yonder = call_yonder
    desk.talk(ASKED, desk.conversations.start())
    desk.ask(ASKED, audience=["crew"])
    desk.ask("When does the quay close?", audience=["public"])
    folder = desk.folder
    told = ""
    for arguments in (
        ["look"],
        ["look", "--documents"],
        ["look", "--metadata"],
        ["look", "--sizes"],
        ["look", "--topics"],
        ["look", "--duplicates"],
        ["look", "--random", "50"],
        ["look", "crew/safe.md"],
        ["look", "--failures"],
        ["trace"],
        ["trace", "--last"],
        ["talk", "--resume"],
        ["find", "safe"],
    ):
        for extra in ([], ["--json"]):
            ran = yonder(*arguments, "--audience", "public", *extra, cwd=folder, stdin="")
            told += ran.out + ran.err
    for word in ("4711", "Ferrow", "ZX-99", "The safe opens", ASKED):
        assert word not in told
    assert "handbook/quay.md" in told
    assert yonder("look", "crew/safe.md", "--audience", "public", cwd=folder).status == 2
    assert "4711" in yonder("look", "crew/safe.md", "--audience", "crew", cwd=folder).out
    listed = yonder("trace", "--audience", "public", "--json", cwd=folder).json
    assert [one["question"] for one in listed] == ["When does the quay close?"]


def test_documents_are_given_to_those_who_may_see_them(desk: Desk) -> None:
    assert desk.document("crew/safe.md") is not None
    assert desk.as_caller(["crew"]).document("crew/safe.md") is not None
    assert desk.as_caller(["public"]).document("crew/safe.md") is None
    assert desk.as_caller(as_of="2026-01-01").document("crew/safe.md") is not None


def test_closing_while_questions_run_lets_them_end(desk: Desk) -> None:
    wrong: list[str] = []
    over = threading.Event()

    def ask() -> None:
        while not over.is_set():
            try:
                hits = desk.find("When does the quay close?")
                if hits[0].document != "handbook/quay.md":
                    wrong.append(hits[0].document)
            except YonderError as error:
                wrong.append(str(error))

    threads = [threading.Thread(target=ask) for _ in range(6)]
    for thread in threads:
        thread.start()
    for number in range(25):
        desk.close()
        if number % 5 == 0:
            desk.gather(items={"n.md": f"# Note\n\nNote {number}."}, source="notes")
    over.set()
    for thread in threads:
        thread.join()
    assert wrong == []


def test_a_generation_that_was_closed_says_so_and_not_that_it_is_damaged(desk: Desk) -> None:
    snapshot = desk.snapshot()
    with snapshot.held():
        desk.close()
        assert snapshot.document("handbook/quay.md") is not None  # held: it stays
    with pytest.raises(ClosedError), snapshot.held():
        pass
    with pytest.raises(ClosedError):
        snapshot.document("handbook/quay.md")


def test_a_stream_outlives_a_gather(desk: Desk) -> None:
    events = desk.stream("When does the quay close?")
    first = next(events)
    desk.gather(items={"n.md": "# Note\n\nA note."}, source="notes")
    assert [first, *events][-1].answer.citations[0].document == "handbook/quay.md"  # type: ignore[union-attr]
    assert json.dumps(desk.traces.last()["question"])


def test_a_view_shows_its_caller_and_nothing_else(desk: Desk) -> None:
    guest = desk.as_caller(["public"])
    assert guest.find("Where is the safe?") == desk.find("Where is the safe?", audience=["public"])
    assert guest.ask(ASKED).text == desk.ask(ASKED, audience=["public"]).text
    assert "crew/safe.md" not in {one.id for one in look_at_documents(guest)}
    assert all(key.partition("#")[0] != "crew/safe.md" for key in guest.vectors().keys)
    desk.ask(ASKED)
    assert all(one["audience"] == ["public"] for one in guest.traces.newest_first())
    with pytest.raises(CallError, match="not in the audience 'crew'"):
        guest.find("safe", audience=["crew"])
    with pytest.raises(CallError, match="not in the audience 'crew'"):
        guest.as_caller(["crew", "public"])
    for deed in (guest.gather, guest.grade, guest.tune, lambda: guest.add_source("x.md")):
        with pytest.raises(CallError, match="only the desk's owner"):
            deed()


def test_a_view_is_bound_to_its_moment(desk: Desk) -> None:
    then = desk.as_caller(as_of="2020-01-01")
    assert then.caller.is_owner
    assert then.find("quay") == desk.find("quay", as_of="2020-01-01")
    with pytest.raises(CallError, match="this caller sees what was valid at 2020-01-01"):
        then.find("quay", as_of="2026-01-01")


def test_a_deadline_and_a_signal_end_a_question(desk: Desk) -> None:
    signal = threading.Event()
    signal.set()
    for call in (desk.find, desk.ask, lambda *a, **k: list(desk.stream(*a, **k))):
        with pytest.raises(LimitError, match="more than 1e-09 seconds"):
            call("Where is the quay?", timeout=1e-9)
        with pytest.raises(CancelledError):
            call("Where is the quay?", cancel=signal)
    assert desk.find("Where is the quay?", timeout=60)


def test_prompt_values_are_those_that_the_settings_know(desk: Desk) -> None:
    told = Desk.open(desk.folder, settings={"answer.values": {"caller": "a visitor"}})
    (desk.folder / "prompts").mkdir()
    (desk.folder / "prompts" / "declined.j2").write_text("Sorry, {{ values.caller }}.")
    question = "What colour is the moon's far side at Whitsun?"
    assert told.ask(question).text == "Sorry, a visitor."
    assert told.ask(question, values={"caller": "Ann"}).text == "Sorry, Ann."
    with pytest.raises(CallError, match="no prompt value is called 'calller'"):
        told.ask(question, values={"calller": "Ann"})
    found = {one.about: one for one in check_desk(told)}
    assert "caller" in found["answer.values"].finding
    assert [one.state for one in check_desk(desk) if one.about == "prompts/declined.j2"] == ["bad"]
