"""The style of answers: samples for a model, and how like chosen documents an answer is."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Ran
from yonder_lantern import Desk
from yonder_lantern.answer.style import Style, style_marks
from yonder_lantern.platform.simulated.model import model_service
from yonder_lantern.settings import with_overrides

MakeDesk = Callable[..., Desk]
LETTER = (
    "We're so glad you asked about the {0}! You'll love it, and we'd be happy to show you round. "
    "Why don't you come and see us? Ring Mira on 555-0101, won't you?"
)
RULE = (
    "The master of every vessel shall report the {0} to the office within one hour of arrival, and "
    "the dues so assessed shall be paid before departure."
)
THINGS = "lantern ferry dredger pontoon crane mooring cutter barge slip weighbridge".split()
SETTINGS = """
[answer.style]
documents = ["letters/*"]

[[source]]
name = "letters"
folder = "letters"
audience = ["friends"]

[[source]]
name = "rules"
folder = "rules"
"""


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk({}, SETTINGS)
    for folder, words in (("letters", LETTER), ("rules", RULE)):
        (made.folder / folder).mkdir()
        for thing in THINGS:
            text = f"# The {thing}\n\n{words.format(thing)}\n"
            (made.folder / folder / f"{thing}.md").write_text(text)
    made.gather()
    return made


def test_an_answer_says_how_like_the_style_it_is(desk: Desk, yonder: Callable[..., Ran]) -> None:
    formal = desk.ask("Who reports the dredger to the office?")
    assert formal.answered
    assert formal.likeness is not None
    assert formal.likeness < 0.2
    friendly = desk.ask("Who is so glad you asked about the dredger?")
    assert friendly.likeness is not None
    assert friendly.likeness > 0.8
    ran = yonder("ask", "Who reports the dredger to the office?", cwd=desk.folder)
    assert f"likeness {formal.likeness:.2f}" in ran.out
    told = yonder("ask", "Who reports the dredger to the office?", "--json", cwd=desk.folder).json
    assert told["likeness"] == formal.likeness
    plain = desk.under(with_overrides(desk.settings, {"answer.style.documents": []}))
    assert plain.ask("Who reports the dredger to the office?").likeness is None


def test_a_model_gets_samples_that_the_caller_may_see(desk: Desk) -> None:
    with model_service() as address:
        model = {"answer.model": {"address": address, "name": "m"}, "answer.style.person": "we"}
        own = desk.under(with_overrides(desk.settings, model))
        told = own.prompt("Who reports the dredger?").instructions
        public = own.as_caller(["public"])
        hidden = public.prompt("Who reports the dredger?").instructions
        answer = public.ask("Who reports the dredger to the office?")
    assert "Sample: We're so glad you asked" in told
    assert "we, our" in told
    assert "glad" not in hidden
    assert answer.likeness is None  # nothing is told of what the caller may not see


def test_house_rules_hold_for_samples(desk: Desk) -> None:
    rule = '[[house_rule]]\npattern = "555-[0-9]+"\nwhen = ["sent"]\nthen = "mask"\n'
    settings = desk.folder / "yonder.toml"
    settings.write_text(
        rule
        + '[answer]\nmodel = { address = "http://127.0.0.1:9", name = "m" }\n'
        + settings.read_text()
    )
    told = Desk.open(desk.folder).prompt("Who reports the dredger?").instructions
    assert "Sample: " in told
    assert "555-0101" not in told


def test_samples_are_the_likest_and_no_more_than_there_is_room_for() -> None:
    style = Style([LETTER.format(one) for one in THINGS], [RULE.format(one) for one in THINGS])
    shown = style.samples(3, 400)
    assert 0 < sum(map(len, shown)) <= 400
    assert style.samples(0, 400) == []
    assert style.likeness(shown[0]) > 0.8
    assert style.likeness(RULE.format("buoy")) < 0.2


@given(st.text(max_size=300), st.text(max_size=300))
def test_any_text_has_a_likeness(own: str, other: str) -> None:
    assert 0 <= Style([own], [other]).likeness(own + other) <= 1
    assert all(style_marks(own))
