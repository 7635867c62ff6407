"""Several settings side by side: shared indexes, resumed, budgets, what may be concluded."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import HANGS, Ran
from yonder_lantern import Desk
from yonder_lantern.core import CallError, CancelledError, SettingsError
from yonder_lantern.evaluation import Comparison, Variant, grid_of, load_variants

NAMES = ("heron", "gannet", "tern", "petrel", "fulmar", "scoter", "eider", "dunlin")


@pytest.fixture
def desk(make_desk: Callable[..., Desk]) -> Desk:
    """Eight documents of which a search for words alone finds all, and one for meaning few."""
    files = {
        f"{name}.md": f"# Berth\n\nThe boat {name.upper()}-{number} lies at berth {number + 10}.\n"
        for number, name in enumerate(NAMES)
    }
    made = make_desk(files)
    lines = [
        {
            "id": f"q{number}{again}",
            "question": f"Where does {name.upper()}-{number} lie{again}?",
            "kind": "code",
            "expected": [
                [{"document": f"documents/{name}.md", "quote": f"at berth {number + 10}"}]
            ],
        }
        for again in ("", " now", " today")
        for number, name in enumerate(NAMES)
    ]
    (made.folder / "questions.jsonl").write_text("\n".join(map(json.dumps, lines)))
    made.gather()
    return made


def test_settings_are_compared_over_the_same_questions(desk: Desk) -> None:
    before = {path: path.stat().st_mtime_ns for path in (desk.state / "index").rglob("*")}
    found = desk.compare(
        [{"find.weights.coverage": -2}, Variant("small", {"passages.tokens": 60})], by="mrr"
    )
    names = [one.variant.name for one in found.results]
    assert names == ["current settings", "coverage=-2", "small"]
    assert all(one.grades and len(one.grades.questions) == 24 for one in found.results)
    assert found.results[0].seconds == found.results[1].seconds == 0.0 < found.results[2].seconds
    assert found.conclusion("coverage=-2", "recall@1") == "worse"
    assert found.conclusion("small", "recall@1") == "no difference shown"
    assert found.best is None
    assert found.patch() == ""
    quality = {
        one.variant.name: one.grades.measure("mrr").mean for one in found.results if one.grades
    }
    unbeaten = {quality[name] for name in found.trade_offs()}
    assert max(quality.values()) in unbeaten  # which of those as good is a matter of time
    assert found.grounds().startswith("No variant")
    after = {path: path.stat().st_mtime_ns for path in (desk.state / "index").rglob("*")}
    assert {path for path in before if before[path] != after.get(path)} <= {
        path for path in before if path.is_dir() or "sqlite" in path.name or "leases" in str(path)
    }
    frame = found.frame(["mrr"])
    assert list(frame["variant"]) == ["current settings", "coverage=-2", "small"]
    assert frame["mean"].tolist() == [one.grades.measure("mrr").mean for one in found.results]  # type: ignore[union-attr]


def test_what_is_better_is_proposed_with_its_grounds(desk: Desk) -> None:
    worse = Desk.open(desk.folder, settings={"find.weights.coverage": -2})
    found = worse.compare([{"find.weights.coverage": 0.15, "find.limit": 5}], by="recall@1")
    assert found.best is not None
    assert found.best.variant.name == "coverage=0.15, limit=5"
    assert found.patch() == "[find]\nlimit = 5\n\n[find.weights]\ncoverage = 0.15"
    assert "recall@1 +1.000" in found.grounds()


def test_a_comparison_is_as_if_each_were_graded_alone(desk: Desk) -> None:
    found = desk.compare([{"find.fusion": "ranks"}, {"passages.tokens": 60}])
    for settings, one in zip(({}, {"find.fusion": "ranks"}), found.results, strict=False):
        alone = Desk.open(desk.folder, settings=settings, record=False).grade()
        assert one.grades is not None
        for name in ("recall@5", "mrr", "ndcg@10", "right", "declined wrongly", "characters@1000"):
            assert one.grades.values(name) == alone.values(name)


def test_a_variant_that_cannot_be_gathered_leaves_the_others_alone(desk: Desk) -> None:
    found = desk.compare([{"embedding.method": "fixed", "embedding.vectors": "no.npy"},
                          {"find.limit": 3}])  # fmt: skip
    assert [bool(one.problem) for one in found.results] == [False, True, False]
    assert found.results[2].grades is not None
    assert not list((desk.state / "comparisons").rglob("*.making"))


def test_what_was_asked_is_not_asked_again(desk: Desk) -> None:
    class Stop:
        """Set after so many looks."""

        looks = 0

        def is_set(self) -> bool:
            self.looks += 1
            return self.looks > 5

    with pytest.raises(CancelledError, match="after 6 of 24"):
        desk.compare([{"find.limit": 3}], cancel=Stop())
    kept = list((desk.state / "comparisons" / "grades").glob("*.jsonl"))
    before = {path: path.read_bytes() for path in kept}
    assert [text.count(b"\n") for text in before.values()] == [6, 6]
    found = desk.compare([{"find.limit": 3}])
    assert len(found.baseline.questions) == 24
    for path, text in before.items():
        assert path.read_bytes().startswith(text)
        assert path.read_bytes().count(b"\n") == 24


def test_what_changes_nothing_is_said_to_and_times_are_not_judged(desk: Desk) -> None:
    found = desk.compare([{"answer.tone": "brief"}, {"find.limit": 1}])
    assert found.idle == ["tone=brief"]
    assert found.grounds().endswith("No rank, answer or support changes with tone=brief.")
    assert {found.conclusion(one.variant.name, "milliseconds") for one in found.compared} == {
        "not judged"
    }
    alone = desk.compare([{"answer.tone": "brief"}])
    assert alone.grounds() == "Nothing compared changes any rank, answer or support."
    with pytest.raises(CallError, match="cannot decide"):
        desk.compare([{"find.limit": 1}], by="milliseconds")


def test_what_edited_prompts_or_other_code_answer_is_asked_again(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    variants = [{"find.limit": 4}]
    prompts = desk.folder / "prompts"
    prompts.mkdir()
    (prompts / "declined.j2").write_text("No: {{ question }}")
    ids = [desk.compare(variants).id for _ in range(2)]
    (prompts / "declined.j2").write_text("Sorry: {{ question }}")
    ids.append(desk.compare(variants).id)
    assert ids[0] == ids[1] != ids[2]
    monkeypatch.setattr("yonder_lantern.desk.compare_settings.code_fingerprint", lambda: "other")
    assert desk.compare(variants).id not in ids
    kept = [len(path.read_text().splitlines()) for path in desk.state.rglob("grades/*.jsonl")]
    assert kept == [24] * 6


@pytest.mark.parametrize("variant", [{"steps.enabled": False}, {"answer.tone": "brief"}])
def test_grades_are_shared_by_no_two_settings_that_answer_otherwise(
    desk: Desk, variant: dict[str, object]
) -> None:
    desk.compare([variant])
    assert len(list(desk.state.rglob("grades/*.jsonl"))) == 2


def test_a_killed_comparison_goes_on(desk: Desk) -> None:
    arguments = [sys.executable, "-m", "yonder_lantern", "compare", "find.limit=3,4,5"]
    arguments += ["--json", "--set", "grade.processes=1"]
    process = subprocess.Popen(arguments, cwd=desk.folder, stdout=subprocess.PIPE)
    folder = desk.state / "comparisons" / "grades"
    end = time.monotonic() + HANGS
    while time.monotonic() < end and process.poll() is None:
        if sum(path.read_bytes().count(b"\n") for path in folder.glob("*.jsonl")) > 20:
            os.kill(process.pid, signal.SIGKILL)
            break
        time.sleep(0.005)
    process.communicate()
    done = subprocess.run(arguments, cwd=desk.folder, capture_output=True, text=True, check=False)
    found = json.loads(done.stdout)
    assert done.returncode == 1, done.stderr  # no setting is shown to be better
    assert {row["questions"] for row in found["rows"] if row["measure"] == "right"} == {24}


def test_a_budget_that_is_spent_ends_it_evenly(desk: Desk) -> None:
    found = desk.compare([{"find.limit": 3}], seconds=1e-9)
    assert found.stopped
    counts = {len(one.grades.questions) for one in found.results if one.grades}
    assert counts == {1}


def test_successive_halving_gives_up_the_worse_half(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    from yonder_lantern.desk import compare_settings

    monkeypatch.setattr(compare_settings, "_FEWEST", 3)
    grid = [{"find.weights.coverage": weight} for weight in (-2, -1.9, 0.1, 0.2)]
    found = desk.compare(grid, by="recall@1", halving=True)
    dropped = {one.variant.name: one.dropped_after for one in found.results}
    assert dropped["current settings"] == 0
    assert dropped["coverage=-2"]
    assert dropped["coverage=-1.9"]
    assert len(found.baseline.questions) == 24


def test_variants_are_read_from_a_file_and_from_a_grid(tmp_path: Path) -> None:
    path = tmp_path / "variants.toml"
    path.write_text(
        '[[variant]]\nname = "small"\n"passages.tokens" = 60\n[[variant]]\n[variant.find]\n'
        'fusion = "ranks"\n[grid]\n"find.limit" = [3, 5]\n'
    )
    assert [(one.name, dict(one.settings)) for one in load_variants(path)] == [
        ("small", {"passages.tokens": 60}),
        ("fusion=ranks", {"find.fusion": "ranks"}),
        ("limit=3", {"find.limit": 3}),
        ("limit=5", {"find.limit": 5}),
    ]
    assert [one.name for one in grid_of(["find.limit=3,5", 'a.b=[1,2],"x,y"'])] == [
        "limit=3, b=[1, 2]", "limit=3, b=x,y", "limit=5, b=[1, 2]", "limit=5, b=x,y",
    ]  # fmt: skip
    for wrong in ("[odd]\n", "[grid]\na = 1\n", "not toml"):
        path.write_text(wrong)
        with pytest.raises(CallError):
            load_variants(path)


@pytest.mark.parametrize(
    ("variants", "error"),
    [
        ([], CallError),
        ([{"find.limt": 3}], SettingsError),
        ([{"find.limit": 0}], SettingsError),
        ([{"source.folder": "x"}], SettingsError),
        ([{"find.limit": 3}, {"find.limit": 3}], CallError),
    ],
)
def test_what_cannot_be_compared_is_refused_before_anything_is_asked(
    desk: Desk, variants: list[dict[str, object]], error: type[Exception]
) -> None:
    with pytest.raises(error):
        desk.compare(variants)
    with pytest.raises(CallError, match="recall@0"):
        desk.compare([{"find.limit": 3}], by="recall@0")
    assert not (desk.state / "comparisons" / "grades").exists()


def test_the_command_shows_what_may_be_concluded(desk: Desk, yonder: Callable[..., Ran]) -> None:
    figure, table, out = (desk.folder / name for name in ("c.svg", "c.csv", "patch.toml"))
    ran = yonder(
        "compare", "find.weights.coverage=0.1,0.2", "--by", "recall@1", "--set",
        "find.weights.coverage=-2", "--figure", str(figure), "--csv", str(table), "--out", str(out),
        cwd=desk.folder,
    )  # fmt: skip
    assert ran.status == 0, ran.err
    assert "recall@1  decides" in ran.out
    assert "better, p = " in ran.out
    assert "Add to yonder.toml:" in ran.out
    assert out.read_text().startswith("[find.weights]\ncoverage = 0.")
    assert "<svg" in figure.read_text()
    assert table.read_text().startswith("measure,variant,mean")
    assert yonder("compare", cwd=desk.folder).status == 2
    assert yonder("compare", "find.limit=3", "--by", "rigth", cwd=desk.folder).status == 2


def test_conclusions_never_say_more_than_is_shown(desk: Desk) -> None:
    found = desk.compare([{"find.limit": 7}])
    assert isinstance(found, Comparison)
    said = {row.get("conclusion") for row in found.rows() if row["measure"] != "milliseconds"}
    assert said == {None, "no difference shown"}
    assert found.grounds() == "No variant changes right of any question."
