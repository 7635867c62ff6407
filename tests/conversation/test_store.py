"""Keeping conversations: in SQLite and in a real PostgreSQL, by several at once, through a kill."""

from __future__ import annotations

import signal
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import pytest

from yonder_lantern import Desk
from yonder_lantern.conversation import (
    Conversations,
    SqlStore,
    Turn,
    as_markdown,
    postgres_store,
    sqlite_store,
)
from yonder_lantern.conversation.sql_store import DATABASE
from yonder_lantern.core import Caller, CallError, ServiceError, StateError

TURN = Turn("When?", "When?", "At noon. [1]", "answer", "t1", "2026-05-01T10:00:00+00:00")
PUBLIC = Caller(labels=frozenset({"public"}))


@pytest.fixture(params=["sqlite", "postgresql"])
def store(request: pytest.FixtureRequest, tmp_path: Path) -> SqlStore:
    if request.param == "sqlite":
        return sqlite_store(tmp_path)
    address, _ = request.getfixturevalue("postgres")
    import psycopg

    with psycopg.connect(address) as connection:
        connection.execute("DROP TABLE IF EXISTS turns, conversations")
    return postgres_store(address, "postgresql://there")


def test_what_is_kept_is_listed_searched_renamed_and_deleted_for_good(store: SqlStore) -> None:
    kept = Conversations(store)
    assert list(kept.newest()) == []
    first, second = kept.start(), kept.start(owner="ann")
    kept.keep(first, TURN)
    kept.keep(first, replace(TURN, question="And the 50% key_?", at="2026-05-01T10:01:00+00:00"))
    kept.keep(second, replace(TURN, question="Where is the Quay?", at="2026-05-02T10:00:00+00:00"))
    assert kept.resume(first.id) == first
    assert [(one.title, one.turns) for one in kept.newest()] == [
        ("Where is the Quay?", 1), ("When?", 2)
    ]  # fmt: skip
    assert [one.id for one in kept.newest(owner="ann")] == [second.id]
    assert [one.id for one in kept.newest(text="the quay")] == [second.id]
    assert [one.id for one in kept.newest(text="50% KEY_")] == [first.id]
    assert list(kept.newest(text="5_% key")) == []
    kept.rename(first.id, "  Opening\n times ")
    assert kept.resume(first.id).title == "Opening times"
    assert as_markdown(kept.resume(first.id)).startswith("# Opening times\n\n## When?\n\nAt noon.")
    with pytest.raises(CallError, match="empty"):
        kept.rename(first.id, " ")
    kept.delete(first.id)
    assert [one.id for one in kept.newest()] == [second.id]
    for deed in (kept.delete, kept.resume, lambda id_: kept.rename(id_, "x")):
        with pytest.raises(CallError, match="no conversation"):
            deed(first.id)


def test_nobody_goes_on_with_what_is_not_theirs(store: SqlStore) -> None:
    public = Conversations(store, PUBLIC)
    own = public.start(owner="ann")
    public.keep(own, TURN)
    secret = Conversations(store).start()
    Conversations(store).keep(secret, TURN)
    crew = Conversations(store, Caller(labels=frozenset({"crew"})))
    assert [one.id for one in public.newest(owner="ann")] == [own.id]
    for someone, owner in ((public, "bob"), (public, ""), (crew, "ann")):
        assert list(someone.newest(owner=owner)) == []
        for deed in (someone.resume, someone.delete):
            with pytest.raises(CallError, match="no conversation"):
                deed(own.id, owner=owner)
    with pytest.raises(CallError, match="no conversation"):
        public.resume(secret.id)
    assert {one.id for one in Conversations(store).newest()} == {own.id, secret.id}


def test_turns_that_come_at_once_follow_each_other(store: SqlStore) -> None:
    kept = Conversations(store)
    conversation = kept.start()
    kept.keep(conversation, TURN)

    def add(number: int) -> int:
        return store.add(replace_turns(conversation), replace(TURN, question=f"q{number}"))

    def replace_turns(one):
        return replace(one, turns=list(one.turns))

    with ThreadPoolExecutor(8) as pool:
        numbers = list(pool.map(add, range(24)))
    assert sorted(numbers) == list(range(2, 26))
    found = kept.resume(conversation.id)
    assert {turn.question for turn in found.turns} == {"When?", *(f"q{n}" for n in range(24))}


