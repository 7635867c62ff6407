"""Makes the demo's documents that are not written by hand: office files, PDF, recordings, tables.

Run as ``python demo/make_documents.py``; it needs the extras ``all`` and ``test``.
The same bytes come out each time. Everything in them is made up.
"""

from __future__ import annotations

import io
import json
import math
import sqlite3
import struct
import zipfile
from datetime import date, datetime
from email.message import EmailMessage
from pathlib import Path
from typing import Any

import docx
import openpyxl
import pptx
from PIL import Image, ImageDraw, ImageFont
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import getSampleStyleSheet
from reportlab.platypus import PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table

TARGET = Path(__file__).parent.parent / "src" / "yonder_lantern" / "demo" / "saltgarth"
PLANS = TARGET / "documents" / "plans"
THEN = datetime(2026, 9, 1, 8, 0)


def main() -> None:
    """Make every document."""
    for folder in (PLANS, TARGET / "tables", TARGET / "recordings", TARGET / "feeds"):
        folder.mkdir(parents=True, exist_ok=True)
    winter_works()
    dredging()
    slides()
    dues_model()
    noticeboard()
    scanned_letter()
    book()
    mails()
    buoys()
    notebook()
    certificates()
    moorings()
    quick_answers()
    briefings()


# -- PDF


def winter_works() -> None:
    style = getSampleStyleSheet()
    body, first, second = style["BodyText"], style["Heading1"], style["Heading2"]

    def furniture(canvas: Any, document: Any) -> None:
        canvas.setFont("Helvetica", 8)
        canvas.drawString(72, A4[1] - 40, "Saltgarth Harbour Trust: winter works 2026 to 2027")
        canvas.drawString(270, 30, f"Page {document.page} of 3")

    works = [
        ["Work", "Begins", "Ends", "Berths shut"],
        ["East pontoon, two piles", "2026-11-02", "2026-12-11", "EP1 to EP8"],
        ["East pontoon, decking", "2027-01-11", "2027-02-05", "EP1 to EP14"],
        ["Ropewalk Quay, fenders", "2027-02-08", "2027-02-26", "R3 and R4"],
        ["Slipway, lower grid", "2027-03-01", "2027-03-19", "none"],
    ]
    costs = [
        ["Work", "Crowns", "Paid from"],
        ["Piles", "84,000", "reserve"],
        ["Decking", "31,500", "revenue"],
        ["Fenders", "22,400", "revenue"],
        ["Grid", "12,900", "grant"],
    ]
    story = [
        Paragraph("Winter works 2026 to 2027", style["Title"]),
        Paragraph("Why these works", first),
        Paragraph(
            "The east pontoon has lost the use of two of its fourteen piles. Divers found in June "
            "that piles 5 and 6 are eaten through at the level of low water, and the pontoon has "
            "since been held there by chains. It must not lie another winter on chains: in a gale "
            "from the north-east the movement at the outer end was measured at 1.4 metres.",
            body,
        ),
        Paragraph(
            "The decking is twenty-two years old and slippery in frost. The fenders of Ropewalk "
            "Quay were damaged in March by a coaster that came alongside too fast. The lower grid "
            "of the slipway has rotted and carries boats of up to 8 tonnes only.",
            body,
        ),
        Paragraph("When", second),
        Table(works, hAlign="LEFT", colWidths=[150, 90, 90, 100]),
        Spacer(1, 12),
        Paragraph(
            "Owners in berths EP1 to EP14 are offered a place on the visitors' pontoon at no "
            "charge for as long as their own is shut. Whoever wants one tells the berthing "
            "office by 16 October. Boats still in a shut berth on the first day of the works will "
            "be moved by the Trust, and the move will be charged at 45 crowns.",
            body,
        ),
        PageBreak(),
        Paragraph("How it is done", first),
        Paragraph(
            "The piles are driven from the barge Wrackline between two hours before and two hours "
            "after high water. No driving is done before 08:00 or after 17:00, nor on Sundays, "
            "because the noise carries to the Ropewalk houses. Vessels pass the barge at 3 knots "
            "or less and call it on channel 72, call sign Wrackline, before they do.",
            body,
        ),
        Paragraph(
            "Divers are down while the old piles are cut. A rigid code flag A flies from the barge "
            "then, and nobody may come within 50 metres of it.",
            body,
        ),
        Paragraph("Safety of those on the pontoon", second),
        Paragraph(
            "The gate of the east pontoon stays locked for the whole of the works. Owners who must "
            "reach their boats ask the foreman, who takes them at 12:30. A life-jacket is worn "
            "beyond the gate, by everybody, without exception.",
            body,
        ),
        PageBreak(),
        Paragraph("What it costs", first),
        Table(costs, hAlign="LEFT", colWidths=[150, 90, 90]),
        Spacer(1, 12),
        Paragraph(
            "Together that is 150,800 crowns. The tender for the piles went to Brackwater Marine, "
            "who were not the cheapest but the only ones to offer a bubble curtain for the seals. "
            "If the works are late, the contractor pays 400 crowns for each working day.",
            body,
        ),
    ]
    SimpleDocTemplate(
        str(PLANS / "winter-works.pdf"),
        pagesize=A4,
        invariant=1,
        title="Winter works 2026 to 2027",
        author="Engineering",
    ).build(story, onFirstPage=furniture, onLaterPages=furniture)


