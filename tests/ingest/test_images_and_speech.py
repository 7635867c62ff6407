"""Images described by a service, in documents and in questions; answers spoken."""

from __future__ import annotations

import io
import json
import os
import wave
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Ran, needs
from yonder_lantern import Desk
from yonder_lantern.core import BlockKind, CallError, Item, ServiceError, SettingsError
from yonder_lantern.desk.gathering.image_describer import Describer
from yonder_lantern.ingest.formats.image_text import PART, ImagesWithin, name_of
from yonder_lantern.ingest.formats.images_within import ParsedWithImages
from yonder_lantern.ingest.formats.writing import TextWriter
from yonder_lantern.platform.simulated.http_services import JsonHandler, served
from yonder_lantern.platform.simulated.images import image_service, with_description

MakeDesk = Callable[..., Desk]
BUOY = "A yellow buoy with a cross on top, anchored off the slipway."
SETTINGS = """
[gather]
image_service = "eyes"
max_price = "1"
[service.eyes]
address = "{address}"
file_field = "image"
words = "/shows"
price = "0.02"
max_attempts = 1
"""


def image(words: str = "", size: tuple[int, int] = (80, 60)) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.new("RGB", size, (20, 60, 110)).save(out, "PNG")
    return with_description(out.getvalue(), words) if words else out.getvalue()


def files() -> dict[str, str | bytes]:
    return {"buoy.png": image(BUOY), "ferry.md": "# Ferry\n\nThe ferry runs every hour.\n"}


def _must_not_read(_: object, item: Item) -> Item:
    raise AssertionError(f"{item.id} is read")


def test_what_a_picture_shows_is_found_and_cited_and_paid_for_once(make_desk: MakeDesk) -> None:
    with image_service() as address:
        desk = make_desk(files(), SETTINGS.format(address=address))
        preview = desk.gather(dry_run=True)
        assert "1 image to describe, price 0.0200 EUR" in " ".join(preview.notices)
        report = desk.gather()
    assert (report.added, report.failed) == (2, 0)
    assert str(report.price) == "0.0200 EUR"
    answer = desk.ask("What is anchored off the slipway?")
    assert [one.quote for one in answer.citations] == [BUOY]
    assert "what it shows" in str(answer.citations[0].location)
    for path in (desk.folder / "documents").iterdir():
        os.utime(path, (1e9, 1e9))  # settled long ago
    assert desk.gather().nothing_to_do
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Describer, "priced", _must_not_read)
        assert desk.gather(sources=["documents"]).nothing_to_do
    again = desk.gather(rebuild=True)  # the service is gone: what it said is known
    assert (again.added, again.failed, again.price.amount) == (2, 0, 0)


def test_a_price_that_may_not_be_spent_leaves_the_picture_out(make_desk: MakeDesk) -> None:
    with image_service() as address:
        settings = SETTINGS.format(address=address).replace('"1"', '"0.01"')
        report = make_desk(files(), settings).gather()
    assert (report.added, report.failed) == (1, 1)
    assert "the limit is 0.01" in str(report.problems[0])


def test_a_service_that_is_set_later_is_asked_then(make_desk: MakeDesk) -> None:
    desk = make_desk(files())
    assert desk.gather().failed == 1  # no words are to be made out
    with image_service() as address:
        (desk.folder / "yonder.toml").write_text(SETTINGS.format(address=address))
        assert Desk.open(desk.folder).gather().added == 1


class _Wrong(JsonHandler):
    def do_POST(self) -> None:
        self.body()
        self.reply(200, {"shows": 3})


def test_a_service_that_fails_fails_its_pictures_alone(make_desk: MakeDesk) -> None:
    with served(_Wrong, 0) as address:
        desk = make_desk(files(), SETTINGS.format(address=address))
        report = desk.gather()
        assert (report.added, report.failed) == (1, 1)
        with pytest.raises(ServiceError, match="no text at /shows"):
            desk.describe_image(image(BUOY))
    with pytest.raises(SettingsError, match="there is no service 'ears'"):
        make_desk({}, '[gather]\nimage_service = "ears"\n', "other").gather()


def test_a_question_may_carry_a_picture(
    make_desk: MakeDesk, tmp_path: Path, yonder: Callable[..., Ran]
) -> None:
    text = "# Marks\n\nA yellow buoy with a cross marks a place to keep clear of.\n"
    shown = tmp_path / "seen.png"
    shown.write_bytes(image("a yellow buoy with a cross"))
    with image_service() as address:
        desk = make_desk({"marks.md": text, **files()}, SETTINGS.format(address=address))
        desk.gather()
        (first, *_) = desk.find("What does it mark?", image=shown)
        assert first.document == "documents/marks.md"
        ran = yonder("ask", "What does it mark?", "--image", str(shown), "--json",
                     cwd=desk.folder)  # fmt: skip
        assert ran.status == 0, ran.err
        assert "keep clear" in ran.json["text"]
        with pytest.raises(CallError, match="cannot be read"):
            desk.ask("What is it?", image=tmp_path / "none.png")
        with pytest.raises(ServiceError, match="status 415"):
            desk.ask("What is it?", image=b"no image")
    bare = make_desk({"marks.md": text}, "", "bare")
    bare.gather()
    with pytest.raises(SettingsError, match="no service describes images"):
        bare.ask("What is it?", image=shown)


