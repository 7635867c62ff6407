"""Pictures described by a service, in documents and in questions; answers spoken."""

from __future__ import annotations

import io
import json
import os
import wave
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import Ran, needs
from yonder_lantern import Desk
from yonder_lantern.desk.describing import Describer
from yonder_lantern.outside.stand_in import JsonHandler, served
from yonder_lantern.outside.stand_in_pictures import picture_service, with_description
from yonder_lantern.records import CallError, Item, OutsideError, SettingsError

MakeDesk = Callable[..., Desk]
BUOY = "A yellow buoy with a cross on top, anchored off the slipway."
SETTINGS = """
[gather]
picture_service = "eyes"
max_price = "1"
[outside.eyes]
address = "{address}"
price = "0.02"
tries = 1
"""


def picture(words: str = "") -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.new("RGB", (40, 30), (20, 60, 110)).save(out, "PNG")
    return with_description(out.getvalue(), words) if words else out.getvalue()


def files() -> dict[str, str | bytes]:
    return {"buoy.png": picture(BUOY), "ferry.md": "# Ferry\n\nThe ferry runs every hour.\n"}


def _must_not_read(_: object, item: Item) -> Item:
    raise AssertionError(f"{item.id} is read")


def test_what_a_picture_shows_is_found_and_cited_and_paid_for_once(make_desk: MakeDesk) -> None:
    with picture_service() as address:
        desk = make_desk(files(), SETTINGS.format(address=address))
        preview = desk.gather(dry_run=True)
        assert "1 picture to describe, price 0.0200 EUR" in " ".join(preview.notices)
        report = desk.gather()
    assert (report.added, report.failed) == (2, 0)
    assert str(report.price) == "0.0200 EUR"
    answer = desk.ask("What is anchored off the slipway?")
    assert [one.words for one in answer.citations] == [BUOY]
    assert "what it shows" in str(answer.citations[0].place)
    for path in (desk.folder / "documents").iterdir():
        os.utime(path, (1e9, 1e9))  # settled long ago
    assert desk.gather().nothing_to_do
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Describer, "priced", _must_not_read)
        assert desk.gather(sources=["documents"]).nothing_to_do
    again = desk.gather(rebuild=True)  # the service is gone: what it said is known
    assert (again.added, again.failed, again.price.amount) == (2, 0, 0)


def test_a_price_that_may_not_be_spent_leaves_the_picture_out(make_desk: MakeDesk) -> None:
    with picture_service() as address:
        settings = SETTINGS.format(address=address).replace('"1"', '"0.01"')
        report = make_desk(files(), settings).gather()
    assert (report.added, report.failed) == (1, 1)
    assert "the limit is 0.01" in str(report.problems[0])


def test_a_service_that_is_set_later_is_asked_then(make_desk: MakeDesk) -> None:
    desk = make_desk(files())
    assert desk.gather().failed == 1  # no words are to be made out
    with picture_service() as address:
        (desk.folder / "yonder.toml").write_text(SETTINGS.format(address=address))
        assert Desk.open(desk.folder).gather().added == 1


class _Wrong(JsonHandler):
    def do_POST(self) -> None:
        self.body()
        self.reply(200, {"text": 3})


def test_a_service_that_fails_fails_its_pictures_alone(make_desk: MakeDesk) -> None:
    with served(_Wrong, 0) as address:
        desk = make_desk(files(), SETTINGS.format(address=address))
        report = desk.gather()
        assert (report.added, report.failed) == (1, 1)
        with pytest.raises(OutsideError, match="no text at /text"):
            desk.describe(picture(BUOY))
    with pytest.raises(SettingsError, match="there is no service 'ears'"):
        make_desk({}, '[gather]\npicture_service = "ears"\n', "other").gather()


def test_a_question_may_carry_a_picture(
    make_desk: MakeDesk, tmp_path: Path, yonder: Callable[..., Ran]
) -> None:
    text = "# Marks\n\nA yellow buoy with a cross marks a place to keep clear of.\n"
    shown = tmp_path / "seen.png"
    shown.write_bytes(picture("a yellow buoy with a cross"))
    with picture_service() as address:
        desk = make_desk({"marks.md": text, **files()}, SETTINGS.format(address=address))
        desk.gather()
        (first, *_) = desk.find("What does it mark?", picture=shown)
        assert first.document == "documents/marks.md"
        ran = yonder("ask", "What does it mark?", "--picture", str(shown), "--json",
                     cwd=desk.folder)  # fmt: skip
        assert ran.status == 0, ran.err
        assert "keep clear" in ran.json["text"]
        with pytest.raises(CallError, match="cannot be read"):
            desk.ask("What is it?", picture=tmp_path / "none.png")
        with pytest.raises(OutsideError, match="status 415"):
            desk.ask("What is it?", picture=b"no picture")
    bare = make_desk({"marks.md": text}, "", "bare")
    bare.gather()
    with pytest.raises(SettingsError, match="no service describes pictures"):
        bare.ask("What is it?", picture=shown)


def test_alternative_texts_of_office_files_are_read(make_desk: MakeDesk) -> None:
    import docx
    import pptx

    word, slides = io.BytesIO(), io.BytesIO()
    document = docx.Document()
    document.add_picture(io.BytesIO(picture()))
    document.inline_shapes[0]._inline.docPr.set("descr", "The crane before it was painted.")
    document.save(word)
    show = pptx.Presentation()
    slide = show.slides.add_slide(show.slide_layouts[6])
    shape = slide.shapes.add_picture(io.BytesIO(picture()), 0, 0)
    shape._element.nvPicPr.cNvPr.set("descr", "The gate, seen from the mole.")
    show.save(slides)
    desk = make_desk({"a.docx": word.getvalue(), "b.pptx": slides.getvalue()})
    assert desk.gather().failed == 0
    texts = {id_: desk.document(id_) for id_ in ("documents/a.docx", "documents/b.pptx")}
    assert "The crane before it was painted." in texts["documents/a.docx"].text  # type: ignore[union-attr]
    assert "The gate, seen from the mole." in texts["documents/b.pptx"].text  # type: ignore[union-attr]


def test_an_answer_is_spoken(make_desk: MakeDesk, yonder: Callable[..., Ran]) -> None:
    desk = make_desk({"ferry.md": "# Ferry\n\nThe ferry runs every hour.\n"})
    desk.gather()
    question = ("ask", "How often does the ferry run?", "--speak")
    wrong = yonder(*question, "answer.mp3", cwd=desk.folder)
    assert (wrong.status, "ends in .wav" in wrong.err) == (2, True)
    missing = yonder(*question, "answer.wav", cwd=desk.folder, PATH="/nowhere")
    assert missing.status in (2, 3)
    assert "espeak-ng" in missing.err
    needs("espeak-ng")
    spoken = yonder(*question, "answer.wav", "--json", cwd=desk.folder)
    assert spoken.status == 0, spoken.err
    assert json.loads(spoken.out)["text"].startswith("The ferry")
    with wave.open(str(desk.folder / "answer.wav")) as sound:
        assert sound.getnframes() > sound.getframerate()  # more than a second
