"""The support check: what it accepts, what it refuses, and why."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern.answer.check import Evidence, check, values_in
from yonder_lantern.text import Analyser

ENGLISH = Analyser("en")
OFFER = "An offer stands for 14 days, and must be accepted in writing by 18:30 on 1 May 2026."
LIFT = "Crane CR-02 at Marl Dock lifts some boats of up to 1.2 tonnes before high water."
BERTH = "A berth cannot be sold with the boat; visitors may stay for 21 nights in summer."
ROW = "| Marl Dock east | 110 m | 5.0 m | 400 t an hour |"
HEADER = "Cargo\nThe berths\n| Berth | Length | Depth | Conveyor |"


@pytest.mark.parametrize(
    ("said", "cited"),
    [
        ("An offer stands for fourteen days.", OFFER),
        ("An offer must be accepted in writing by 6:30 pm on 2026-05-01.", OFFER),
        ("By May 1st the offer must be accepted in writing.", OFFER),
        ("CR-02 lifts boats up to 1.2 t.", LIFT),
        ("You cannot sell a berth with the boat.", BERTH),
        ("In summer visitors can stay for 21 nights.", BERTH),
        ("Marl Dock east has a length of 110 metres and a depth of 5 m.", ROW),
        ("According to “Cargo”, The berths: Marl Dock east has a length of 110 m.", ROW),
    ],
)
def test_the_same_in_other_words_is_accepted(said: str, cited: str) -> None:
    context_header = HEADER if cited == ROW else ""
    assert check(said, [Evidence(cited, context_header)], ENGLISH).faults == ()


@pytest.mark.parametrize(
    ("said", "cited", "kind"),
    [
        ("5 boats may lie at the quay.", "At most 25 boats may lie at the quay.", "number"),
        ("25 boats may lie at the quay.", "At most 25 boats may lie at the quay.", "extent"),
        ("The harbour master sold the dock.",
         "It is false that the harbour master sold the dock.", "extent"),
        ("Visitors may berth here.", "Visitors may berth here if the office agrees.", "extent"),
        ("The outer gate needs a permit.", "The inner gate needs a permit.", "name"),
        ("", OFFER, "nothing"),
    ],
)  # fmt: skip
def test_what_was_cut_out_of_a_sentence_is_not_what_the_sentence_says(
    said: str, cited: str, kind: str
) -> None:
    assert kind in {fault.kind for fault in check(said, [Evidence(cited)], ENGLISH).faults}


def test_what_a_heading_tells_apart_is_compared() -> None:
    permit = "The gate needs a permit from the office."
    assert check(permit, [Evidence(permit, "Inner gate")], ENGLISH).supported
    outer = check("The outer gate needs a permit.", [Evidence(permit, "Inner gate")], ENGLISH)
    assert "name: outer" in map(str, outer.faults)
    german = check(
        "Hunde dürfen an Land gehen.",
        [Evidence("Keine Hunde dürfen an Land gehen.")],
        Analyser("de"),
    )
    assert not german.supported


@pytest.mark.parametrize(
    ("said", "cited", "kind"),
    [
        ("An offer stands for 41 days.", OFFER, "number"),
        ("An offer stands for 14 weeks.", OFFER, "unit"),
        ("An offer must be accepted in writing by 19:30.", OFFER, "time"),
        ("An offer must be accepted in writing by 1 June 2026.", OFFER, "date"),
        ("An offer may be accepted in writing.", OFFER, "force"),
        ("Crane CR-07 lifts some boats.", LIFT, "code"),
        ("The crane at Ostrel Bay lifts some boats.", LIFT, "name"),
        ("Crane CR-02 lifts all boats of up to 1.2 tonnes.", LIFT, "extent"),
        ("Crane CR-02 lifts some boats after high water.", LIFT, "opposite"),
        ("A berth can be sold with the boat.", BERTH, "negation"),
        ("Visitors may not stay for 21 nights.", BERTH, "negation"),
        (
            "Visitors may stay for 21 nights, and breakfast is served in the canteen.",
            BERTH,
            "terms",
        ),
        ("The ferry carries prams and bicycles.", BERTH, "terms"),
        ("Marl Dock east is 5.0 km deep.", ROW, "unit"),
        ("| Marl Dock east | 5.0 m | 110 m | 400 t an hour |", ROW, "number"),
        ("The pilot boards between 9 and 2.", "The pilot boards between 2 and 9.", "number"),
    ],
)
def test_what_the_words_do_not_say_is_refused_by_kind(said: str, cited: str, kind: str) -> None:
    faults = check(said, [Evidence(cited, HEADER if cited == ROW else "")], ENGLISH).faults
    assert kind in [fault.kind for fault in faults]
    assert all(fault.words for fault in faults)


def test_what_is_said_together_must_stand_together() -> None:
    two = [
        Evidence("The crane stands on the old quay of Marl Dock."),
        Evidence("Masts are stored in the sail loft of the club."),
    ]
    for said in (
        "Masts are stored in the club's sail loft, and the crane stands on the old quay.",
        "The old quay of Marl Dock has a crane.",
    ):
        assert check(said, two, ENGLISH).supported, said
    for said in ("The crane is stored in the sail loft.", "The masts are on the old quay."):
        (fault,) = check(said, two, ENGLISH).faults
        assert fault.kind == "connection"
        assert fault.words in said


def test_words_stand_over_several_spans_and_near_words_count() -> None:
    two = [Evidence("The gate opens at noon."), Evidence("The lock is shut on Sundays.")]
    said = "The gate opens at 12:00, and the lock is shut on Sundays."
    assert check(said, two, ENGLISH).supported
    assert not check(said, two[:1], ENGLISH).supported
    vectors = {"vessel": [1.0, 0.0], "boat": [1.0, 0.0]}

    def near(word: str):
        import numpy as np

        return np.array(vectors.get(word, [0.0, 1.0 if word in ("moor", "quay") else 0.5]))

    cited = [Evidence("A vessel moored at the quay.")]
    assert not check("A boat moored.", cited, ENGLISH, least=0.9).supported
    assert check("A boat moored.", cited, ENGLISH, near=near, least=0.9).supported
    granted = check(
        "At Saltgarth a vessel moored at the quay.", cited, ENGLISH, granted="Saltgarth"
    )
    assert granted.supported


@given(st.text(max_size=200))
def test_any_text_bears_itself_out(text: str) -> None:
    verdict = check(text, [Evidence(text)], ENGLISH)
    assert verdict.supported or [fault.kind for fault in verdict.faults] == ["nothing"]
    found = values_in(text)
    assert found == sorted(found, key=lambda value: value.start)
    assert all(value.agrees(value) for value in found)


@given(st.integers(0, 10**6), st.integers(0, 10**6))
def test_two_numbers_are_never_taken_for_each_other(one: int, other: int) -> None:
    said = check(f"The fee is {one:,} crowns.", [Evidence(f"The fee is {other} crowns.")], ENGLISH)
    assert said.supported == (one == other)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("| up to 10 m | 27.00 |", [("10", "m"), ("27", "")]),
        ("from 5 to 16 October 2026", [("2026-10-5", ""), ("2026-10-16", "")]),
        ("2½ hours, 3 million crowns", [("2.5", "hour"), ("3000000", "crown")]),
        ("sixty-four, a hundred litres", [("64", ""), ("100", "l")]),
        ("€5.50 or 50%, noon", [("5.5", "euro"), ("50", "%"), ("720", "")]),
        ("it may be one of them", []),
    ],
)
def test_values_are_read_whichever_way_they_are_written(
    text: str, expected: list[tuple[str, str]]
) -> None:
    assert [("-".join(map(str, v.amount)), v.unit) for v in values_in(text)] == expected


def test_a_number_of_any_length_is_read_and_told_from_another() -> None:
    digits = "1234567890" * 5
    (one,) = values_in(f"The code is {digits}.")
    (other,) = values_in(f"The code is {digits[:-1]}1.")
    assert one.amount != other.amount
    evidence = [Evidence(f"The code is {digits}.", "")]
    assert check(f"The code is {digits}.", evidence, Analyser("en")).supported
    assert not check(f"The code is {digits[:-1]}1.", evidence, Analyser("en")).supported
