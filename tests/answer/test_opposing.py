"""What is excluded or is to be undone is not answered by its opposite."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from yonder_lantern import Desk
from yonder_lantern.answer.opposing import Opposing
from yonder_lantern.text import Analyser

MakeDesk = Callable[..., Desk]


@pytest.mark.parametrize(
    ("question", "text", "opposite"),
    [
        ("How do I turn off the fog horn?", "To turn on the fog horn, lift the red handle.", True),
        ("How do I turn off the fog horn?", "The horn is switched off at the red handle.", False),
        ("How do I stop the pump?", "To start the pump, close the valve first.", True),
        ("How do I stop the pump?", "The pump stops when the tank is full.", False),
        ("How do I stop and start the pump?", "To start the pump, close the valve.", False),
        ("Which berths are let without a deposit?", "Berth 4 is let against a deposit.", True),
        ("Which berths are let without a deposit?", "For berth 5 no deposit is asked.", False),
        ("Which berths are let without a deposit?", "Berth 6 is let by the day.", False),
        ("Can I have a berth without a deposit?", "A berth is let against a deposit.", False),
        ("When is the office open, except on Sundays?", "On Sundays it opens at ten.", True),
        ("How do I open the gate?", "To close the gate, press B.", False),
        ("How do I close the gate?", "To open the gate, press A.", True),
        ("When does the office close?", "The office is open from 8:00 to 18:00.", False),
        ("When does the ferry leave?", "Passengers join the ferry at ten.", False),
        ("When is the pump to stop?", "The pump starts at noon, for an hour.", False),
        ("Which button turns off the horn?", "The red button turns on the horn.", True),
    ],
)
def test_a_text_that_says_the_opposite_is_told(question: str, text: str, opposite: bool) -> None:
    assert Opposing(question, Analyser("en")).is_opposite(text) is opposite


def test_a_question_that_excludes_nothing_has_no_opposite() -> None:
    assert not Opposing("When is the office open?", Analyser("en"))


def test_what_is_to_be_undone_is_not_answered_by_how_it_is_done(make_desk: MakeDesk) -> None:
    on = "# Fog horn\n\nTo turn on the fog horn, lift the red handle.\n"
    off = "# Fog horn at rest\n\nTo turn off the fog horn, press the black button.\n"
    desk = make_desk({"horn.md": on})
    desk.gather()
    lenient = {"answer.min_support": 0.0}
    answer = Desk.open(desk.folder, settings=lenient).ask("How do I turn off the fog horn?")
    assert "lift the red handle" not in "".join(one.text for one in answer.statements)
    (desk.folder / "documents/off.md").write_text(off)
    desk.gather()
    answer = Desk.open(desk.folder, settings=lenient).ask("How do I turn off the fog horn?")
    assert "press the black button" in answer.text
    assert "lift the red handle" not in answer.text
