"""The index: ranks that do not depend on its history, and readers that never see half of it."""

from __future__ import annotations

import json
import os
import random
import resource
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from conftest import write_files
from yonder_lantern import Desk
from yonder_lantern.core import Hit, IndexStateError
from yonder_lantern.index import open_writer

MakeDesk = Callable[..., Desk]
WORDS = (
    "anchor berth buoy cargo chain crane deck diesel dock ebb fender ferry fish flag flood fog "
    "gale gate hull ice jetty keel knot lamp launch line lock mast mole moor pilot pontoon "
    "quay radio rope sail sand shoal sill slip swell tide tug wave wharf wind yacht"
).split()
QUESTIONS = ["pilot and tug in fog", "ice for fish", "gate sill tide", "quay", "yacht moor rope"]


def text_of(seed: int) -> str:
    generator = random.Random(seed)
    lines = [" ".join(generator.choices(WORDS, k=12)).capitalize() + "." for _ in range(12)]
    return f"# {generator.choice(WORDS)} {seed}\n\n" + "\n\n".join(lines)


def lexical(hits: list[Hit]) -> list[tuple[str, int, float]]:
    return [(hit.document, hit.start, hit.breakdown.stages[0].score) for hit in hits]


def everything(desk: Desk, **caller: object) -> list[list[tuple[str, int, float]]]:
    settings = {"find.lexical_weight": 1.0}
    own = Desk.open(desk.folder, settings=settings)
    return [lexical(own.find(question, limit=40, **caller)) for question in QUESTIONS]  # type: ignore[arg-type]


