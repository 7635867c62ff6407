"""Every failure of the disk, one after another: the index answers, the next gather mends."""

from __future__ import annotations

import errno
import os
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from conftest import write_files
from yonder_lantern import Desk
from yonder_lantern.core import YonderError

MakeDesk = Callable[..., Desk]
OLD: dict[str, str | bytes] = {
    f"{n}.md": f"# Berth {n}\n\nBerth {n} is let to boat number {n} by the harbour."
    for n in range(6)
}
NEW: dict[str, str | bytes] = {
    f"{n}.md": f"# Quay {n}\n\nQuay {n} is closed to boat number {n} by the pilot."
    for n in range(3, 9)
}
QUESTIONS = ("which berth is let", "quay closed by the pilot", "boat number 4")


class Failing:
    """Lets a function through a number of times and then fails as a full disk does."""

    def __init__(self, real: Callable[..., Any], after: int) -> None:
        self._real = real
        self.left = after

    def __call__(self, *arguments: Any, **options: Any) -> Any:
        self.left -= 1
        if self.left < 0:
            raise OSError(errno.ENOSPC, "No space left on device")
        return self._real(*arguments, **options)


def answers(desk: Desk) -> list[list[tuple[str, str]]]:
    words_alone = {"find.lexical_weight": 1.0, "find.reading_weight": 0.0}
    own = Desk.open(desk.folder, settings=words_alone, record=False)
    return [[(hit.document, hit.text) for hit in own.find(one, limit=20)] for one in QUESTIONS]


def files_of(desk: Desk) -> set[str]:
    index = desk.folder / ".yonder" / "index"
    return {
        f"{folder}/{path.name}"
        for folder in ("segments", "vectors", "embeddings", "deletions")
        for path in (index / folder).iterdir()
    }


@pytest.mark.parametrize(
    ("module", "name"),
    [
        ("yonder_lantern.platform.storage.files.os", "fsync"),
        ("yonder_lantern.platform.storage.arrays", "open_private"),
        ("yonder_lantern.platform.storage.files.Path", "replace"),
        ("yonder_lantern.index.writing.writer.Path", "rename"),
        ("yonder_lantern.index.segment.Path", "mkdir"),
    ],
)
def test_each_write_that_fails_leaves_a_whole_index(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch, module: str, name: str
) -> None:
    desk = make_desk(OLD)
    desk.gather()
    before = answers(desk)
    write_files(desk.folder / "documents", NEW)
    owner, _, attribute = module.rpartition(".")
    target = getattr(__import__(owner, fromlist=[attribute]), attribute)
    fresh = make_desk({**OLD, **NEW}, name="fresh")
    fresh.gather()
    whole = answers(fresh)
    messages = []
    for after in range(200):
        with monkeypatch.context() as patch:
            failing = Failing(getattr(target, name), after)
            if isinstance(target, type):
                patch.setattr(target, name, lambda *a, _f=failing, **k: _f(*a, **k))
            else:
                patch.setattr(target, name, failing)
            try:
                Desk.open(desk.folder).gather()
            except (YonderError, OSError) as error:
                messages.append(str(error))
            else:
                if failing.left >= 0:  # else what failed is only made to be on the safe side
                    break
        assert answers(desk) in (before, whole)
    assert messages
    assert all("No space left" in message for message in messages)
    assert failing.left >= 0, "it never went through"
    assert answers(desk) == whole
    settled = Desk.open(desk.folder)
    write_files(desk.folder / "documents", {"9.md": "# One more\n\nOne more sweeps."})
    settled.gather()
    manifest = settled.snapshot().manifest
    assert {f"segments/{entry.name}" for entry in manifest.segments} == {
        name for name in files_of(desk) if name.startswith("segments/")
    }


def test_a_killed_writer_between_its_two_commits_is_undone(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The database is committed and the manifest not yet replaced: the one moment of two truths."""
    desk = make_desk(OLD)
    desk.gather()
    before = answers(desk)
    write_files(desk.folder / "documents", NEW)

    class Killed(BaseException):
        pass

    def die(*_: object) -> None:
        raise Killed

    with monkeypatch.context() as patch:
        patch.setattr("yonder_lantern.index.manifest.Manifest.save", die)
        with pytest.raises(Killed):
            Desk.open(desk.folder).gather()
    store = sqlite3.connect(desk.folder / ".yonder" / "index" / "documents.sqlite")
    assert store.execute("SELECT COUNT(*) FROM documents WHERE added = 2").fetchone() == (6,)
    store.close()
    assert answers(desk) == before
    report = Desk.open(desk.folder).gather()
    assert (report.added, report.changed, report.unchanged) == (3, 3, 3)
    assert answers(desk) != before


def test_files_left_by_a_killed_writer_are_swept_by_the_next(make_desk: MakeDesk) -> None:
    desk = make_desk(OLD)
    desk.gather()
    index = desk.folder / ".yonder" / "index"
    (index / "segments" / "000002").mkdir()
    (index / "segments" / "000002" / "lengths.npy").write_bytes(b"half")
    (index / "vectors" / "000002.abc.new").write_bytes(b"half")
    (index / "embeddings" / "abc.new").mkdir()
    os.utime(desk.folder / "documents" / "1.md")
    write_files(desk.folder / "documents", NEW)
    desk.gather()
    kept = files_of(desk)
    assert not [name for name in kept if name.endswith(".new")]
    assert len([name for name in kept if name.startswith("segments/")]) == 2
    assert answers(desk)[1]


def test_a_rebuild_that_fails_or_is_cut_off_keeps_the_old_index(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = make_desk(OLD)
    desk.gather()
    before = answers(desk)
    write_files(desk.folder / "documents", NEW)
    index = desk.folder / ".yonder" / "index"
    renaming = Path.rename

    def fail(path: Path, target: Path) -> Path:
        if path.name == "index.rebuilt":
            raise OSError(errno.ENOSPC, "No space left on device")
        return renaming(path, target)

    with monkeypatch.context() as patch:
        patch.setattr(Path, "rename", fail)
        with pytest.raises(OSError, match="No space left"):
            desk.gather(rebuild=True)
    assert answers(desk) == before
    index.rename(index.with_name("index.old"))  # killed between the two renamings
    assert answers(desk) == before
    report = Desk.open(desk.folder).gather()
    assert (report.added, report.changed, report.unchanged) == (3, 3, 3)
    assert not index.with_name("index.old").exists()
