"""Lines that stand on most pages of a source are no part of passages and answers."""

from __future__ import annotations

from pathlib import Path

from yonder_lantern import Desk

PAGE = """<html><body><p>Prev | Up | Next</p><h1>{title}</h1><p>The {title} is {colour}.</p>
<p>Saltgarth handbook, all rights kept</p></body></html>"""
COLOURS = "red green blue grey white black brown amber pink teal".split()


def write(folder: Path, numbers: range) -> None:
    (folder / "documents").mkdir(parents=True, exist_ok=True)
    (folder / "yonder.toml").write_text("")
    for number in numbers:
        text = PAGE.format(title=f"buoy {number}", colour=COLOURS[number])
        (folder / f"documents/buoy-{number}.html").write_text(text)


def passages(folder: Path) -> set[str]:
    desk = Desk.open(folder, record=False)
    return {hit.text for hit in desk.find("Which buoy is it? Prev Up Next handbook", limit=50)}


def test_they_are_left_out_whichever_way_the_pages_came(tmp_path: Path) -> None:
    at_once, in_steps = tmp_path / "once", tmp_path / "steps"
    write(at_once, range(10))
    Desk.open(at_once).gather()
    write(in_steps, range(4))
    Desk.open(in_steps).gather()
    assert any("Prev" in text for text in passages(in_steps))  # of four nothing can be said
    write(in_steps, range(4, 10))
    Desk.open(in_steps).gather()
    found = passages(at_once)
    assert found == passages(in_steps)
    assert len(found) == 10
    assert not any("Prev" in text or "rights kept" in text for text in found)
    answer = Desk.open(at_once).ask("What colour is buoy 3?")
    assert answer.citations[0].quote == "The buoy 3 is grey."
    report = Desk.open(at_once).gather()
    assert (report.added, report.changed, report.unchanged) == (0, 0, 10)


def test_a_page_that_cannot_be_read_does_not_stop_the_others(tmp_path: Path) -> None:
    write(tmp_path, range(10))
    (tmp_path / "documents/empty.html").write_text("<nav>Up</nav>")
    report = Desk.open(tmp_path).gather()
    assert (report.added, report.failed) == (10, 1)
    assert not any("Prev" in text for text in passages(tmp_path))


def test_licences_and_changelogs_answer_only_what_asks_for_them(tmp_path: Path) -> None:
    (tmp_path / "documents").mkdir()
    (tmp_path / "yonder.toml").write_text("")
    changes = "# Changes\n\nThe lamp is lit by a motor now.\n"
    (tmp_path / "documents/CHANGELOG.md").write_text(changes)
    lamp = "# The lamp\n\nThe lamp is lit at dusk by a keeper.\n"
    (tmp_path / "documents/lamp.md").write_text(lamp)
    desk = Desk.open(tmp_path)
    desk.gather()
    how = desk.ask("What is the lamp lit by?")
    assert [one.document for one in how.citations] == ["documents/lamp.md"]
    changed = desk.ask("What has changed in how the lamp is lit now?")
    assert "documents/CHANGELOG.md" in [one.document for one in changed.citations]
