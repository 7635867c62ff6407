"""What a desk keeps: purged to the last byte, aged, backed up, restored, and a loss is told."""

from __future__ import annotations

import gzip
import os
import random
import signal
import sqlite3
import subprocess
import sys
import tarfile
import threading
import time
import zlib
from collections.abc import Callable, Iterator
from contextlib import closing, suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from conftest import HANGS, Ran, call_yonder, run_yonder
from yonder_lantern import Desk
from yonder_lantern.core import CallError, SettingsError, StateError, YonderError
from yonder_lantern.desk import keep_house, restore
from yonder_lantern.observe import FeedbackBook
from yonder_lantern.policy import AccessTokens

MakeDesk = Callable[..., Desk]
QUAY = "# Quay\n\nThe quay closes at 22:00 in summer. The office has the key of the gate.\n"


def planted(number: int, seed: int = 3) -> list[str]:
    """Made-up words that stand nowhere else."""
    chance = random.Random(seed)
    return [
        "".join(chance.choice("bdgklmnprstvz") + chance.choice("aeiou") for _ in range(4))
        + str(chance.randint(10, 99))
        for _ in range(number)
    ]


def paper(words: list[str]) -> str:
    lines = [f"The {word} of the office is opened with the {other}."
             for word, other in zip(words[::2], words[1::2], strict=True)]  # fmt: skip
    return f"# Paper {words[0]}\n\n" + "\n\n".join(lines)


def bytes_of(folder: Path) -> Iterator[tuple[Path, bytes]]:
    """Every file, as it is and with what is compressed in it opened."""
    for path in sorted(folder.rglob("*")):
        if not path.is_file():
            continue
        data = path.read_bytes()
        yield path, data
        with suppress(OSError, EOFError, zlib.error):
            yield path, gzip.decompress(data)
        if data.startswith(b"SQLite format 3\0"):
            with closing(sqlite3.connect(path)) as connection:
                for (table,) in connection.execute("SELECT name FROM sqlite_master "
                                                   "WHERE type = 'table'").fetchall():  # fmt: skip
                    for row in connection.execute(f'SELECT * FROM "{table}"'):
                        for value in row:
                            blob = value if isinstance(value, bytes) else str(value).encode()
                            yield path, blob
                            with suppress(zlib.error):
                                yield path, zlib.decompress(blob)


def found_in(folder: Path, words: list[str]) -> set[tuple[str, str]]:
    """Which of the words stand in which file, in either encoding."""
    forms = {
        form: word
        for word in words
        for form in (word.encode(), word.encode("utf-16-le"), word.encode("utf-16-be"))
    }
    return {
        (str(path.relative_to(folder)), word)
        for path, data in bytes_of(folder)
        for form, word in forms.items()
        if form in data.lower()
    }


def with_paper(make_desk: MakeDesk, words: list[str]) -> Desk:
    """A desk that has been asked, graded, talked to and judged about a paper."""
    desk = make_desk({"quay.md": QUAY, f"{words[-1]}.md": paper(words)}, name=words[0])
    desk.gather()
    (desk.folder / "questions.jsonl").write_text(
        '{"id": "q1", "question": "When does the quay close?", "expected": [[{"document": '
        '"documents/quay.md", "quote": "22:00"}]]}\n'
        f'{{"id": "q2", "question": "What opens the {words[2]}?", "expected": [[{{"document": '
        f'"documents/{words[-1]}.md", "quote": "{words[3]}"}}]]}}\n'
    )
    for word in words[:6]:
        answer = desk.ask(f"What is the {word} of the office opened with?")
        FeedbackBook(desk.state, desk.traces).add(answer.trace, "bad", f"not {word}", by="ann")
    desk.talk(f"What opens the {words[4]}?", desk.conversations.start(owner="person ann"))
    desk.talk(f"What opens the {words[6]}?", desk.conversations.start(owner="person bob"))
    desk.talk("When does the quay close?", desk.conversations.start(owner="person bob"))
    desk.notes.leave(f"The {words[8]} sticks.", by="bob")
    with desk.knowledge() as known:
        known.update()
    desk.grade()
    assert len(found_in(desk.folder, words)) > 60
    return desk