def test_alternative_texts_of_office_files_are_read(make_desk: MakeDesk) -> None:
    import docx
    import pptx

    word, slides = io.BytesIO(), io.BytesIO()
    document = docx.Document()
    document.add_picture(io.BytesIO(image()))
    document.inline_shapes[0]._inline.docPr.set("descr", "The crane before it was painted.")
    document.save(word)
    show = pptx.Presentation()
    slide = show.slides.add_slide(show.slide_layouts[6])
    shape = slide.shapes.add_picture(io.BytesIO(image()), 0, 0)
    shape._element.nvPicPr.cNvPr.set("descr", "The gate, seen from the mole.")
    show.save(slides)
    desk = make_desk({"a.docx": word.getvalue(), "b.pptx": slides.getvalue()})
    assert desk.gather().failed == 0
    texts = {id_: desk.document(id_) for id_ in ("documents/a.docx", "documents/b.pptx")}
    assert "The crane before it was painted." in texts["documents/a.docx"].text  # type: ignore[union-attr]
    assert "The gate, seen from the mole." in texts["documents/b.pptx"].text  # type: ignore[union-attr]


SIGN = "A sign in the corner."


def office_files() -> dict[str, bytes]:
    """A report and slides with an image each, a sign that is too small, and one with words."""
    import docx
    import pptx

    word, slides = io.BytesIO(), io.BytesIO()
    report = docx.Document()
    report.add_paragraph("Where boats are kept away from the slipway.")
    report.add_picture(io.BytesIO(image(BUOY)))
    report.add_picture(io.BytesIO(image(SIGN, (20, 20))))
    report.add_paragraph("The rest of the report is about ropes.")
    report.add_picture(io.BytesIO(image(BUOY)))  # again: it is told once
    report.save(word)
    show = pptx.Presentation()
    slide = show.slides.add_slide(show.slide_layouts[6])
    slide.shapes.add_picture(io.BytesIO(image("The mole with its green light.")), 0, 0)
    said = slide.shapes.add_picture(io.BytesIO(image("not asked for")), 0, 0)
    said._element.nvPicPr.cNvPr.set("descr", "The gate, seen from the mole.")
    show.save(slides)
    return {"report.docx": word.getvalue(), "show.pptx": slides.getvalue()}


def test_pictures_within_office_files_are_described_where_they_stand(make_desk: MakeDesk) -> None:
    with image_service() as address:
        desk = make_desk(office_files(), SETTINGS.format(address=address))
        preview = desk.gather(dry_run=True)
        assert "documents: 2 images within documents to describe" in preview.notices
        assert str(preview.price) == "0.0400 EUR"
        report = desk.gather()
    assert (report.added, report.failed, str(report.price)) == (2, 0, "0.0400 EUR")
    word, slides = (desk.document(f"documents/{name}") for name in office_files())
    assert word is not None
    assert slides is not None
    assert word.text.count(BUOY) == 1
    assert word.text.index("slipway") < word.text.index(BUOY) < word.text.index("ropes")
    assert SIGN not in word.text
    assert "not asked for" not in slides.text
    (cited,) = desk.ask("What is anchored off the slipway?").citations
    assert (cited.quote, str(cited.location)) == (BUOY, "paragraph 2, what the image shows")
    (cited,) = desk.ask("Which light does the mole have?").citations
    assert str(cited.location) == "slide 1, what the image shows"
    again = desk.gather(rebuild=True)  # the service is gone: what it said is known
    assert (again.added, again.failed, again.price.amount) == (2, 0, 0)


def test_a_picture_that_is_not_described_costs_its_document_nothing(make_desk: MakeDesk) -> None:
    report = {"report.docx": office_files()["report.docx"]}
    with served(_Wrong, 0) as address:
        desk = make_desk(report, SETTINGS.format(address=address))
        first = desk.gather()
    assert (first.added, first.failed) == (1, 0)
    assert "image 1 in it is not described" in str(first.problems[0])
    assert desk.find("ropes")[0].document == "documents/report.docx"
    with image_service() as address:
        (desk.folder / "yonder.toml").write_text(SETTINGS.format(address=address))
        assert Desk.open(desk.folder).gather().changed == 1  # it is tried again
    assert BUOY in Desk.open(desk.folder).document("documents/report.docx").text  # type: ignore[union-attr]