def scanned_letter() -> None:
    """A page that is a picture only."""
    lines = [
        "To the Harbour Master",
        "",
        "The lease of the sail loft on Tarrow Lane",
        "ends on 30 June 2027. The sailmakers ask to",
        "renew it for nine years at 640 crowns a year.",
        "They offer to mend the roof at their own cost.",
    ]
    picture(lines, 1240, 1754).save(
        PLANS / "sail-loft-lease.pdf", resolution=150, title="Lease of the sail loft"
    )
    path = PLANS / "sail-loft-lease.pdf"
    data = path.read_bytes()
    for key in (b"/CreationDate", b"/ModDate"):  # the writer puts the present time in
        at = data.find(key + b" (D:")
        while at >= 0:
            start = at + len(key) + 4
            stop = data.index(b")", start)
            data = data[:start] + b"20260901080000Z".ljust(stop - start, b" ") + data[stop:]
            at = data.find(key + b" (D:", stop)
    path.write_bytes(data)


# -- office files


def dredging() -> None:
    document = docx.Document()
    document.core_properties.author = "Survey"
    document.core_properties.title = "Dredging programme 2027"
    document.core_properties.created = document.core_properties.modified = THEN
    document.add_heading("Dredging programme 2027", 0)
    document.add_paragraph(
        "The Ennet brings down some 38,000 cubic metres of silt in an ordinary year. What settles "
        "in the approach is taken out in spring, what settles in the Inner Basin in autumn."
    )
    document.add_heading("What is taken out", 1)
    table = document.add_table(rows=1, cols=4)
    for cell, words in zip(
        table.rows[0].cells, ("Area", "To depth", "Volume", "Weeks"), strict=True
    ):
        cell.text = words
    for row in (
        ("Approach, outer part", "4.2 m", "14,500 m³", "12 to 15"),
        ("Approach, bend at number 6 buoy", "4.2 m", "9,800 m³", "16 and 17"),
        ("Fish Quay berths", "3.4 m", "3,100 m³", "18"),
        ("Inner Basin sill", "2.9 m", "6,200 m³", "40 to 42"),
    ):
        for cell, words in zip(table.add_row().cells, row, strict=True):
            cell.text = words
    document.add_heading("Where it goes", 1)
    document.add_paragraph(
        "Clean sand goes to the beach at Tarrow, where the sea takes 4,000 cubic metres a year. "
        "Silt goes to the disposal ground Hollow Deep, seven miles out, under licence SD-27-04."
    )
    document.add_paragraph("No more than 1,200 cubic metres a tide", style="List Bullet")
    document.add_paragraph(
        "Nothing between 1 June and 15 August, for the terns", style="List Bullet"
    )
    document.add_paragraph(
        "The hopper's doors open only when its speed is below 2 knots", style="List Bullet"
    )
    document.add_heading("Tests of the silt", 1)
    document.add_paragraph(
        "Samples are taken at eleven stations each January. If copper is above 65 milligrams a "
        "kilogram at any of them, what is dredged there goes ashore to the lagoon, not to sea."
    )
    steady(document.save, PLANS / "dredging-2027.docx")


