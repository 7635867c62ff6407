"""A conversation with a desk: corrections, preferences, stopped turns, a recap, a model."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from yonder_lantern import Desk
from yonder_lantern.conversation import Preference, full_question, recap, taken_apart
from yonder_lantern.core import Piece

MakeDesk = Callable[..., Desk]
ROOT = Path(__file__).parent.parent.parent
TURNS = [
    json.loads(line)
    for line in (ROOT / "benchmarks/follow_ups/turns.jsonl").read_text("utf-8").splitlines()
]
FILES = {
    "quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n",
    "slip.md": "# Slip\n\nThe slip closes at 20:00 in summer and at 16:00 in winter.\n",
    "fees.md": "# Fees\n\nA boat of 11 m pays 34 crowns a night at the visitors' pontoon.\n",
}
SOURCES = """
[[source]]
name = "documents"
folder = "documents"
[[source]]
name = "notices"
folder = "notices"
"""


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, SOURCES)
    (made.folder / "notices").mkdir()
    (made.folder / "notices" / "n1.md").write_text("# Notice 1\n\nThe gate is shut in October.\n")
    made.gather()
    return made


def test_a_correction_asks_the_question_before_about_the_other_thing(desk: Desk) -> None:
    held = desk.conversations.start()
    desk.talk("When does the quay close in summer?", held)
    answer, turn = desk.talk("No, I meant the slip.", held)
    assert turn.rewritten == "When does the slip close in summer?"
    assert "20:00" in answer.text


# Where a thing ends and its verb begins is not told: "When does the ferry leave?"
MISSED = ("f048", "f050")
PUT_RIGHT = [
    one for one in TURNS if one["kind"] in ("correction", "choice") and one["id"] not in MISSED
]


@pytest.mark.parametrize("one", PUT_RIGHT, ids=lambda one: one["id"])
def test_what_is_put_right_or_chosen_stands_alone(one: dict[str, list[str]]) -> None:
    became = str(full_question(str(one["say"]), one["earlier"], one["choices"])).casefold()
    assert all(text.casefold() in became for text in one["holds"])
    assert not any(text.casefold() in became for text in one["lacks"])


def test_what_a_person_says_of_themselves_is_used_where_it_bears_and_can_be_forgotten(
    desk: Desk,
) -> None:
    held = desk.conversations.start()
    answer, _ = desk.talk("My boat is 11 m.", held)
    assert answer.text == "Noted: My boat is 11 m."
    _, turn = desk.talk("What is my charge?", held)  # nothing is said of charges, but of 11 m
    assert turn.rewritten == "My boat is 11 m. What is my charge?"
    assert "34 crowns" in turn.answer
    _, turn = desk.talk("What do I pay a night?", held)  # answered without
    assert turn.rewritten == "What do I pay a night?"
    assert "34 crowns" in turn.answer
    _, turn = desk.talk("When does the quay close in winter?", held)
    assert turn.rewritten == "When does the quay close in winter?"
    resumed = desk.conversations.resume(held.id)
    assert resumed.preferences == (Preference("My boat is 11 m"),)
    desk.talk("Actually my boat is 9 m now.", resumed)
    desk.conversations.forget(resumed, resumed.preferences[0].text)
    assert desk.conversations.resume(held.id).preferences == ()


def test_only_the_named_sources_are_asked_until_that_is_forgotten(desk: Desk) -> None:
    held = desk.conversations.start()
    desk.talk("Only ask the notices.", held)
    assert held.preferences[0].where == "source IN ('notices')"
    answer, _ = desk.talk("When does the quay close in summer?", held)
    assert "22:00" not in answer.text
    desk.conversations.undo(held)
    desk.conversations.undo(held)
    assert held.preferences == ()
    assert "22:00" in desk.talk("When does the quay close in summer?", held)[0].text


@pytest.mark.parametrize(
    "text",
    ["My program is too slow, what now?", "What is my berth?", "I am looking for the office",
     "I have a question", "Where is my boat?", "I need to know the fee"],
)  # fmt: skip
def test_a_question_is_no_statement(text: str) -> None:
    assert taken_apart(text).stated == ()


def test_a_turn_that_is_left_is_kept_as_far_as_it_was_written(desk: Desk) -> None:
    held = desk.conversations.start()
    events = desk.stream_turn("When does the quay close in summer?", held)
    assert isinstance(next(events), Piece)
    events.close()
    (kept,) = desk.conversations.resume(held.id).turns
    assert "22:00" in kept.answer
    assert kept.reply["cut"]
    assert desk.traces.last()["broken_off"]
    private = desk.conversations.start()
    desk.talk("When does the quay close in summer?", private, keep=False)
    assert len(private.turns) == 1
    assert not desk.conversations.exists(private.id)


def test_a_recap_keeps_within_its_tokens_and_the_newest(desk: Desk) -> None:
    held = desk.conversations.start()
    for thing in ("quay", "slip", "quay"):
        desk.talk(f"When does the {thing} close in winter?", held)
    whole = recap(held)
    assert whole.splitlines()[1].startswith("- When does the slip close in winter? – The slip")
    short = recap(held, 30)
    assert short.splitlines()[0] == "- (2 earlier turns left out)"
    assert "quay" in short


def test_a_model_words_the_follow_up_and_the_rules_do_where_it_fails(make_desk: MakeDesk) -> None:
    from yonder_lantern.platform.simulated.model import model_service

    with model_service() as address:
        desk = make_desk(
            FILES,
            f'[answer]\nmodel = {{ address = "{address}", shape = "roles", streamed = false }}\n'
            '[conversations]\nrewrite = "model"\n',
        )
        desk.gather()
        held = desk.conversations.start()
        desk.talk("When does the quay close in summer?", held)
        _, turn = desk.talk("And in winter?", held)
        assert turn.question == "And in winter?"
        assert turn.rewritten
    _, turn = desk.talk("And in winter?", held, way="replies")  # the server is gone
    assert "And in winter?" in turn.rewritten