def test_a_document_that_is_gone_is_gone_from_every_file(make_desk: MakeDesk) -> None:
    words = planted(50)
    desk = with_paper(make_desk, words)
    id_ = f"documents/{words[-1]}.md"
    with pytest.raises(CallError, match="still in its source"):
        desk.purge(id_)
    assert desk.document(id_) is not None
    (desk.folder / id_).unlink()
    report = desk.purge(id_)
    assert report.documents == [id_]
    assert found_in(desk.folder, words) == set()
    assert "22:00" in desk.ask("When does the quay close in summer?").text
    assert [one.turns for one in desk.conversations.newest()] == [1, 1, 1]
    assert desk.gather().nothing_to_do  # nothing has to be read again


def test_what_was_gathered_away_long_ago_is_purged_by_its_name(make_desk: MakeDesk) -> None:
    words = planted(50)
    desk = with_paper(make_desk, words)
    (desk.folder / "documents" / f"{words[-1]}.md").unlink()
    desk.gather()
    assert found_in(desk.folder, words)
    desk.purge(f"documents/{words[-1]}.md")
    assert found_in(desk.folder, words) == set()


def test_a_persons_words_are_gone_and_those_of_others_stay(make_desk: MakeDesk) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    (hers, his) = planted(2)
    for name, word in (("ann", hers), ("bob", his)):
        one = desk.conversations.start(owner=f"person {name}")
        desk.talk(f"I am {word}. When does the quay close?", one)
        desk.notes.leave(f"Ask {word} about the gate.", by=f"person {name}")
    kept = AccessTokens(desk.state / "access")
    kept.make("ann"), kept.make("bob")
    report = desk.purge(person="ann")
    assert report.changed["conversations"] == 1
    assert found_in(desk.folder, [hers]) == set()
    assert found_in(desk.folder, [his])
    assert [one.name for one in kept.all()] == ["bob"]