def slides() -> None:
    presentation = pptx.Presentation()
    presentation.core_properties.title = "Season briefing for launch crews"
    presentation.core_properties.author = "Harbour Control"
    presentation.core_properties.modified = THEN
    layout = presentation.slide_layouts[1]
    for title, lines, notes in (
        (
            "What is new this season",
            [
                "Launch Petrel has a new engine: run it in at 1,800 turns for 40 hours",
                "Fuel card is kept in the control room safe",
                "Two crew on every trip after dark",
            ],
            "Ask who has not yet signed for the fuel card.",
        ),
        (
            "Fog",
            [
                "Below 400 metres: launch goes out for persons in danger only",
                "Sound signal: one long, two short",
                "Stay within sight of the leading marks",
            ],
            "The limit was 300 metres last year; say that it has changed.",
        ),
        (
            "Towing small craft",
            [
                "Tow line 30 metres, never made fast without a slip hook",
                "Tow at 5 knots or less",
                "Owner signs form HC-11 before the tow begins",
            ],
            "",
        ),
    ):
        slide = presentation.slides.add_slide(layout)
        slide.shapes.title.text = title
        slide.placeholders[1].text = "\n".join(lines)
        if notes:
            slide.notes_slide.notes_text_frame.text = notes
    steady(presentation.save, PLANS / "season-briefing.pptx")


def dues_model() -> None:
    book_ = openpyxl.Workbook()
    book_.properties.title = "Dues forecast"
    book_.properties.creator = "Accounts"
    sheet = book_.active
    sheet.title = "Income"
    for row in (
        ("Heading", "2025 actual", "2026 forecast", "2027 budget"),
        ("Harbour dues", 212400, 219800, 226000),
        ("Pilotage", 88150, 84000, 86500),
        ("Berths, yearly", 164900, 171200, 173000),
        ("Berths, visitors", 41250, 47600, 48000),
        ("Fish landing dues", 63700, 58900, 60000),
    ):
        sheet.append(row)
    other = book_.create_sheet("Assumptions")
    for row in (
        ("What", "Value", "Why"),
        ("Ships over 40 m", 186, "quarry has a second shift from March"),
        ("Visitors' nights", 5900, "regatta week counted at 900"),
        ("Rise of wages", "3.2 %", "agreed until 2028"),
        ("Price of diesel", "1.74 crowns a litre", "contract ends in May"),
    ):
        other.append(row)
    steady(book_.save, PLANS / "dues-forecast.xlsx")


def quick_answers() -> None:
    book_ = openpyxl.Workbook()
    sheet = book_.active
    sheet.title = "Answers"
    for row in (
        ("no", "asked", "answer", "checked"),
        (
            "QA-1",
            "Can I get a key fob replaced when the office is shut?",
            "Harbour Control gives out spare fobs at night against 20 crowns, which you get back "
            "when you return the fob within a week.",
            date(2026, 8, 14),
        ),
        (
            "QA-2",
            "Is there somewhere to leave a folding bicycle?",
            "Folding bicycles may be kept in the rack behind the laundry; the rack is not watched, "
            "and the Trust is not liable.",
            date(2026, 8, 14),
        ),
        (
            "QA-3",
            "May I fly a drone over the harbour?",
            "Drones may be flown only with a permit from Harbour Control, never above 60 metres, "
            "and never within 150 metres of the lifeboat house.",
            date(2026, 9, 2),
        ),
    ):
        sheet.append(row)
    steady(book_.save, TARGET / "tables" / "quick-answers.xlsx")


def steady(save: Any, path: Path) -> None:
    """Save an office file with one date in all of it, so that the same bytes come out."""
    made = io.BytesIO()
    save(made)
    with zipfile.ZipFile(made) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for name in sorted(old.namelist(), key=lambda one: (one != "[Content_Types].xml", one)):
            data = old.read(name)
            if name == "docProps/core.xml":
                data = _dated(data)
            entry = zipfile.ZipInfo(name, (2026, 9, 1, 8, 0, 0))
            entry.compress_type = zipfile.ZIP_DEFLATED
            new.writestr(entry, data)


