"""What a desk is started from and deployed with, talked to, and awaited."""

from __future__ import annotations

import asyncio
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import HANGS, Ran
from yonder_lantern import AsyncDesk, Desk
from yonder_lantern.core import Finished, Piece
from yonder_lantern.desk import STARTERS, start_folder

MakeDesk = Callable[..., Desk]
FILES = {
    "quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n",
    "tug.md": "# Tug\n\nThe tug is called Bess and pulls 12 tonnes.\n",
}


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES)
    made.gather()
    return made


@pytest.mark.parametrize("starter", ["documents", "database"])
def test_a_starter_runs_at_once(starter: str, tmp_path: Path) -> None:
    folder = tmp_path / 'a "quoted" desk'
    made = start_folder(folder, starter)  # type: ignore[arg-type]
    assert {"yonder.toml", "run.py"} <= set(made)
    assert start_folder(folder, starter) == []  # type: ignore[arg-type]
    ran = subprocess.run([sys.executable, "run.py"], cwd=folder, capture_output=True, text=True,
                         timeout=HANGS, check=False)  # fmt: skip
    assert ran.returncode == 0, ran.stderr
    expected = {"documents": ["10:00 to 13:00", "extension 100"],
                "database": ["34 crowns", "2 berths are free now: A2, B1. [1]"]}  # fmt: skip
    assert all(text in ran.stdout for text in expected[starter])


def test_every_starter_is_a_desk_that_checks(tmp_path: Path) -> None:
    for starter in STARTERS:
        start_folder(tmp_path / starter, starter)  # type: ignore[arg-type]
        assert Desk.open(tmp_path / starter).settings.desk.name == starter


def test_a_desk_is_awaited_and_its_streams_are_async(desk: Desk) -> None:
    async def main() -> tuple[str, str, int]:
        one = AsyncDesk(desk)
        answer, hits = await asyncio.gather(one.ask("What is the tug called?"),
                                            one.find("When does the quay close?"))  # fmt: skip
        held = desk.conversations.start()
        text = ""
        async for event in one.stream_turn("When does the quay close in summer?", held):
            if isinstance(event, Piece):
                text += event.text
        async for event in one.stream("What is the tug called?"):
            if isinstance(event, Finished):
                break
        await one.talk("And in winter?", held)
        return answer.text + hits[0].document, text, len(held.turns)

    told, streamed, turns = asyncio.run(main())
    assert "Bess" in told
    assert "documents/quay.md" in told
    assert "22:00" in streamed
    assert turns == 2


def test_talk_knows_commands_beside_questions(desk: Desk, yonder: Callable[..., Ran]) -> None:
    lines = [
        "When does the quay close in summer?", "1", ":recap", "My boat is 11 m", ":said",
        ":forget 1", ":said", "And in winter?", ":alone", ":undo", ":sources", ":open 9",
        ":nonsense", ":help", "bye",
    ]  # fmt: skip
    ran = yonder("talk", cwd=desk.folder, stdin="\n".join(lines))
    assert ran.status == 0
    parts = ran.out.split("› ")[1:]
    assert len(parts) == len(lines) - 1
    assert "The quay closes at 22:00" in parts[1]
    assert "When does the quay close in summer? –" in parts[2]
    assert "Noted: My boat is 11 m." in parts[3]
    assert "1  My boat is 11 m" in parts[4]
    assert "Nothing is kept" in parts[6]
    assert "(taken as: When does the quay close in summer? And in winter?)" in parts[7]
    assert "taken as" not in parts[8]
    assert "Taken back: And in winter?" in parts[9]
    assert "documents          2 documents" in parts[10]
    assert "no citation '9'" in ran.err
    assert "no command :nonsense" in ran.err
    assert ":undo" in parts[13]
    (kept,) = desk.conversations.newest()
    assert kept.turns == 2