@pytest.mark.parametrize("after", [0.0, 0.2, 1.0])
def test_a_purge_that_is_killed_is_finished_by_the_next(make_desk: MakeDesk, after: float) -> None:
    words = planted(50, seed=int(after * 100))
    desk = with_paper(make_desk, words)
    (desk.folder / "documents" / f"{words[-1]}.md").unlink()
    program = (
        "import sys; from yonder_lantern import Desk; from yonder_lantern.desk import purge; "
        "desk = Desk.open(sys.argv[1]); first = purge._note; "
        "purge._note = lambda *a: (first(*a), print('begun', flush=True)); desk.purge(sys.argv[2])"
    )
    id_ = f"documents/{words[-1]}.md"
    child = subprocess.Popen(
        [sys.executable, "-c", program, str(desk.folder), id_], stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    assert child.stdout
    assert child.stdout.readline() == b"begun\n"
    time.sleep(after)
    child.send_signal(signal.SIGKILL)
    child.wait(HANGS)
    Desk.open(desk.folder).purge()
    assert found_in(desk.folder, words) == set()
    assert "22:00" in Desk.open(desk.folder).ask("When does the quay close in summer?").text


def test_a_gather_says_which_documents_it_purged(make_desk: MakeDesk) -> None:
    words = planted(10)
    desk = make_desk({"quay.md": QUAY, "paper.md": paper(words)})
    desk.gather()
    (desk.folder / "documents/paper.md").unlink()
    ran = call_yonder("gather", "--purge", cwd=desk.folder)
    assert ran.status == 0
    assert "Purged: documents/paper.md" in ran.out
    assert found_in(desk.folder, words) == set()
    assert "nothing was purged" in call_yonder("gather", "--purge", cwd=desk.folder).out
    assert call_yonder("purge", cwd=desk.folder).status == 2


def test_what_is_older_than_the_settings_say_is_swept(make_desk: MakeDesk) -> None:
    ages = '[retention]\nconversations = "2d"\ntraces = "2d"\nfeedback = "2d"\ncosts = "1d"\n'
    desk = make_desk({"quay.md": QUAY}, ages)
    desk.gather()
    answer, _ = desk.talk("When does the quay close?", desk.conversations.start())
    FeedbackBook(desk.state, desk.traces).add(answer.trace, "good")
    turn = desk.state / "served" / "turn-of-old.jsonl"
    turn.parent.mkdir()
    turn.write_text("{}\n")
    assert desk.sweep() == {}
    now = datetime.now(UTC)
    assert desk.sweep(now + timedelta(minutes=11)) == {"served": 1}
    assert desk.sweep(now + timedelta(days=4)) == {"conversations": 1, "traces": 1, "feedback": 1}
    assert list(desk.conversations.newest()) == []
    with pytest.raises(SettingsError, match="retention"):
        make_desk({}, '[retention]\ntraces = "a while"\n', name="wrong")


def test_a_backup_brings_everything_back(make_desk: MakeDesk, tmp_path: Path) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather(items={"held.md": "# Held\n\nThe tug of the held paper is called Bess."})
    desk.gather()
    answer, _ = desk.talk("When does the quay close?", desk.conversations.start())
    FeedbackBook(desk.state, desk.traces).add(answer.trace, "good", "yes")
    desk.notes.leave("The gate sticks.")
    token = AccessTokens(desk.state / "access").make("site")
    (desk.folder / "prompts").mkdir()
    (desk.folder / "prompts" / "answer.j2").write_text("{{ question }}")
    file = desk.backup(tmp_path / "b.tar.gz")
    with pytest.raises(CallError, match="there already"):
        desk.backup(file)
    assert file.stat().st_mode & 0o077 == 0
    new = tmp_path / "new"
    restored = restore(new, file)
    assert restored.files > 10
    again = Desk.open(new)
    assert "Bess" in again.ask("What is the tug called?").text
    assert [one.turns for one in again.conversations.newest()] == [1]
    assert [one.remark for one in FeedbackBook(again.state, again.traces).all()] == ["yes"]
    assert [one.text for one in again.notes.standing()] == ["The gate sticks."]
    assert AccessTokens(again.state / "access").known(token) is not None
    assert (new / "prompts" / "answer.j2").read_text() == "{{ question }}"
    assert not (new / "documents").exists()


def test_a_damaged_backup_changes_nothing(make_desk: MakeDesk, tmp_path: Path) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    desk.talk("When does the quay close?", desk.conversations.start())
    whole = desk.backup(tmp_path / "b.tar.gz").read_bytes()
    chance = random.Random(5)
    for number in range(40):
        data = bytearray(whole)
        if number % 2:
            data = data[: chance.randrange(len(data))]
        else:
            data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
        broken = tmp_path / "broken.tar.gz"
        broken.write_bytes(data)
        before = (desk.state / "conversations" / "conversations.sqlite").read_bytes()
        with suppress(YonderError):  # but for a bit that tar itself does not look at
            restore(desk.folder, broken)
        assert (desk.state / "conversations" / "conversations.sqlite").read_bytes() == before
    other = tmp_path / "other.tar.gz"
    with tarfile.open(other, "w:gz") as tar:
        tar.add(desk.folder / "yonder.toml", "../outside.toml")
    with pytest.raises(StateError, match="no backup of a desk"):
        restore(desk.folder, other)
    with pytest.raises(CallError, match="no restore was interrupted"):
        restore(desk.folder)


def test_a_restore_that_is_killed_leaves_the_old_or_is_finished(
    make_desk: MakeDesk, tmp_path: Path
) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    desk.talk("When does the quay close?", desk.conversations.start())
    file = desk.backup(tmp_path / "b.tar.gz")
    desk.talk("When does the quay close in summer?", desk.conversations.start())
    desk.close()
    program = (
        "import os, sys; from pathlib import Path; from yonder_lantern.desk import backup; "
        "left = [int(sys.argv[3])]; real = Path.rename; \n"
        "def counted(self, to):\n    left[0] -= 1\n    if left[0] < 0: os._exit(9)\n"
        "    return real(self, to)\n"
        "Path.rename = counted; backup.restore(Path(sys.argv[1]), Path(sys.argv[2]))"
    )
    for steps in range(5):
        subprocess.run([sys.executable, "-c", program, str(desk.folder), str(file), str(steps)],
                       check=False, timeout=HANGS)  # fmt: skip
        with suppress(SettingsError):
            Desk.open(desk.folder)
            continue
        told = run_yonder("ask", "x", cwd=desk.folder)
        assert told.status == 2
        assert "yonder restore" in told.err
        assert run_yonder("restore", cwd=desk.folder).status == 0
        assert [one.turns for one in Desk.open(desk.folder).conversations.newest()] == [1]
    assert "22:00" in Desk.open(desk.folder).ask("When does the quay close?").text


def test_a_file_of_state_that_is_gone_is_told(make_desk: MakeDesk) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    answer, _ = desk.talk("When does the quay close?", desk.conversations.start())
    FeedbackBook(desk.state, desk.traces).add(answer.trace, "good")
    desk.notes.leave("The gate sticks.")
    kept = AccessTokens(desk.state / "access")
    kept.make("site")
    for path, read in (
        ("conversations/conversations.sqlite", lambda: list(desk.conversations.newest())),
        ("notes/notes.sqlite", desk.notes.standing),
        ("access/tokens.json", kept.all),
        ("feedback.jsonl", lambda: list(FeedbackBook(desk.state, desk.traces).all())),
    ):
        gone = desk.state / path
        moved = gone.with_name("moved")
        gone.replace(moved)
        with pytest.raises(StateError, match="are gone"):
            read()
        moved.replace(gone)
        read()


def test_a_desk_that_is_served_is_not_restored(
    make_desk: MakeDesk, tmp_path: Path, yonder: Callable[..., Ran]
) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    file = desk.backup(tmp_path / "b.tar.gz")
    child = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "serve", "--port", "0"], cwd=desk.folder,
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    try:
        assert child.stdout
        child.stdout.readline()
        end = time.monotonic() + HANGS
        while not (desk.state / "served.lock").exists() and time.monotonic() < end:
            time.sleep(0.05)
        time.sleep(0.3)
        assert yonder("backup", str(tmp_path / "while.tar.gz"), cwd=desk.folder).status == 0
        refused = yonder("restore", str(file), cwd=desk.folder)
        assert refused.status == 2
        assert "being served" in refused.err
    finally:
        child.terminate()
        child.communicate(timeout=HANGS)
    assert yonder("restore", str(file), cwd=desk.folder).status == 0