def _dated(xml: bytes) -> bytes:
    import re

    stamp = rb"\g<1>2026-09-01T08:00:00Z\g<2>"
    return re.sub(rb"(<dcterms:\w+[^>]*>)[^<]*(</dcterms:\w+>)", stamp, xml)


# -- pictures


def picture(lines: list[str], width: int, height: int) -> Image.Image:
    image = Image.new("L", (width, height), 255)
    draw = ImageDraw.Draw(image)
    font = ImageFont.load_default(size=34)
    for number, line in enumerate(lines):
        draw.text((70, 70 + 58 * number), line, font=font, fill=0)
    return image


def noticeboard() -> None:
    lines = [
        "LOST AND FOUND",
        "",
        "Found on the visitors' pontoon: a brass sextant",
        "in a blue box. Ask for it at the berthing office,",
        "shelf 9. It is kept until 31 January 2027.",
    ]
    picture(lines, 1000, 420).save(PLANS / "noticeboard.png")


# -- text formats


def book() -> None:
    chapters = {
        "mooring": (
            "Lying alongside",
            "<p>Put out four lines: bow, stern and two springs. The springs are led from amidships "
            "and carry most of the load when a coaster passes.</p><h2>In a swell</h2><p>Swell "
            "comes in when the wind has been north-east for a day. Double the stern line and hang "
            "two fenders at each end; a plank outside them keeps them in place.</p>",
        ),
        "knots": (
            "Two knots that are enough",
            "<p>The bowline makes a loop that holds and can be undone. The round turn and two half "
            "hitches is for rings: the round turn takes the load while the hitches are made.</p>",
        ),
    }
    opf = [
        '<package xmlns="http://www.idpf.org/2007/opf" version="3.0" unique-identifier="id">'
        '<metadata xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:identifier id="id">sht-7'
        "</dc:identifier><dc:title>A small book of mooring</dc:title><dc:language>en"
        "</dc:language><dc:creator>Berthing office</dc:creator></metadata><manifest>"
    ]
    opf += [
        f'<item id="{name}" href="{name}.xhtml" media-type="application/xhtml+xml"/>'
        for name in chapters
    ]
    opf.append("</manifest><spine>")
    opf += [f'<itemref idref="{name}"/>' for name in chapters]
    opf.append("</spine></package>")
    container = (
        '<container xmlns="urn:oasis:names:tc:opendocument:xmlns:container" version="1.0">'
        '<rootfiles><rootfile full-path="book/package.opf" '
        'media-type="application/oebps-package+xml"/></rootfiles></container>'
    )

    def write(made: io.BytesIO) -> None:
        with zipfile.ZipFile(made, "w") as archive:
            archive.writestr("mimetype", "application/epub+zip")
            archive.writestr("META-INF/container.xml", container)
            archive.writestr("book/package.opf", "".join(opf))
            for name, (title, text) in chapters.items():
                page = (
                    f'<html xmlns="http://www.w3.org/1999/xhtml"><head><title>{title}</title>'
                    f"</head><body><h1>{title}</h1>{text}</body></html>"
                )
                archive.writestr(f"book/{name}.xhtml", page)

    steady(write, PLANS / "book-of-mooring.epub")


def mails() -> None:
    for name, sender, subject, when, text in (
        (
            "crane-hire",
            "Marrow Foundry <works@marrow.example>",
            "Hire of a mobile crane in February",
            "Tue, 22 Sep 2026 09:12:00 +0000",
            "Dear harbour engineer,\n\nwe can let you have the 50 tonne mobile crane from 8 to "
            "12 February 2027.\nThe price is 680 crowns a day with driver, and 210 crowns for the "
            "journey.\n\nPlease confirm by the end of October, as the quarry has asked for the "
            "same week.\n",
        ),
        (
            "seal-survey",
            "Tarrow Naturalists <seals@tarrow.example>",
            "Count of the seals on Ebbing Bank",
            "Fri, 14 Aug 2026 18:40:00 +0000",
            "Good evening,\n\non 12 August we counted 74 seals on Ebbing Bank, eleven of them "
            "pups.\nThat is nine fewer than last year. May we put a camera on number 4 buoy\n"
            "from April to September?\n",
        ),
    ):
        message = EmailMessage()
        message["From"] = sender
        message["To"] = "Harbour engineer <engineer@saltgarth.example>"
        message["Subject"] = subject
        message["Date"] = when
        message["Message-ID"] = f"<{name}@saltgarth.example>"
        message.set_content(text)
        (PLANS / f"{name}.eml").write_bytes(message.as_bytes())