def test_a_document_of_nothing_but_pictures_that_may_not_be_paid_for_is_left_out(
    make_desk: MakeDesk,
) -> None:
    import pptx

    show = pptx.Presentation()
    slide = show.slides.add_slide(show.slide_layouts[6])
    for words in ("The mole.", "The gate."):
        shape = slide.shapes.add_picture(io.BytesIO(image(words)), 0, 0)
        shape._element.nvPicPr.cNvPr.set("descr", "")
    out = io.BytesIO()
    show.save(out)
    with image_service() as address:
        dear = SETTINGS.format(address=address).replace('"1"', '"0.01"')
        desk = make_desk({"show.pptx": out.getvalue(), "a.md": "# A\n\nA quay."}, dear)
        report = desk.gather()
        assert (report.added, report.failed) == (1, 1)
        assert "the limit is 0.01" in str(report.problems[0])
        assert "its slides hold no text" in str(report.problems[1])
        (desk.folder / "yonder.toml").write_text(SETTINGS.format(address=address))
        assert Desk.open(desk.folder).gather().added == 1
    assert "The gate." in Desk.open(desk.folder).document("documents/show.pptx").text  # type: ignore[union-attr]


class _Constant(JsonHandler):
    def do_POST(self) -> None:
        self.body()
        self.reply(200, {"shows": "A heron stands on a post."})


def test_pictures_on_the_pages_of_a_pdf_are_described(make_desk: MakeDesk) -> None:
    with served(_Constant, 0) as address:
        desk = make_desk({"birds.pdf": pdf_with_picture()}, SETTINGS.format(address=address))
        report = desk.gather()
    assert (report.added, report.failed, str(report.price)) == (1, 0, "0.0200 EUR")
    (cited,) = desk.ask("What stands on a post?").citations
    assert (cited.quote, cited.location.pages) == ("A heron stands on a post.", (1, 1))


def pdf_with_picture() -> bytes:
    """A page with a line of text and an image of 60 by 60 dots."""
    drawn = b"BT /F 12 Tf 50 700 Td (Birds of the harbour.) Tj ET q 90 0 0 90 50 500 cm /P Do Q"
    dots = bytes(range(60)) * 60
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R "
        b"/Resources << /Font << /F 5 0 R >> /XObject << /P 6 0 R >> >> >>",
        b"<< /Length %d >>\nstream\n%s\nendstream" % (len(drawn), drawn),
        b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
        b"<< /Type /XObject /Subtype /Image /Width 60 /Height 60 /ColorSpace /DeviceGray "
        b"/BitsPerComponent 8 /Length %d >>\nstream\n%s\nendstream" % (len(dots), dots),
    ]
    whole = b"%PDF-1.4\n"
    places = []
    for number, one in enumerate(objects, 1):
        places.append(len(whole))
        whole += b"%d 0 obj\n%s\nendobj\n" % (number, one)
    table = b"".join(b"%010d 00000 n \n" % at for at in places)
    trailer = b"trailer << /Size 7 /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % len(whole)
    return whole + b"xref\n0 7\n0000000000 65535 f \n" + table + trailer


def test_an_answer_is_spoken(make_desk: MakeDesk, yonder: Callable[..., Ran]) -> None:
    desk = make_desk({"ferry.md": "# Ferry\n\nThe ferry runs every hour.\n"})
    desk.gather()
    question = ("ask", "How often does the ferry run?", "--audio")
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


@given(
    st.lists(st.sampled_from(["heading", "subheading", "paragraph", "item", "table", "image"])),
    st.data(),
)
def test_words_put_in_later_are_where_they_would_have_been_written(
    parts: list[str], data: st.DataObject
) -> None:
    """A document read on with its images described is what one reading would have made of it."""
    within, later, at_once = ImagesWithin(), TextWriter(), TextWriter()
    shown: dict[str, str] = {}
    for number, part in enumerate(parts):
        if part == "image":
            image = str(number).encode()
            words = data.draw(st.sampled_from(["", "A red buoy.", "Two  boats."]))
            shown[name_of(image)] = words
            within.note(later, image, (99, 99), part=f"slide {number}", page=number)
            place = {"part": f"slide {number}, {PART}"} | ({"page": number} if number else {})
            if words:
                at_once.block(BlockKind.PARAGRAPH, " ".join(words.split()), **place)
            continue
        for writer in (later, at_once):
            if part == "table":
                writer.table([["Crane", "Lifts"], ["CR-02", "5 t"]], part=f"table {number}")
            else:
                kind = BlockKind[part.removeprefix("sub").upper()]
                level = 1 + part.startswith("sub")
                writer.block(kind, f"The {part} {number}", level=level, part=f"slide {number}")
    begun = ParsedWithImages(later.parsed("Harbour"), tuple(within.places))
    assert begun.filled(shown) == at_once.parsed("Harbour")
