"""Choices, comparisons, questions in one, requests: what the built-in answerer makes of each."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import Ran, write_files
from yonder_lantern import Desk
from yonder_lantern.core import Answer

FILES = {
    "sheds.md": """# Sheds

The sheds are let by the month from the yard office.

| Shed | Floor | Longest boat | Rent | Power |
|---|---|---|---|---|
| Alder | 80 m² | 9 m | 210 crowns | no |
| Birch | 120 m² | 12 m | 340 crowns | yes |
| Cedar | 200 m² | 16 m | 560 crowns | yes |

## Keys

Keys to the sheds are handed out at the yard office from 08:00.

## Lost keys

A lost key costs 45 crowns, for the new lock.
""",
    "trolleys.md": """# Trolleys

| Trolley | Carries | Colour |
|---|---|---|
| Heron | 2.5 t | red |
| Egret | 900 kg | grey |
""",
    "refunds.md": "# Refunds\n\nA refund of a deposit is paid within ten working days.\n",
    "office.md": "# The office\n\nA refund of the deposit is paid within eight working days.\n",
}


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Desk:
    return gathered(tmp_path_factory.mktemp("kinds"), FILES)


def gathered(folder: Path, files: dict[str, str]) -> Desk:
    write_files(folder / "documents", dict(files))
    (folder / "yonder.toml").write_text("")
    desk = Desk.open(folder)
    desk.gather()
    return desk


def cited(answer: Answer) -> list[str]:
    return [one.quote.strip("| ").split(" |")[0] for one in answer.citations]


@pytest.mark.parametrize(
    ("question", "rows"),
    [
        ("Which shed takes a boat of 11 m?", ["Birch", "Cedar"]),
        ("Which shed takes a boat of 11 m for less than 400 crowns?", ["Birch"]),
        ("Which sheds are let for at most 340 crowns?", ["Birch", "Alder"]),
        ("Recommend a shed for a boat of at least 14 m", ["Cedar"]),
        ("Which trolley carries 1.2 tonnes?", ["Heron"]),
        ("Which trolley carries 800 kg?", ["Egret", "Heron"]),
    ],
)
def test_rows_are_chosen_by_limits(desk: Desk, question: str, rows: list[str]) -> None:
    answer = desk.ask(question)
    assert cited(answer) == rows
    assert answer.statements[0].formula
    assert all(row in answer.text.partition("\n")[0] for row in rows)


def test_that_no_row_keeps_to_a_limit_is_said_with_the_rows(desk: Desk) -> None:
    answer = desk.ask("Which trolley carries 7 tonnes?")
    assert answer.text.startswith("None has Carries at least 7 tonnes: Heron (2.5 t), Egret")
    assert len(answer.citations) == 2


@pytest.mark.parametrize(
    ("question", "verdict"),
    [
        ("Which is cheaper, Alder or Cedar?", "Alder 210 crowns and Cedar 560 crowns; Alder is"),
        ("Is Heron stronger than Egret?", "the stronger"),
        ("Which is longer, the Alder or the moon?", ""),
    ],
)
def test_two_things_are_compared_or_neither_is(desk: Desk, question: str, verdict: str) -> None:
    answer = desk.ask(question)
    assert verdict in answer.text
    assert bool(verdict) == any("is the" in one.text for one in answer.statements if one.formula)


def test_a_question_that_fits_several_rows_is_asked_back(
    desk: Desk, yonder: Callable[..., Ran]
) -> None:
    answer = desk.ask("What is the rent of a shed?")
    assert answer.choices == ("Alder", "Birch", "Cedar")
    assert answer.text.startswith("This fits several.")
    assert len(answer.citations) == 3
    conversation = desk.conversations.start()
    desk.talk("What is the rent of a shed?", conversation)
    conversation = desk.conversations.resume(conversation.id)
    told, turn = desk.talk("Birch", conversation)
    assert (told.choices, cited(told)) == ((), ["Birch"])
    assert turn.rewritten == "What is the rent of a shed? Birch"
    assert desk.talk("Slate roofs", conversation)[1].rewritten == "Slate roofs"
    assert yonder("ask", "What is the rent of a shed?", cwd=desk.folder).status == 1


@pytest.mark.parametrize(
    ("question", "row"),
    [
        ("How many wait for a boat of over 18 m?", "over 18 m"),
        ("How many wait for a boat of 18 m?", "over 12 m, up to 18 m"),
    ],
)
def test_an_amount_is_looked_for_in_the_range_that_holds_it(
    make_desk: Callable[..., Desk], question: str, row: str
) -> None:
    rows = "| over 12 m, up to 18 m | 22 |\n| over 18 m | 3 |\n"
    desk = make_desk({"wait.md": f"# Waiting\n\n| Boat | How many wait |\n|---|---|\n{rows}"})
    desk.gather()
    assert cited(desk.ask(question)) == [row]


def test_a_comparative_in_a_name_asks_for_no_extreme(make_desk: Callable[..., Desk]) -> None:
    rows = "| Lower car park, per day | 7.00 crowns |\n| Upper car park, per day | 4.00 crowns |\n"
    desk = make_desk({"cars.md": f"# Cars\n\n| Item | Charge |\n|---|---|\n{rows}"})
    desk.gather()
    answer = desk.ask("What is the charge of the lower car park?")
    assert cited(answer) == ["Lower car park, per day"]
    assert not answer.statements[0].formula


def test_a_comparison_is_no_extreme_of_a_table(make_desk: Callable[..., Desk]) -> None:
    rows = "| up to 8 m | 21.00 |\n| over 8 m | 58.00 |\n"
    desk = make_desk({"t.md": f"# Tariff 2026\n\n| Yacht | Summer night |\n|---|---|\n{rows}"})
    desk.gather()
    answer = desk.ask("Is a summer night dearer in 2026 than in 2025 for a yacht?")
    assert "The most" not in answer.text
    assert not any(one.formula for one in answer.statements)


def test_documents_that_contradict_each_other_are_both_cited(desk: Desk) -> None:
    answer = desk.ask("How soon is the refund of a deposit paid?")
    assert answer.disagree
    assert {one.document for one in answer.citations} == {
        "documents/refunds.md", "documents/office.md"
    }  # fmt: skip
    assert not desk.ask("When are keys to the sheds handed out?").disagree


def test_questions_in_one_are_answered_one_by_one(desk: Desk) -> None:
    both = desk.ask("What does a lost key cost, and when are keys handed out?")
    assert "45 crowns" in both.text
    assert "08:00" in both.text
    half = desk.ask("What does a lost key cost, and who is the mayor of Ennet Bridge?")
    assert "45 crowns" in half.text
    assert "I found nothing I am sure of on “who is the mayor of Ennet Bridge?”" in half.text
    row = desk.ask("Which shed has the highest rent, and how large is its floor?")
    assert cited(row) == ["Cedar"]


def test_requests_are_served_from_the_documents_or_refused_plainly(desk: Desk) -> None:
    summary = desk.ask("Please summarise the page on sheds")
    assert summary.text.startswith("From Sheds:")
    assert all(one.document == "documents/sheds.md" for one in summary.citations)
    letter = desk.ask("Write a letter about the refund of a deposit")
    assert letter.text.startswith("This desk does not write a letter.")
    assert letter.citations
    joke = desk.ask("Tell me a joke about fish")
    assert joke.declined
    assert joke.text.startswith("This desk answers from its documents; it does not tell you")


ASHORE = {
    "crane.md": "# The crane\n\nThe crane was fixed in spring. It stands behind the Salt Store. "
    "The crane is painted green. The old pump was blue. Divers saw to the crane after the frost. "
    "It was shut because its brake had slipped. Two crates stood there. Do you need it? Ring us.\n",
    "party.md": "# A letter\n\nGood evening,\n\non 12 August we counted 74 otters by the crane. "
    "Was that more than last year?\n",
}


@pytest.fixture(scope="module")
def ashore(tmp_path_factory: pytest.TempPathFactory) -> Desk:
    return gathered(tmp_path_factory.mktemp("ashore"), ASHORE)


@pytest.mark.parametrize(
    ("question", "answer"),
    [
        ("Where is the crane?", "It stands behind the Salt Store."),
        ("What colour is the crane?", "The crane is painted green."),
        ("Who saw to the crane?", "Divers saw to the crane after the frost."),
        ("Why was the crane shut?", "It was shut because its brake had slipped."),
        ("How many otters were counted by the crane?", "we counted 74 otters"),
        ("How many gulls were counted by the crane?", None),
        ("Who built the crane?", None),
        ("What colour is the store?", None),
        ("Is there a lift by the crane?", None),
    ],
)
def test_an_answer_is_of_the_kind_asked_for(
    ashore: Desk, question: str, answer: str | None
) -> None:
    told = ashore.ask(question)
    assert told.answered == (answer is not None)
    assert answer is None or answer in told.text


def test_a_declined_question_suggests_others(desk: Desk) -> None:
    answer = desk.ask("What does a ticket to the opera cost?")
    assert answer.declined
    assert any(one.endswith((": Keys", ": Lost keys")) for one in answer.suggestions)
    assert answer.text.startswith("I found nothing I am sure of.")
    assert answer.nearest[0].quote in " ".join(answer.text.split())


@pytest.mark.parametrize(
    ("question", "begins"),
    [
        ("Are dogs welcome on the pontoons?", "Dogs are welcome on all pontoons."),
        ("May we barbecue on the pontoons?", "Barbecues are not allowed on the"),
        ("Is the sauna free?", "Yes, the sauna is free for guests."),  # it says so itself
        ("May boats stay in winter?", "Boats may stay in winter only if"),
        ("Darf man hier angeln?", "Hier darf man nicht angeln."),
        ("Peut-on camper ici ?", "On ne peut pas camper ici."),
    ],
)
def test_to_yes_or_no_the_sentence_that_decides_comes_first_in_its_own_words(
    tmp_path: Path, question: str, begins: str
) -> None:
    desk = gathered(
        tmp_path,
        {
            "dogs.md": "# Dogs\n\nDogs are welcome on all pontoons.\n",
            "fires.md": "# Fires\n\nBarbecues are not allowed on the pontoons.\n",
            "sauna.md": "# The sauna\n\nYes, the sauna is free for guests.\n",
            "winter.md": "# Winter\n\nBoats may stay in winter only if they are insured.\n",
            "angeln.md": "# Angeln\n\nHier darf man nicht angeln. Die Fische sollen leben.\n",
            "camping.md": "# Camping\n\nOn ne peut pas camper ici. Les tentes sont interdites.\n",
        },
    )
    answer = desk.ask(question)
    assert answer.text.startswith(begins)
    assert not answer.verdict


def test_two_things_are_told_apart_in_the_words_of_each(tmp_path: Path) -> None:
    desk = gathered(
        tmp_path,
        {
            "cleats.md": "# Cleats\n\nA cleat is a fitting with two horns for a line.\n",
            "bollards.md": "# Bollards\n\nA bollard is a stout post for a ship's hawser.\n",
            "ropes.md": "# Ropes\n\nA sheet trims a sail, while a halyard hoists it.\n",
        },
    )
    answer = desk.ask("What is the difference between a cleat and a bollard?")
    assert [one.document for one in answer.citations] == [
        "documents/cleats.md", "documents/bollards.md"
    ]  # fmt: skip
    both = desk.ask("How does a sheet differ from a halyard?")
    assert [one.document for one in both.citations] == ["documents/ropes.md"]


@pytest.mark.parametrize(
    ("question", "answered"),
    [
        ("Does Lantern run on barges?", True),
        ("Does Ferrow run on barges?", False),
        ("What is a fairlead?", True),
    ],
)
def test_what_is_asked_by_its_name_is_answered_only_by_what_is_about_it(
    tmp_path: Path, question: str, answered: bool
) -> None:
    desk = gathered(
        tmp_path,
        {
            "lantern.md": "# Lantern\n\nLantern runs on barges and on tugs.\n",
            "ferrow.md": "# Ferrow\n\nFerrow was written for the boatyard.\n",
            "terms.md": "# Terms\n\nFairlead: a fitting for a rope.\n\nCleat: it has horns.\n",
        },
    )
    answer = desk.ask(question)
    assert answer.answered == answered
    if question.startswith("What"):
        assert answer.citations[0].quote == "Fairlead: a fitting for a rope."