def buoys() -> None:
    value = {
        "survey": "Buoyage of the approach, positions checked 2026-07-06",
        "checked by": "launch Petrel",
        "buoys": [
            {"name": "number 1", "shape": "cone", "light": "Fl G 3s", "sinker": "2.0 t"},
            {"name": "number 2", "shape": "can", "light": "Fl R 3s", "sinker": "2.0 t"},
            {"name": "number 4", "shape": "can", "light": "Fl(2) R 6s", "sinker": "2.5 t"},
            {"name": "number 6", "shape": "can", "light": "Q R", "sinker": "3.0 t"},
            {"name": "Ebbing Bank", "shape": "pillar", "light": "VQ(9) 10s", "sinker": "4.0 t"},
        ],
        "spares": {
            "lanterns": 3,
            "where": "store behind the Signal Tower, rack C",
            "batteries": "charged on the first Monday of the month",
        },
    }
    (PLANS / "buoyage.json").write_text(json.dumps(value, indent=2) + "\n", encoding="utf-8")


def notebook() -> None:
    cells = [
        (
            "markdown",
            "# How well the gauge predicts\n\nThe gauge TG-1 was compared with the tide staff at "
            "the Customs Steps on 30 days\nof May 2026. The mean difference was 11 millimetres, "
            "the largest 48 millimetres.",
        ),
        (
            "code",
            'import numpy as np\n\n\ndef mean_difference(gauge, staff):\n    """Mean of the '
            'absolute differences, in metres."""\n    return float(np.mean(np.abs(np.asarray('
            "gauge) - np.asarray(staff))))\n",
        ),
        (
            "markdown",
            "## What follows\n\n- The largest difference fell in the squall of 17 May and is left "
            "in.\n- The comparison is repeated each May.",
        ),
    ]
    made = []
    for number, (kind, text) in enumerate(cells):
        cell: dict[str, Any] = {
            "cell_type": kind,
            "id": f"cell-{number}",
            "metadata": {},
            "source": text.splitlines(keepends=True),
        }
        if kind == "code":
            cell |= {"execution_count": None, "outputs": []}
        made.append(cell)
    kernel = {"display_name": "Python 3", "language": "python", "name": "python3"}
    value = {"cells": made, "metadata": {"kernelspec": kernel}, "nbformat": 4, "nbformat_minor": 5}
    (PLANS / "gauge-comparison.ipynb").write_text(json.dumps(value, indent=1) + "\n", "utf-8")


# -- tables


def certificates() -> None:
    rows = [
        "certificate,code,what,tested,load_t,result,remark",
        "LC-2601,CR-01,quay crane,2026-01-19,1.875,passed,",
        "LC-2602,CR-02,jib crane,2026-01-19,1.5,passed,plate still says 1.5 t",
        "LC-2603,BL-60,boat lift,2026-02-03,66,passed,two slings renewed",
        'LC-2604,HO-1,hoist,2026-02-04,0.31,failed,"hook opened by 6 mm, taken out of use"',
        "LC-2605,HO-1,hoist,2026-02-20,0.31,passed,new hook fitted",
        "LC-2606,CR-03,mast crane,2026-03-11,0.5,passed,",
        "LC-2607,FL-2,fork-lift truck,2026-03-11,2.2,passed,left fork worn by 7 per cent",
    ]
    path = TARGET / "tables" / "lifting-certificates.csv"
    path.write_text("\n".join(rows) + "\n", encoding="utf-8")


