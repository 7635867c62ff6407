"""Passages are read once, after the index answers; what fails there fails nothing else."""

from __future__ import annotations

import errno
import shutil
import threading
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import write_files
from yonder_lantern import Desk
from yonder_lantern.core import CancelledError, IndexStateError
from yonder_lantern.reading import ReadingModel, reading_model
from yonder_lantern.reading.kept_weights import SHIPPED

MakeDesk = Callable[..., Desk]
FILES: dict[str, str | bytes] = {
    f"{number:02d}.md": f"# Rule {number}\n\n{text}"
    for number, text in enumerate(
        [
            "Opening hours are from nine to five on weekdays.",
            "Check the battery first if the motor fails to turn over.",
            "The harbour master manages the port and its staff.",
            "Pets are welcome on a lead, except in the galley.",
            "Vessels over nine metres moor at the outer pontoon.",
            "Ballast is discharged at the eastern jetty only.",
        ]
    )
}
WORDED_OTHERWISE = "What time do you close?"


def first(desk: Desk, question: str = WORDED_OTHERWISE) -> str:
    hits = desk.find(question)
    return hits[0].document if hits else ""


def read_of(desk: Desk) -> tuple[int, int]:
    reading = desk.snapshot().reading
    assert reading is not None
    return reading.counts()