def test_a_purge_waits_for_a_gather_under_way(make_desk: MakeDesk) -> None:
    words = planted(50, seed=77)
    desk = with_paper(make_desk, words)
    for number in range(150):
        (desk.folder / "documents" / f"berth-{number}.md").write_text(
            f"# Berth {number}\n\nIt is.\n"
        )
    (desk.folder / "documents" / f"{words[-1]}.md").unlink()
    gathering = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "gather", "--rebuild"], cwd=desk.folder,
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    time.sleep(1.0)
    desk.purge(f"documents/{words[-1]}.md")
    assert gathering.wait(HANGS) in (0, 3)  # it is done before, or finds its index gone
    assert found_in(desk.folder, words) == set()
    assert desk.document("documents/berth-149.md") is not None


def test_while_served_sources_are_gathered_and_what_is_old_is_swept(make_desk: MakeDesk) -> None:
    desk = make_desk({"quay.md": QUAY}, '[serve]\ngather_every = "1s"\n')
    desk.gather()
    old = desk.state / "served" / "turn-of-old.jsonl"
    old.parent.mkdir()
    old.touch()
    os.utime(old, (1, 1))
    (desk.folder / "documents" / "tug.md").write_text("# Tug\n\nThe tug is called Bess.\n")
    stop = threading.Event()
    houses = [threading.Thread(target=keep_house, args=(desk, stop)) for _ in range(2)]
    for one in houses:
        one.start()
    end = time.monotonic() + HANGS
    while (desk.document("documents/tug.md") is None or old.exists()) and time.monotonic() < end:
        time.sleep(0.1)
    stop.set()
    for one in houses:
        one.join(HANGS)
    assert desk.document("documents/tug.md") is not None
    assert not old.exists()


def test_a_damaged_store_does_not_keep_the_others_from_being_swept(make_desk: MakeDesk) -> None:
    desk = make_desk({"quay.md": QUAY}, '[retention]\nconversations = "1d"\ntraces = "1d"\n')
    desk.gather()
    desk.talk("When does the quay close?", desk.conversations.start())
    (desk.state / "conversations" / "conversations.sqlite").write_bytes(b"no database" * 100)
    with pytest.raises(StateError, match="damaged"):
        desk.sweep(datetime.now(UTC) + timedelta(days=3))
    assert list(desk.traces.newest_first()) == []
