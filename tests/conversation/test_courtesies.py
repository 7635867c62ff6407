"""Greetings, thanks and questions about the assistant are answered as a person expects."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from conftest import Ran
from yonder_lantern import Desk
from yonder_lantern.conversation import courtesy_of

MakeDesk = Callable[..., Desk]


@pytest.mark.parametrize(
    ("kind", "texts"),
    [
        ("greeting", ["Hi", "hello!", "Good morning.", "Hey there", "How are you?", "Guten Tag"]),
        ("thanks", ["Thanks", "thank you very much!", "Great, thanks", "Merci", "Vielen Dank!"]),
        ("help", ["help", "What can you do?", "How does this work?", "Can you help me?"]),
        ("identity", ["Who are you?", "Are you a robot?", "What is your name?"]),
        ("farewell", ["bye", "Goodbye!", "See you later"]),
        (
            "",
            [
                "Hello, when does the quay close?",
                "What helps against rust?",
                "Who are the pilots?",
                "Is the harbour good?",
                "What is this worth?",
                "thanks to whom was the pier built?",
                "help for sailors in distress",
            ],
        ),
    ],
)
def test_each_is_told_from_a_question(kind: str, texts: list[str]) -> None:
    assert [courtesy_of(text) for text in texts] == [kind] * len(texts)


def test_they_are_answered_without_searching(
    make_desk: MakeDesk, yonder: Callable[..., Ran]
) -> None:
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at 22:00."}, '[desk]\nname = "Tern"\n')
    desk.gather()
    answer = desk.ask("Who are you?")
    assert (answer.courtesy, answer.declined, answer.citations) == ("identity", False, ())
    assert "Tern" in answer.text
    assert desk.traces.last()["hits"] == []
    ran = yonder("ask", "Hello!", cwd=desk.folder)
    assert ran.status == 0
    assert ran.out.startswith("Hello.")
    assert "support" not in ran.out
    talked = yonder("talk", cwd=desk.folder, stdin="Hi\nWhen does the quay close?\nThanks!\n")
    assert "You are welcome" in talked.out
    assert "22:00" in talked.out
    (desk.folder / "prompts").mkdir()
    (desk.folder / "prompts" / "courtesy.j2").write_text("Ahoy from {{ organisation }}.")
    assert desk.ask("hello").text == "Ahoy from Tern."