def moorings() -> None:
    path = TARGET / "tables" / "harbour.db"
    path.unlink(missing_ok=True)
    connection = sqlite3.connect(path)
    connection.execute(
        "CREATE TABLE moorings (code TEXT PRIMARY KEY, reach TEXT, sinker_t REAL, "
        "longest_m REAL, state TEXT, inspected TEXT)"
    )
    connection.executemany(
        "INSERT INTO moorings VALUES (?,?,?,?,?,?)",
        [
            ("RM-01", "below the footbridge", 1.5, 8.0, "let", "2026-04-14"),
            ("RM-02", "below the footbridge", 1.5, 8.0, "free", "2026-04-14"),
            ("RM-03", "below the footbridge", 2.0, 10.0, "let", "2026-04-15"),
            ("RM-11", "Osier Bend", 2.0, 10.0, "shut: chain worn to 60 per cent", "2026-09-08"),
            ("RM-12", "Osier Bend", 2.5, 12.0, "let", "2026-09-08"),
            ("RM-20", "above the mill", 1.0, 6.5, "free", "2026-05-02"),
        ],
    )
    connection.commit()
    connection.execute("VACUUM")
    connection.close()


# -- recordings


def briefings() -> None:
    morning = [
        (1.0, 6.5, "Duty officer: Good morning. Today is Thursday, the twenty-second of October."),
        (7.0, 14.0, "Duty officer: The survey boat works in the turning basin from nine to noon."),
        (14.5, 21.0, "Duty officer: Nobody anchors in the basin while she does."),
        (26.0, 33.0, "Pilot: I board the Corriveth=corry_vith at ten past four, not at half past."),
        (33.5, 40.0, "Pilot: She draws five point one metres, so she takes the second flood."),
        (45.0, 52.0, "Duty officer: The ice machine is off until Saturday. Tell the crews."),
    ]
    debrief = [
        (1.0, 8.0, "Harbour master: This is the talk after the storm of the third of October."),
        (8.5, 16.0, "Harbour master: The gust at the Signal Tower was sixty-one knots at 02:40."),
        (20.0, 28.0, "Coxswain: We took four people off the yacht near Ebbing=ebony Bank."),
        (28.5, 36.0, "Coxswain: The tow parted twice. We need a line of forty metres aboard."),
        (40.0, 49.0, "Harbour master: Agreed. The line is ordered and comes in November."),
        (50.0, 57.0, "Harbour master: The barge Wrackline=rack_line broke one mooring, not two."),
    ]
    recording(TARGET / "recordings" / "morning-briefing.wav", morning, 54)
    recording(TARGET / "recordings" / "storm-debrief.wav", debrief, 59)
    cues = ["WEBVTT", ""]
    for begin, end, label in morning:
        speaker, _, words = label.partition(": ")
        words = words.replace("=corry_vith", "")
        cues += [f"{clock(begin)} --> {clock(end)}", f"<v {speaker}>{words}", ""]
    path = TARGET / "recordings" / "morning-briefing.vtt"
    path.write_text("\n".join(cues), encoding="utf-8")


def clock(seconds: float) -> str:
    return f"00:00:{seconds:06.3f}"


def recording(path: Path, labels: list[tuple[float, float, str]], seconds: int) -> None:
    """A WAV file with a low tone while somebody speaks, and the words as labels of its cues."""
    rate = 500
    speaking = [0.0] * (rate * seconds)
    for begin, end, _ in labels:
        for at in range(int(begin * rate), int(end * rate)):
            speaking[at] = 1.0
    samples = bytes(
        128 + round(40 * loud * math.sin(2 * math.pi * 110 * at / rate))
        for at, loud in enumerate(speaking)
    )
    cues = struct.pack("<I", len(labels))
    inner = b"adtl"
    for number, (begin, end, label) in enumerate(labels, 1):
        start = int(begin * rate)
        cues += struct.pack("<II4sIII", number, start, b"data", 0, 0, start)
        inner += chunk(b"labl", struct.pack("<I", number) + label.encode("utf-8") + b"\0")
        length = int((end - begin) * rate)
        about = struct.pack("<II4sHHHH", number, length, b"rgn ", 0, 0, 0, 0)
        inner += chunk(b"ltxt", about)
    form = struct.pack("<HHIIHH", 1, 1, rate, rate, 1, 8)
    parts = chunk(b"fmt ", form) + chunk(b"data", samples)
    parts += chunk(b"cue ", cues) + chunk(b"LIST", inner)
    path.write_bytes(chunk(b"RIFF", b"WAVE" + parts))


def chunk(name: bytes, data: bytes) -> bytes:
    return name + struct.pack("<I", len(data)) + data + (b"\0" if len(data) % 2 else b"")


if __name__ == "__main__":
    main()
