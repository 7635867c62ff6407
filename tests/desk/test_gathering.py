"""Gathering: only what must be done, nothing lost, every problem said."""

from __future__ import annotations

import os
import pty
import re
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import HANGS, read_until
from yonder_lantern import Desk
from yonder_lantern.core import (
    CancelledError,
    GatherReport,
    IndexStateError,
    NothingGatheredError,
    SettingsError,
    SourceError,
)

MakeDesk = Callable[..., Desk]
FILES: dict[str, str | bytes] = {
    "berths.md": "# Berths\n\nThe pontoons have berths for small yachts and motor boats.",
    "fuel.txt": "Fuel\n\nThe fuel berth sells diesel and petrol to small boats.",
    "radio.html": "<h1>Radio</h1><p>Call the harbour on channel 14 from small boats.</p>",
}


def counts(report: GatherReport) -> tuple[int, int, int, int, int]:
    return report.added, report.changed, report.unchanged, report.removed, report.failed


def settle(desk: Desk) -> None:
    """Make every file old enough for its time stamp to be trusted."""
    past = time.time() - 60
    for path in (desk.folder / "documents").rglob("*"):
        os.utime(path, (past, past))


def test_a_second_gather_does_nothing_and_says_so(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    settle(desk)
    first = desk.gather()
    assert counts(first) == (3, 0, 0, 0, 0)
    manifest = desk.folder / ".yonder" / "index" / "manifest.json"
    before = manifest.stat().st_mtime_ns
    second = desk.gather()
    assert counts(second) == (0, 0, 3, 0, 0)
    assert second.nothing_to_do
    assert manifest.stat().st_mtime_ns == before


def test_unchanged_files_are_not_even_read(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    settle(desk)
    desk.gather()
    for path in (desk.folder / "documents").iterdir():  # same size, same time, other words
        stamp = path.stat()
        path.write_bytes(path.read_bytes().swapcase())
        os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    assert counts(desk.gather()) == (0, 0, 3, 0, 0)


def test_a_file_touched_but_not_changed_keeps_its_generation(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    desk.gather()
    os.utime(desk.folder / "documents" / "fuel.txt")
    report = desk.gather()
    assert report.nothing_to_do
    assert report.generation == 1


def test_only_what_changed_is_touched(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    desk.gather()
    documents = desk.folder / "documents"
    (documents / "fuel.txt").write_text("Fuel\n\nThe fuel berth sells paraffin to small boats.")
    (documents / "radio.html").unlink()
    (documents / "sub").mkdir()
    (documents / "sub" / "new.md").write_text("# Ice\n\nIce is sold by the tonne to small boats.")
    segments = desk.folder / ".yonder" / "index" / "segments"
    before = {p: p.stat().st_mtime_ns for p in segments.rglob("*.npy")}
    assert counts(desk.gather()) == (1, 1, 1, 1, 0)
    assert all(p.stat().st_mtime_ns == when for p, when in before.items())
    assert [hit.document for hit in desk.find("paraffin")] == ["documents/fuel.txt"]
    assert desk.find("ice tonne")[0].document == "documents/sub/new.md"
    assert not any(
        hit.document.endswith("radio.html") for hit in desk.find("channel harbour boats")
    )


def test_changed_settings_cut_again_without_the_sources(make_desk: MakeDesk) -> None:
    text = "# Log\n\n" + "\n\n".join(f"Entry {n} notes the wind and the tide." for n in range(40))
    desk = make_desk({"log.md": text})
    settle(desk)
    first = desk.gather()
    smaller = Desk.open(desk.folder, settings={"passages.tokens": 40, "passages.overlap": 5})
    report = smaller.gather()
    assert counts(report) == (0, 0, 1, 0, 0)
    assert report.passages > 2 * first.passages
    assert smaller.find("wind and tide", limit=1)[0].document == "documents/log.md"


@pytest.mark.parametrize(
    ("name", "data", "reason"),
    [
        ("binary.txt", b"\x00\x01\x02" * 100, "binary"),
        ("empty.md", b"", "empty"),
        ("large.txt", b"words " * 200_000, "1.2 MB; the limit is 1 MB"),
        ("front.md", b"---\ntitle: a: b\n---\nText", "front matter"),
        ("wide.md", b"---\naudience: board\n---\nText", "audience"),
        ("date.md", b"---\nvalid_from: soon\n---\nText", "valid_from"),
    ],
)
def test_one_bad_document_is_reported_and_the_others_are_kept(
    make_desk: MakeDesk, name: str, data: bytes, reason: str
) -> None:
    desk = make_desk({**FILES, name: data}, "[gather]\nmax_megabytes = 1.0")
    report = desk.gather()
    assert counts(report) == (3, 0, 0, 0, 1)
    (problem,) = report.problems
    assert problem.item == f"documents/{name}"
    assert reason in problem.reason
    assert problem.remedy
    again = desk.gather()
    assert counts(again) == (0, 0, 3, 0, 1)


def test_a_document_that_goes_bad_keeps_its_earlier_version(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    desk.gather()
    path = desk.folder / "documents" / "fuel.txt"
    path.write_bytes(b"\x00" * 50)
    report = desk.gather()
    assert counts(report) == (0, 0, 2, 0, 1)
    assert "earlier version is kept" in report.problems[0].reason
    assert desk.find("diesel petrol")[0].document == "documents/fuel.txt"
    path.write_text("Fuel\n\nThe fuel berth sells coal.")
    assert counts(desk.gather()) == (0, 1, 2, 0, 0)


def test_a_source_that_becomes_empty_keeps_its_documents_unless_told(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    desk.gather()
    for path in (desk.folder / "documents").iterdir():
        path.unlink()
    report = desk.gather()
    assert report.removed == 0
    assert "--allow-empty" in report.problems[0].remedy
    assert desk.find("diesel")
    assert desk.gather(allow_empty=True).removed == 3
    with pytest.raises(NothingGatheredError):
        desk.find("diesel")


def test_a_folder_that_does_not_exist_changes_nothing(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    desk.gather()
    (desk.folder / "documents").rename(desk.folder / "docments")
    report = desk.gather()
    assert counts(report) == (0, 0, 0, 0, 1)
    (problem,) = report.problems
    assert problem.item == "source documents"
    assert "does not exist ([[source]] 'documents', folder = " in problem.reason
    assert "its 3 earlier documents are kept" in problem.reason
    assert "docments?" in problem.remedy
    assert desk.find("diesel")
    elsewhere = Desk(desk.folder / "docments", desk.settings)  # where nothing was gathered yet
    with pytest.raises(SourceError, match="does not exist"):
        elsewhere.gather()


def test_an_empty_folder_gathers_nothing_and_says_so(make_desk: MakeDesk) -> None:
    desk = make_desk({})
    report = desk.gather()
    assert (report.documents, report.passages) == (0, 0)
    assert "no document" in report.problems[0].reason
    for call in (desk.find, desk.ask):
        with pytest.raises(NothingGatheredError, match="no document has been gathered"):
            call("Where is diesel sold?")


def test_hidden_secret_and_outside_files_are_left_out(make_desk: MakeDesk, tmp_path: Path) -> None:
    desk = make_desk(
        {".hidden.md": "hidden", ".git/config.md": "hidden", "server.key": "k", "a.md": "# Seen"},
        '[[source]]\nname = "documents"\ninclude = ["**/*"]\nexclude = ["drafts/**"]',
    )
    (tmp_path / "service.md").write_text("outside")
    (desk.folder / "documents" / "link.md").symlink_to(tmp_path / "service.md")
    (desk.folder / "documents" / "drafts").mkdir()
    (desk.folder / "documents" / "drafts" / "b.md").write_text("draft")
    desk.gather()
    assert list(desk.snapshot().store.live()) == ["documents/a.md"]


def test_a_preview_writes_nothing(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    report = desk.gather(dry_run=True)
    assert counts(report) == (3, 0, 0, 0, 0)
    assert report.passages == 3
    with pytest.raises(IndexStateError, match="nothing has been gathered"):
        desk.find("diesel")


def test_a_source_dropped_from_the_settings_takes_its_documents_along(make_desk: MakeDesk) -> None:
    two = '[[source]]\nname = "a"\n[[source]]\nname = "b"\nfolder = "more"'
    desk = make_desk(FILES, two)
    (desk.folder / "more").mkdir()
    (desk.folder / "more" / "x.md").write_text("# Tides\n\nTide tables are sold here.")
    assert desk.gather().added == 4
    (desk.folder / "yonder.toml").write_text('[[source]]\nname = "a"')
    assert Desk.open(desk.folder).gather().sources["b"].removed == 1
    assert not [hit for hit in desk.find("tide tables") if hit.document.startswith("b/")]


@pytest.mark.parametrize("program", ["/bin/false", "/no/such/python"])
def test_where_no_process_can_be_started_documents_are_read_all_the_same(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch, program: str
) -> None:
    monkeypatch.setattr(sys, "executable", program)
    desk = make_desk({**FILES, "bad.md": b"\x00" * 50})
    assert counts(desk.gather()) == (3, 0, 0, 0, 1)
    assert desk.find("diesel petrol")[0].document == "documents/fuel.txt"


def test_what_was_taken_in_before_an_interruption_stays(make_desk: MakeDesk) -> None:
    files = {f"{n:03}.md": f"# Note {n}\n\nNote {n} is about rope and tar." for n in range(300)}
    desk = make_desk(files)

    class Soon:
        asked = 0

        def is_set(self) -> bool:
            self.asked += 1
            return self.asked > 450

    with pytest.raises(CancelledError, match=r"interrupted; \d+ documents were taken in"):
        desk.gather(cancel=Soon())
    settle(desk)
    there = len(desk.snapshot().live_rows())
    assert 0 < there < 300
    report = desk.gather()
    assert (report.added, report.unchanged) == (300 - there, there)


def test_the_first_interrupt_ends_a_gather_in_good_order(make_desk: MakeDesk) -> None:
    files = {f"{n:04}.md": f"# Note {n}\n\n" + f"Rope {n} and tar. " * 60 for n in range(1500)}
    desk = make_desk(files, "[gather]\nprocesses = 1")  # so that few are under way at once
    leader, follower = pty.openpty()
    process = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "gather"],
        cwd=desk.folder,
        stderr=follower,
        env={**os.environ, "TERM": "xterm", "COLUMNS": "120"},
    )
    os.close(follower)
    read_until(leader, r"[2-9]\d\d of 1500")
    process.send_signal(signal.SIGINT)
    told = read_until(leader, "it goes on from there")
    assert process.wait(HANGS) == 130
    os.close(leader)
    assert "to do: gather again: it goes on from there" in told
    assert "Traceback" not in told, told
    taken_in = int(re.search(r"Interrupted; (\d+) documents were taken in", told)[1])
    assert 0 < taken_in < 1500
    report = desk.gather()
    assert (report.documents, report.added) == (1500, 1500 - taken_in)


@pytest.mark.parametrize(
    ("toml", "what", "where"),
    [
        ("[find]\nlimt = 3", "unknown key 'limt'", "line 2"),
        ("[finds]\nlimit = 3", "unknown key 'finds'", "line 1"),
        ("[find]\nlimit = 'three'", "find.limit", "line 2"),
        ("[find]\nlimit = 0", "find.limit must be a whole number, at least 1", "line 2"),
        ("[gather]\nmax_megabytes = 0", "must be a number, more than 0", "line 2"),
        ("[[source]]\nname = 'a b'", "source.name must be letters, figures", "line 2"),
        ("[[source]]\nname = 'a'\naudience = []", "source.audience must be at least one", "line 3"),
        ("[desk]\ntimezone = 'Moon/Sea'", "no such time zone", "line 2"),
        ("[find\nlimit = 3", "not valid TOML", "line 1"),
        ("[[source]]\nfolder = 'x'", "source.name is missing", "line 1"),
        ("[[source]]\nname='a'\n[[source]]\nname='b'\nfolde='x'", "unknown key 'folde'", "line 5"),
        ("[[source]]\nname='a'\n[[source]]\nname='a'", "two sources", "source"),
        ("[passages]\ntokens = 40\noverlap = 30", "overlap", "passages"),
    ],
)
def test_wrong_settings_are_explained(
    make_desk: MakeDesk, toml: str, what: str, where: str
) -> None:
    with pytest.raises(SettingsError) as caught:
        make_desk({}, toml)
    assert what in caught.value.what
    assert where in caught.value.where
    assert caught.value.remedy


def test_an_unknown_key_names_its_nearest_neighbour(make_desk: MakeDesk) -> None:
    with pytest.raises(SettingsError, match="did you mean 'limit'"):
        make_desk({}, "[find]\nlimt = 3")
    with pytest.raises(SettingsError, match="did you mean 'folder'"):
        make_desk({}, "[[source]]\nname = 'a'\nfodler = 'x'")
