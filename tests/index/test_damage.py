"""Damage to any file is told, with the way out; it is never another answer."""

from __future__ import annotations

import random
import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from damage import fault_of, kept_files, told, trials
from yonder_lantern import Desk
from yonder_lantern.core import IndexStateError, StateError
from yonder_lantern.platform.storage import (
    append_record,
    checked_array,
    read_records,
    save_array,
    sealed,
    unsealed,
)

MakeDesk = Callable[..., Desk]


@pytest.fixture(scope="module")
def lived_in(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A desk with restricted documents, traces, a conversation."""
    folder = tmp_path_factory.mktemp("damage") / "desk"
    for name, text in {
        "handbook/fuel.md": "# Fuel berth\n\nThe fuel berth is open 09:00 to 15:00 in winter.",
        "handbook/dues.md": "# Landing dues\n\nLanding dues on fish are 2 per cent. Keep clear of"
        " the fairway. The boat lift is BL-60 (boat lift).",
        "crew/cash.md": "# Petty cash\n\nThere are 400 crowns of petty cash in the safe.",
    }.items():
        path = folder / "documents" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    for n in range(12):
        (folder / "documents" / "handbook" / f"quay-{n}.md").write_text(
            f"# Quay {n}\n\nQuay {n} has {n + 3} bollards and closes at {n + 8}:00."
        )
    (folder / "yonder.toml").write_text(
        '[[source]]\nname = "handbook"\nfolder = "documents/handbook"\n'
        '[[source]]\nname = "crew"\nfolder = "documents/crew"\naudience = ["crew"]\n'
        '[reading]\nvectors = "off"\n'  # whose files are damaged in tests/reading
    )
    desk = Desk.open(folder)
    desk.gather()
    desk.ask("When is the fuel berth open in winter?")
    conversation = desk.conversations.start()
    desk.talk("When is the fuel berth open?", conversation)
    desk.talk("And in winter?", conversation)
    desk.close()
    return folder


def test_flips_zeros_and_cuts_are_told_or_change_nothing(lived_in: Path, tmp_path: Path) -> None:
    results = list(trials(lived_in, tmp_path, 60, random.Random(7)))
    assert len(results) == 60
    assert [f"{kind} {path}: {fault}" for path, kind, fault in results if fault] == []


def test_every_array_of_the_index_is_looked_at(lived_in: Path, tmp_path: Path) -> None:
    whole = told(lived_in)
    seen = 0
    for path in kept_files(lived_in / ".yonder" / "index"):
        if path.suffix != ".npy" or "embeddings" in path.parts:
            continue  # of the lexicon's words only those that are asked for are read
        copy = tmp_path / "copy"
        shutil.rmtree(copy, ignore_errors=True)
        shutil.copytree(lived_in, copy)
        own = path.relative_to(lived_in)
        data = bytearray((copy / own).read_bytes())
        data[len(data) // 2] ^= 0x10
        (copy / own).write_bytes(data)
        now = told(copy)
        assert fault_of(own.relative_to(".yonder"), whole, now) == ""
        seen += 1
    assert seen >= 10


def test_zeroed_audiences_hide_everything_instead_of_showing_it(
    lived_in: Path, tmp_path: Path
) -> None:
    copy = tmp_path / "copy"
    shutil.copytree(lived_in, copy)
    (documents,) = (copy / ".yonder" / "index" / "segments").glob("*/documents.npy")
    rows = np.array(checked_array(documents).whole())
    rows[:, 1] = 0  # as if all were for the first audience; with checksums that fit
    save_array(documents, rows)
    with pytest.raises(IndexStateError, match="who may see it"):
        Desk.open(copy).find("petty cash in the safe", audience=["public"])
    with pytest.raises(IndexStateError, match="who may see it"):
        Desk.open(copy).find("petty cash in the safe")


def test_a_damaged_index_is_rebuilt_by_the_remedy_it_names(lived_in: Path, tmp_path: Path) -> None:
    whole = told(lived_in)
    for number, path in enumerate(kept_files(lived_in / ".yonder" / "index")):
        if number % 5:
            continue
        copy = tmp_path / f"copy-{number}"
        shutil.copytree(lived_in, copy)
        own = path.relative_to(lived_in)
        (copy / own).write_bytes((copy / own).read_bytes()[:-1] + b"\x55")
        report = Desk.open(copy).gather(rebuild=True)
        assert report.failed == 0, (own, report.problems)
        now = told(copy)
        assert {k: v.value for k, v in now.items() if "find" in k} == {
            k: v.value for k, v in whole.items() if "find" in k
        }


@given(arrays(np.int32, array_shapes(max_dims=2, max_side=300)), st.data())
def test_each_byte_of_an_array_counts(tmp_path_factory, array, data) -> None:
    path = tmp_path_factory.mktemp("arrays") / "own.npy"
    save_array(path, array)
    assert (np.load(path) == array).all()  # NumPy's own reader takes it
    assert (checked_array(path)[:] == array).all()
    at = data.draw(st.integers(0, path.stat().st_size - 1))
    held = bytearray(path.read_bytes())
    held[at] ^= data.draw(st.sampled_from([1, 2, 16, 128]))
    path.write_bytes(held)
    with pytest.raises(IndexStateError):
        checked_array(path).whole()


def test_only_the_blocks_that_are_read_are_checked(tmp_path: Path) -> None:
    path = tmp_path / "own.npy"
    save_array(path, np.arange(1_000_000, dtype=np.int64))
    held = bytearray(path.read_bytes())
    held[-100_000] ^= 1
    path.write_bytes(held)
    own = checked_array(path)
    assert own[10:20].tolist() == list(range(10, 20))
    assert own[np.array([3, 70_000])].tolist() == [3, 70_000]
    with pytest.raises(IndexStateError, match="checksum"):
        own[990_000]


@given(st.dictionaries(st.text(max_size=5), st.integers() | st.text(max_size=9), max_size=4))
def test_sealed_objects_come_back(value: dict[str, int | str]) -> None:
    value.pop("crc32", None)
    assert unsealed(sealed(value)) == value


def test_records_survive_a_cut_and_show_a_change(tmp_path: Path) -> None:
    path = tmp_path / "log.jsonl"
    for number in range(3):
        append_record(path, {"number": number})
    whole = path.read_bytes()
    path.write_bytes(whole[:-7])  # as a kill would leave it
    assert [one["number"] for one in read_records(path)] == [0, 1]
    append_record(path, {"number": 9})
    assert [one["number"] for one in read_records(path)] == [0, 1, 9]
    for at in (5, len(whole) // 2, len(whole) - 1):
        changed = bytearray(whole)
        changed[at] ^= 4
        path.write_bytes(changed)
        with pytest.raises(StateError) as caught:
            list(read_records(path))
        assert "line" in caught.value.where