def test_a_database_that_is_damaged_or_away_is_told(
    tmp_path: Path, postgres: tuple[str, Callable[[str], None]]
) -> None:
    store = sqlite_store(tmp_path)
    kept = Conversations(store)
    conversation = kept.start()
    kept.keep(conversation, TURN)
    with sqlite3.connect(tmp_path / DATABASE) as database:
        database.execute("UPDATE conversations SET audience = '[\"public\"]'")
    with pytest.raises(StateError, match="checksum") as caught:
        kept.resume(conversation.id)
    assert "move it aside" in caught.value.remedy
    with sqlite3.connect(tmp_path / DATABASE) as database:
        database.execute("DELETE FROM conversations")
    (tmp_path / DATABASE).write_bytes(b"no database at all, but long enough to be looked at")
    with pytest.raises(StateError, match="damaged"):
        list(kept.newest())
    away = postgres_store(postgres[0].replace("desk@", "nobody@"), "postgresql://there")
    with pytest.raises(ServiceError) as told:
        list(Conversations(away).newest())
    assert told.value.where == "postgresql://there"


def test_a_kill_loses_no_turn_that_was_told(tmp_path: Path) -> None:
    script = (
        "import sys; from pathlib import Path\n"
        "from yonder_lantern.conversation import Conversations, Turn, sqlite_store\n"
        "kept = Conversations(sqlite_store(Path(sys.argv[1])))\n"
        "one = kept.start()\n"
        "for n in range(10**6):\n"
        "    kept.keep(one, Turn(f'q{n}', f'q{n}', 'a', 'answer', '', '2026-05-01'))\n"
        "    print(one.id, n, flush=True)\n"
    )
    told = -1
    for pause in (0.3, 0.15, 0.05):
        child = subprocess.Popen(
            [sys.executable, "-c", script, str(tmp_path)], stdout=subprocess.PIPE, text=True
        )
        assert child.stdout
        line = child.stdout.readline()
        time.sleep(pause)
        child.send_signal(signal.SIGKILL)
        lines = [line, *child.stdout.read().splitlines()]
        child.wait()
        id_, number = next(one for one in reversed(lines) if len(one.split()) == 2).split()
        told = int(number)
        turns = Conversations(sqlite_store(tmp_path)).resume(id_).turns
        assert told + 1 <= len(turns) <= told + 2
        assert [turn.question for turn in turns] == [f"q{n}" for n in range(len(turns))]
    assert len(list(Conversations(sqlite_store(tmp_path)).newest())) == 3


def test_a_desk_keeps_them_where_its_settings_say(
    make_desk: Callable[..., Desk], postgres: tuple[str, Callable[[str], None]]
) -> None:
    desk = make_desk(
        {"quay.md": "# Quay\n\nThe quay closes at 22:00.\n"},
        f'[conversations]\naddress = "{postgres[0]}"\n',
    )
    desk.gather()
    conversation = desk.conversations.start()
    answer, _ = desk.talk("When does the quay close?", conversation)
    assert not (desk.state / "conversations").exists()
    (turn,) = Desk.open(desk.folder).conversations.resume(conversation.id).turns
    assert turn.reply["citations"][0]["quote"] == answer.citations[0].quote
    assert turn.reply["support"] == pytest.approx(answer.support)


def test_an_answer_is_given_though_its_turn_cannot_be_kept(
    make_desk: Callable[..., Desk], postgres: tuple[str, Callable[[str], None]]
) -> None:
    away = postgres[0].replace("desk@", "nobody@")
    desk = make_desk(
        {"quay.md": "# Quay\n\nThe quay closes at 22:00.\n"},
        f'[conversations]\naddress = "{away}"\n',
    )
    desk.gather()
    conversation = desk.conversations.start()
    answer, turn = desk.talk("When does the quay close?", conversation)
    assert "22:00" in answer.text
    assert turn.question == "When does the quay close?"
    assert not conversation.kept


def test_a_conversation_is_read_as_of_one_moment_while_others_add_to_it(store: SqlStore) -> None:
    kept = Conversations(store)
    one = kept.begin()
    stop = threading.Event()
    seen = []

    def add() -> None:
        mine = kept.resume(one.id)
        for _ in range(60):
            kept.keep(mine, TURN)
        stop.set()

    def read() -> None:
        while not stop.is_set():
            seen.append(len(kept.resume(one.id).turns))  # fails where the turns do not fit

    with ThreadPoolExecutor(4) as pool:
        for done in [pool.submit(add), *(pool.submit(read) for _ in range(3))]:
            done.result()
    assert sorted(seen)[-1] > 0
    assert len(kept.resume(one.id).turns) == 60
