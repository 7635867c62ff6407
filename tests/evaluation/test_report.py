"""The report: one file that needs nothing, read by a browser and by a screen reader's rules."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from browser import headless
from conftest import Ran, needs_package
from yonder_lantern import Desk
from yonder_lantern.evaluation import Grades, figures_of, report_of, write_figures, write_report
from yonder_lantern.observe import FeedbackBook

ATTACK = "<script>document.title='taken'</script>"


@pytest.fixture(scope="module")
def report(demo_grades: Grades, whole_demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    needs_package("matplotlib")
    desk = Desk.open(whole_demo, record=False)
    why = desk.failures(demo_grades)
    told = report_of(f"Harbour {ATTACK}", demo_grades, why, demo_grades, [demo_grades, demo_grades])
    path = tmp_path_factory.mktemp("report") / "report.html"
    write_report(told, path)
    return path


def test_it_needs_nothing_from_elsewhere(report: Path) -> None:
    text = report.read_text(encoding="utf-8")
    assert "default-src 'none'" in text
    assert not re.search(r"<(?:script|link|img|iframe)\b", text)
    assert not re.search(r"(?:src|href)=['\"]https?:", text)
    assert "&lt;script&gt;" in text
    for said in ("recall@5", "95 % interval", "Why questions were missed", "Made with", "Won: 0"):
        assert said in text


def test_a_screen_reader_finds_its_way(report: Path) -> None:
    axe = pytest.importorskip("axe_core_python.selenium")
    with headless() as driver:
        driver.get(report.as_uri())
        assert driver.title.startswith("Harbour")
        found = axe.Axe().run(driver)["violations"]
        assert [one["id"] for one in found] == []
        labels = driver.execute_script(
            "return [...document.querySelectorAll('svg')].map(one => one.ariaLabel)"
        )
        assert len(labels) >= 6
        assert all(labels)


def test_figures_are_written_as_png_and_svg(demo_grades: Grades, tmp_path: Path) -> None:
    needs_package("matplotlib")
    answer = dict(demo_grades.settings["answer"], min_support=0.9)
    other = replace(demo_grades, id="other", settings={**demo_grades.settings, "answer": answer})
    told = report_of("Harbour", demo_grades, [])
    names = [one.name for one in figures_of(told)]
    assert names == ["questions", "recall", "ladder", "reliability", "risk"]
    told = report_of("Harbour", demo_grades, [], None, [demo_grades, other, other])
    drawn = figures_of(told)
    names = [one.name for one in drawn]
    assert names[5:] == ["runs", "trade-offs"]
    labels = [text.get_text() for text in drawn[-1].figure.axes[0].texts]
    assert labels == ["min_support = 0.9", "as reported"]
    written = write_figures(told, tmp_path / "figures")
    assert {path.suffix for path in written} == {".png", ".svg"}
    assert len(written) == 2 * len(names)
    assert all(path.stat().st_size > 1000 for path in written)


def test_a_set_without_answers_and_one_without_questions_answered_are_drawn(
    make_desk: Callable[..., Desk], yonder: Callable[..., Ran]
) -> None:
    needs_package("matplotlib")
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at ten."})
    (desk.folder / "questions.jsonl").write_text('{"id": "a", "question": "Who owns the moon?"}')
    desk.gather()
    ran = yonder("grade", "--report", "r.html", "--figures", "drawn", cwd=desk.folder)
    assert ran.status == 0, ran.err
    assert "1 questions, 0 of them answerable" in (desk.folder / "r.html").read_text()
    assert (desk.folder / "drawn" / "questions.png").exists()


def test_live_quality_counts_what_was_asked(
    make_desk: Callable[..., Desk], yonder: Callable[..., Ran]
) -> None:
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at 22:00 in summer."})
    desk.gather()
    assert yonder("grade", "--live", cwd=desk.folder).status == 1
    good = desk.ask("When does the quay close?")
    for question in ("Who owns the moon?", "Who owns the moon?", "Is the planet Mars for sale?"):
        desk.ask(question)
    desk.ask("thank you")
    FeedbackBook(desk.state, desk.traces).add(good.trace, "good")
    found = desk.live_quality()
    (day,) = found.days
    assert (day.asked, day.answered, day.good, day.bad) == (4, 1, 1, 0)
    assert day.answered + day.excerpts + day.declined == day.asked
    assert found.gaps[0].question == "Who owns the moon?"
    assert found.gaps[0].count == 2
    ran = yonder("grade", "--live", cwd=desk.folder)
    assert "Who owns the moon? (and 1 question like it)" in ran.out
    assert yonder("grade", "--live", "--json", cwd=desk.folder).json["days"][0]["asked"] == 4


def test_results_are_kept_and_damage_is_told(make_desk: Callable[..., Desk]) -> None:
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at 22:00 in summer."})
    expected = [[{"document": "documents/quay.md", "quote": "closes at 22:00"}]]
    line = {"id": "a", "question": "When does the quay close?", "expected": expected}
    (desk.folder / "questions.jsonl").write_text(json.dumps(line))
    desk.gather()
    made = desk.grade()
    assert desk.grade_results.get("last") == made
    assert desk.grade_results.get(made.id[:18]) == made
    assert made.settings["find"]["limit"] == 8
    assert made.versions["documents"] == "1"
    assert "secret" not in json.dumps(dict(made.settings))
    path = desk.state / "grades" / f"{made.id}.json"
    assert path.stat().st_mode & 0o077 == 0
    path.write_text(path.read_text().replace("22:00", "23:00"))
    with pytest.raises(Exception, match=r"damaged|checksum"):
        desk.grade_results.get("last")