@pytest.fixture
def texts_read(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Every text that the model is given from now on."""
    seen: list[str] = []
    real = ReadingModel.vectors

    def watched(model: ReadingModel, texts: list[str]) -> object:
        seen.extend(texts)
        return real(model, texts)

    monkeypatch.setattr(ReadingModel, "vectors", watched)
    return seen


def test_what_shares_no_word_with_the_question_is_found(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    report = desk.gather()
    assert (report.read, read_of(desk)) == (6, (6, 6))
    assert first(desk) == "documents/00.md"
    stage = desk.find(WORDED_OTHERWISE)[0].breakdown.stage("reading")
    assert stage is not None
    assert stage.score > 0.3
    off = Desk.open(desk.folder, settings={"reading.vectors": "off"})
    assert off.snapshot().reading is None
    assert "documents/00.md" not in {hit.document for hit in off.find(WORDED_OTHERWISE)[:1]}


def test_nothing_is_read_twice(make_desk: MakeDesk, texts_read: list[str]) -> None:
    desk = make_desk(FILES)
    desk.gather()
    assert len(texts_read) == 6
    write_files(desk.folder / "documents", {"06.md": "# Rule 6\n\nThe crane lifts two tonnes."})
    desk.gather()
    assert [text.splitlines()[-1] for text in texts_read[6:]] == ["The crane lifts two tonnes."]
    desk.gather(rebuild=True)
    assert len(texts_read) == 7
    assert read_of(desk) == (7, 7)


def test_lazy_passages_are_read_when_a_question_brings_them_and_kept(
    make_desk: MakeDesk, texts_read: list[str]
) -> None:
    desk = make_desk(FILES, "[reading]\nat_gather = 0\n")
    report = desk.gather()
    assert (report.read, len(texts_read)) == (0, 0)
    assert any("has read 0 of 6 passages" in notice for notice in report.notices)
    question = "Where is ballast discharged?"
    assert first(desk, question) == "documents/05.md"
    read = set(texts_read)
    assert any("Ballast" in text for text in read)
    texts_read.clear()
    assert first(Desk.open(desk.folder), question) == "documents/05.md"
    assert set(texts_read) == {question}
    eager = Desk.open(desk.folder, settings={"reading.vectors": "eager"})
    assert eager.gather().read == 6
    assert read_of(desk) == (6, 6), "who has the index open learns of it"


def test_other_languages_lose_nothing(make_desk: MakeDesk, texts_read: list[str]) -> None:
    german = {
        "a.md": "# Liegeplatz\n\nDer Liegeplatz wird im Winter um acht Uhr geöffnet und abends "
        "wieder geschlossen, wenn das Wetter es zulässt.",
        "b.md": "# Gebühren\n\nDie Gebühren für den Hafen werden jedes Jahr neu festgelegt.",
    }
    desk = make_desk(dict(german), '[desk]\nlanguage = "de"\n')
    desk.gather()
    question = "Wann wird der Liegeplatz im Winter geöffnet?"
    found = [(hit.document, hit.score) for hit in desk.find(question)]
    assert texts_read == []
    off = Desk.open(desk.folder, settings={"reading.vectors": "off"})
    assert found == [(hit.document, hit.score) for hit in off.find(question)]
    assert read_of(desk) == (2, 2)


def test_a_reader_that_is_cancelled_leaves_a_whole_index_and_goes_on(
    make_desk: MakeDesk, texts_read: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("yonder_lantern.embedding.vector_cache._AT_ONCE", 2)
    desk = make_desk(FILES)
    cancel = threading.Event()

    def watch(step: str, done: int, *_: object) -> None:
        if step == "reading passages" and done >= 4:
            cancel.set()

    with pytest.raises(CancelledError, match="the index is complete"):
        desk.gather(progress=watch, cancel=cancel)
    assert len(texts_read) == 4
    assert desk.find("Where is ballast discharged?")
    desk.gather()
    assert read_of(desk) == (6, 6)
    assert len({text for text in texts_read if text.startswith("Rule")}) == 6


def test_a_full_disk_while_reading_fails_nothing(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = make_desk(FILES)
    with monkeypatch.context() as patch:

        def full(*_: object) -> None:
            raise OSError(errno.ENOSPC, "No space left on device")

        patch.setattr("yonder_lantern.index.reading_vectors.save_array", full)
        report = desk.gather()
    assert report.documents == 6
    assert any("No space left" in notice for notice in report.notices)
    assert first(desk, "Where is ballast discharged?") == "documents/05.md"
    assert desk.gather().read == 6


def test_a_question_is_answered_alike_where_nothing_can_be_kept(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    desk = make_desk(FILES, "[reading]\nat_gather = 0\n")
    desk.gather()
    question = "Where is ballast discharged?"

    def found() -> list[tuple[str, float]]:
        return [(hit.document, hit.score) for hit in Desk.open(desk.folder).find(question)]

    with monkeypatch.context() as patch:

        def full(*_: object) -> None:
            raise OSError(errno.ENOSPC, "No space left on device")

        patch.setattr("yonder_lantern.embedding.vector_cache.private_folder", full)
        without = found()
    assert "cannot be kept: [Errno 28] No space left" in caplog.text
    assert without[0][0] == "documents/05.md"
    assert without == found() == found(), "read now, kept, and read again"


def test_the_model_is_loaded_only_for_a_question_it_reads(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = make_desk(FILES)
    desk.gather()

    def loaded() -> None:
        raise AssertionError("loaded for nothing")

    monkeypatch.setattr("yonder_lantern.desk.open_reading.reading_model", loaded)
    again = Desk.open(desk.folder)
    assert again.find("ballast", stage="lexical")
    assert again.find("Wo wird der Ballast im Hafen gelassen, und wann ist das erlaubt?")
    with pytest.raises(AssertionError, match="loaded for nothing"):
        again.find("Where is ballast discharged?")


def test_of_two_that_read_at_once_one_does(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES, '[reading]\nvectors = "lazy"\nat_gather = 0\n')
    desk.gather()
    others = [
        Desk.open(desk.folder, settings={"reading.vectors": "eager"}, record=False)
        for _ in range(2)
    ]
    failed: list[BaseException] = []

    def gather(own: Desk) -> None:
        try:
            own.gather()
        except BaseException as error:
            failed.append(error)

    threads = [threading.Thread(target=gather, args=(own,)) for own in others]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert all("another gather" in str(error) for error in failed)
    assert read_of(desk) == (6, 6)


def test_without_the_model_words_answer_and_it_is_told(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    desk = make_desk(FILES)
    desk.gather()
    empty = desk.folder / "nothing"
    shutil.copytree(SHIPPED, empty)
    (empty / "model.json").unlink()
    monkeypatch.setattr(
        "yonder_lantern.desk.open_reading.reading_model", lambda: reading_model(empty)
    )
    again = Desk.open(desk.folder)
    assert first(again, "Where is ballast discharged?") == "documents/05.md"
    assert "the reading model cannot be read" in caplog.text


@pytest.mark.parametrize("name", ["exact.npy", "looked_at.npy"])
@pytest.mark.parametrize("harm", ["flip", "cut", "gone"])
def test_damaged_vectors_are_told_and_a_rebuild_mends_them(
    make_desk: MakeDesk, name: str, harm: str
) -> None:
    desk = make_desk(FILES)
    desk.gather()
    (path,) = (desk.folder / ".yonder" / "index" / "vectors").glob(f"*.reading-*/{name}")
    data = bytearray(path.read_bytes())
    path.unlink()
    if harm == "flip":
        data[len(data) // 2] ^= 1
        path.write_bytes(data)
    elif harm == "cut":
        path.write_bytes(data[: len(data) // 2])
    with pytest.raises(IndexStateError) as told:
        Desk.open(desk.folder).find(WORDED_OTHERWISE)
    assert "gather --rebuild" in told.value.remedy
    again = Desk.open(desk.folder)
    again.gather(rebuild=True)
    assert first(again) == "documents/00.md"


def test_a_damaged_cache_is_begun_anew(make_desk: MakeDesk, texts_read: list[str]) -> None:
    desk = make_desk(FILES)
    desk.gather()
    (path,) = (desk.folder / ".yonder" / "vectors").glob("reading-*.sqlite")
    path.write_bytes(b"x" * path.stat().st_size)
    again = Desk.open(desk.folder)
    again.gather(rebuild=True)
    assert len(texts_read) == 12
    assert first(again) == "documents/00.md"


def test_vectors_of_another_model_are_made_anew(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    desk.gather()
    vectors = desk.folder / ".yonder" / "index" / "vectors"
    (own,) = vectors.glob("*.reading-*")
    old = own.with_name(own.name.rpartition("-")[0] + "-0123456789abcdef")
    own.rename(old)
    assert Desk.open(desk.folder).gather().read == 6
    assert own.is_dir()
    assert not old.exists()


def test_what_a_caller_may_not_see_is_not_found_by_meaning(make_desk: MakeDesk) -> None:
    settings = (
        '[[source]]\nname = "documents"\n'
        '[[source]]\nname = "crew"\nfolder = "crew"\naudience = ["crew"]\n'
    )
    desk = make_desk({"a.md": "# Quay\n\nThe quay has nine bollards."}, settings)
    write_files(desk.folder / "crew", {"b.md": str(FILES["00.md"])})
    desk.gather()
    assert first(desk) == "crew/b.md"
    public = desk.find(WORDED_OTHERWISE, audience=["public"])
    assert "crew/b.md" not in {hit.document for hit in public}


def test_a_purged_document_leaves_no_vector(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES)
    desk.gather()
    path = Path(desk.folder / "documents" / "00.md")
    path.unlink()
    desk.gather_and_purge()
    kept = list((desk.folder / ".yonder" / "vectors").glob("reading-*"))
    assert kept == []
    assert read_of(desk) == (5, 5)