def test_an_index_embedded_part_by_part_has_the_same_vectors(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    files: dict[str, str | bytes] = {f"{n:02d}.md": text_of(n) for n in range(30)}
    whole, parts, sampled = (make_desk(files, name=name) for name in ("whole", "parts", "sampled"))
    whole.gather()
    monkeypatch.setattr("yonder_lantern.index.writing.write_segment_vectors._EMBEDDED_AT_ONCE", 7)
    parts.gather()
    monkeypatch.setattr("yonder_lantern.index.writing.training_policy._LEARNED_FROM", 12)
    monkeypatch.setattr("yonder_lantern.index.writing.write_topics._TOPICS_FROM", 15)
    sampled.gather()
    every = np.arange(len(whole.snapshot().layout))
    vectors = [desk.snapshot().vectors(every) for desk in (whole, parts, sampled)]
    assert np.array_equal(vectors[0], vectors[1])
    assert not np.array_equal(vectors[0], vectors[2])
    assert everything(sampled) == everything(whole)
    learned = sampled.snapshot().manifest
    assert learned.embedding.passages == len(every)  # drift is measured against all
    assert learned.topics is not None
    assert set(sampled.snapshot().topic_of_row) == set(whole.snapshot().topic_of_row)


def test_an_index_grown_in_steps_ranks_exactly_as_one_built_at_once(make_desk: MakeDesk) -> None:
    files: dict[str, str | bytes] = {f"{n:02d}.md": text_of(n) for n in range(30)}
    at_once = make_desk(files, name="once")
    at_once.gather()
    grown = make_desk({}, name="grown")
    documents = grown.folder / "documents"
    keys = list(files)
    random.Random(3).shuffle(keys)
    for step in range(0, 30, 6):
        part = keys[step : step + 6]
        write_files(documents, {key: text_of(99 + step) for key in part})  # first another text
        write_files(documents, {f"gone-{step}.md": text_of(200 + step)})
        grown.gather()
        write_files(documents, {key: files[key] for key in part})
        (documents / f"gone-{step}.md").unlink()
        grown.gather()
    assert len(grown.snapshot().segments) > 3
    assert everything(grown) == everything(at_once)


def test_many_small_gathers_leave_few_segments(make_desk: MakeDesk) -> None:
    desk = make_desk({f"old-{n}.md": text_of(n) for n in range(40)})
    desk.gather()
    first = desk.snapshot().manifest.segments[0].name
    for n in range(30):
        (desk.folder / "documents" / f"new-{n}.md").write_text(text_of(n + 100))
        report = desk.gather()
        assert report.documents == 41 + n
    segments = desk.snapshot().manifest.segments
    assert 1 < len(segments) <= 10
    assert first in [entry.name for entry in segments]  # the large one was left alone
    built = make_desk({}, name="built")
    for path in (desk.folder / "documents").iterdir():
        (built.folder / "documents" / path.name).write_bytes(path.read_bytes())
    built.gather()
    assert everything(desk) == everything(built)
    kept = {path.name for path in (desk.folder / ".yonder/index/segments").iterdir()}
    Desk.open(desk.folder).gather()
    assert len(kept) <= 11


def test_what_a_caller_may_not_see_moves_nothing(make_desk: MakeDesk) -> None:
    """The public's ranks, scores and statistics are those of an index without the rest."""
    public: dict[str, str | bytes] = {f"{n:02d}.md": text_of(n) for n in range(20)}
    secret = {f"{n}.md": f"{text_of(n)}\n\nTreasure lies at the sill." for n in range(50, 60)}
    alone = make_desk(public, name="alone")
    alone.gather()
    settings = (
        '[[source]]\nname = "documents"\n[[source]]\nname = "secret"\nfolder = "secret"\n'
        'audience = ["board"]'
    )
    mixed = make_desk(public, settings, name="mixed")
    write_files(mixed.folder / "secret", dict(secret))
    mixed.gather()
    for question in [*QUESTIONS, "treasure at the sill"]:
        mine = alone.search(question, limit=40)
        theirs = mixed.search(question, limit=40, audience=["public"])
        assert [(h.document, h.start, h.score) for h in theirs.hits] == [
            (h.document, h.start, h.score) for h in mine.hits
        ]
        assert (theirs.terms, theirs.known) == (mine.terms, mine.known)
    assert "treasure" in mixed.ask("Where does the treasure lie?", audience=["public"]).missing
    assert mixed.find("treasure", audience=["board"])[0].document.startswith("secret/")
    assert {h.document.split("/")[0] for h in mixed.find("sill tide", limit=40)} == {
        "documents",
        "secret",
    }


def test_validity_decides_what_is_seen(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {
            "2025.md": "---\nvalid_from: 2025-04-01\nvalid_until: 2026-04-01\n---\n"
            "A berth costs 10.",
            "2026.md": "---\nvalid_from: 2026-04-01\n---\nA berth costs 12.",
            "ever.md": "A berth is a place for a boat.",
        },
        '[desk]\ntimezone = "Europe/Oslo"',
    )
    desk.gather()

    def seen(as_of: str) -> set[str]:
        return {hit.document[10:-3] for hit in desk.find("what a berth costs", as_of=as_of)}

    assert seen("2025-03-31") == {"ever"}
    assert seen("2025-04-01") == {"2025", "ever"}
    assert seen("2026-03-31T23:59") == {"2025", "ever"}
    assert seen("2026-03-31T22:00+00:00") == {"2026", "ever"}  # midnight in Oslo, summer time
    assert seen("2026-04-01") == {"2026", "ever"}


def test_a_reader_keeps_its_generation_while_others_are_written(make_desk: MakeDesk) -> None:
    desk = make_desk({f"{n}.md": text_of(n) for n in range(8)})
    desk.gather()
    reader = Desk.open(desk.folder)
    old = reader.snapshot()
    before = [lexical(reader.find(question)) for question in QUESTIONS]
    rows = old.live_rows()
    for n in range(8):
        (desk.folder / "documents" / f"{n}.md").write_text(text_of(n + 70))
        desk.gather()
    assert len(old.store.documents(rows)) == 8  # leased, so not swept
    assert [lexical(reader.find(question)) for question in QUESTIONS] != before
    old.close()
    reader.close()
    (desk.folder / "documents" / "0.md").write_text(text_of(500))
    fresh = Desk.open(desk.folder)
    fresh.gather()
    assert fresh.snapshot().store.ids(rows) == {}


def test_only_one_writer_at_a_time(make_desk: MakeDesk) -> None:
    desk = make_desk({"a.md": text_of(1)})
    desk.gather()
    with (
        open_writer(desk.folder / ".yonder" / "index"),
        pytest.raises(IndexStateError, match="another gather"),
    ):
        desk.gather()
    assert desk.gather().nothing_to_do


GATHER = "import sys; from yonder_lantern import Desk; Desk.open(sys.argv[1]).gather()"


def test_a_gather_killed_at_any_moment_leaves_the_earlier_index(make_desk: MakeDesk) -> None:
    desk = make_desk({f"{n:03d}.md": text_of(n) for n in range(60)})
    desk.gather()
    expected = everything(desk)
    began = time.perf_counter()
    for n in range(60):
        (desk.folder / "documents" / f"{n:03d}.md").write_text(text_of(n + 1000))
    whole = make_desk({f"{n:03d}.md": text_of(n + 1000) for n in range(60)}, name="whole")
    whole.gather()
    changed = everything(whole)
    began = time.perf_counter()
    subprocess.run([sys.executable, "-c", GATHER, str(whole.folder)], check=True)
    longest = time.perf_counter() - began + 0.4
    outcomes = set()
    generator = random.Random(5)
    for attempt in range(12):
        child = subprocess.Popen([sys.executable, "-c", GATHER, str(desk.folder)])
        time.sleep(longest * (attempt + generator.random()) / 12)
        child.send_signal(signal.SIGKILL)
        child.wait()
        state = everything(desk)
        assert state in (expected, changed)
        outcomes.add(state == changed)
        if state == changed:
            break
    assert False in outcomes, "no kill came before the end"
    desk.gather()
    assert everything(desk) == changed
    assert desk.gather().nothing_to_do


def test_a_full_disk_leaves_the_earlier_index(make_desk: MakeDesk) -> None:
    desk = make_desk({"a.md": text_of(1), "b.md": text_of(2)})
    desk.gather()
    expected = everything(desk)
    write_files(desk.folder / "documents", {f"n{n}.md": text_of(n) * 4 for n in range(40)})
    limits = [20_000, 60_000, 200_000, 500_000]  # bytes a file may have: what a full disk does
    for limit in limits:

        def shrink(limit: int = limit) -> None:
            resource.setrlimit(resource.RLIMIT_FSIZE, (limit, limit))

        done = subprocess.run(
            [sys.executable, "-m", "yonder_lantern", "gather"],
            cwd=desk.folder,
            preexec_fn=shrink,
            capture_output=True,
            text=True,
        )
        if done.returncode == 0:
            break
        assert done.returncode == 3, done.stderr
        assert "room on the disk" in done.stderr
        assert "Traceback" not in done.stderr
        assert everything(desk) == expected
    assert limit > limits[0], "no limit was small enough to matter"
    assert desk.gather().failed == 0
    assert desk.find("pilot", limit=60)[0].score > 0


@pytest.mark.parametrize(
    "harm",
    [
        "manifest cut short",
        "manifest of another shape",
        "newer format",
        "older format",
        "array cut short",
        "array missing",
        "array of another size",
        "store overwritten",
        "store missing",
    ],
)
def test_a_damaged_or_newer_index_says_so_and_can_be_rebuilt(
    make_desk: MakeDesk, harm: str
) -> None:
    desk = make_desk({"a.md": text_of(1), "b.md": text_of(2)})
    desk.gather()
    desk.close()
    index = desk.folder / ".yonder" / "index"
    manifest = index / "manifest.json"
    lengths = index / "segments" / "000001" / "lengths.npy"
    store = index / "documents.sqlite"
    match harm:
        case "manifest cut short":
            manifest.write_bytes(manifest.read_bytes()[:40])
        case "manifest of another shape":
            manifest.write_text('{"format": 2, "segments": 3}')
        case "older format":
            manifest.write_text(json.dumps({**json.loads(manifest.read_text()), "format": 1}))
        case "newer format":
            raw = json.loads(manifest.read_text())
            manifest.write_text(json.dumps({**raw, "format": 99}))
        case "array cut short":
            lengths.write_bytes(lengths.read_bytes()[:-8])
        case "array missing":
            lengths.unlink()
        case "array of another size":
            lengths.write_bytes((index / "segments" / "000001" / "passages.npy").read_bytes())
            raw = json.loads(manifest.read_text())
            raw["segments"][0]["passages"] += 7
            manifest.write_text(json.dumps(raw))
        case "store overwritten":
            store.write_bytes(b"not a database" * 100)
        case "store missing":
            store.unlink()
    with pytest.raises(IndexStateError) as caught:
        Desk.open(desk.folder).find("pilot")
    assert "gather --rebuild" in caught.value.remedy
    assert ("newer" in caught.value.remedy) == (harm == "newer format")
    assert Desk.open(desk.folder).gather(rebuild=True).added == 2
    assert Desk.open(desk.folder).find("tide mast quay anchor")
    assert Desk.open(desk.folder).gather().nothing_to_do


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become another user")
def test_an_index_that_may_only_be_read_answers(make_desk: MakeDesk, tmp_path: Path) -> None:
    desk = make_desk({"a.md": text_of(1), "b.md": text_of(2)})
    desk.gather()
    desk.close()
    for path in desk.folder.rglob("*"):  # what a gather writes is its own user's alone
        path.chmod(0o755 if path.is_dir() else 0o644)
    for folder in [tmp_path, *tmp_path.parents]:
        if folder == Path("/tmp"):
            break
        folder.chmod(0o755)
    program = (  # the first look, as root, loads what the other user may not
        "import os, sys; from yonder_lantern import Desk; from yonder_lantern.interface.cli.main "
        "import run; ask = lambda: Desk.open(sys.argv[1]).ask('tide mast quay anchor'); ask(); "
        "run(['gather', '--desk', sys.argv[1]]); "
        "os.setgroups([]); os.setgid(65534); os.setuid(65534); "
        "answer = ask(); assert not answer.trace; print(len(answer.looked_for)); "
        "print(run(['gather', '--desk', sys.argv[1]]))"
    )
    done = subprocess.run(
        [sys.executable, "-c", program, str(desk.folder)], capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines()[-2:] == ["4", "3"]
    assert "could not be kept" in done.stderr
    assert "Permission denied" in done.stderr
    assert "Traceback" not in done.stderr


def test_many_threads_find_while_one_gathers(make_desk: MakeDesk) -> None:
    desk = make_desk({f"{n}.md": text_of(n) for n in range(10)})
    desk.gather()
    failures: list[Exception] = []
    stop = threading.Event()

    def look() -> None:
        while not stop.is_set():
            try:
                assert desk.find("pilot and tug in fog")
            except Exception as error:
                failures.append(error)
                return

    threads = [threading.Thread(target=look) for _ in range(4)]
    for thread in threads:
        thread.start()
    try:
        for n in range(12):
            (desk.folder / "documents" / f"{n % 6}.md").write_text(text_of(n + 300))
            desk.gather()
    finally:
        stop.set()
        for thread in threads:
            thread.join()
    assert failures == []
