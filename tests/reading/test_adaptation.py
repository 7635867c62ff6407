"""A desk's judged questions move the questions that are like them, and nothing else."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from conftest import call_yonder
from yonder_lantern import Desk
from yonder_lantern.core import SettingsError
from yonder_lantern.reading import Adaptation

MakeDesk = Callable[..., Desk]


def unit(rows: np.ndarray) -> np.ndarray:
    found = rows / np.linalg.norm(rows, axis=1, keepdims=True)
    return np.asarray(found, dtype=np.float32)


def test_like_questions_move_and_others_stay(tmp_path: Path) -> None:
    generator = np.random.default_rng(1)
    asked = unit(generator.normal(size=(12, 384)))
    wanted = unit(generator.normal(size=(12, 384)))
    fitted = Adaptation.fitted("m", asked, wanted)
    like = unit(asked + 0.2 * unit(generator.normal(size=(12, 384))))
    other = unit(generator.normal(size=(1, 384)))[0]
    for question, target in zip(like, wanted, strict=True):
        assert fitted.moved(question) @ target > question @ target + 0.2
    assert fitted.moved(other) @ other > 0.95
    fitted.save(tmp_path / "reading")
    again = Adaptation.load(tmp_path / "reading", "m")
    assert np.array_equal(again.moved(like[0]), fitted.moved(like[0]))


def test_a_folder_that_does_not_fit_is_told(tmp_path: Path, make_desk: MakeDesk) -> None:
    rows = unit(np.random.default_rng(1).normal(size=(2, 384)))
    Adaptation.fitted("another", rows, rows).save(tmp_path / "desk" / "reading")
    desk = make_desk({"a.md": "# Quay\n\nThe quay is open."}, '[reading]\nadaptation = "reading"\n')
    with pytest.raises(SettingsError, match="another reading model"):
        desk.gather()
    with pytest.raises(SettingsError, match="cannot be read"):
        Adaptation.load(tmp_path / "nothing", "m")


def test_what_a_desk_means_by_its_words_is_learnt(make_desk: MakeDesk) -> None:
    """On this desk "the old lady" is the crane, which no model can know."""
    files = {
        f"{n}.md": f"# {name}\n\nThe {name} {what}."
        for n, (name, what) in enumerate(
            [("crane", "lifts two tonnes"), ("ferry", "leaves at noon"), ("sluice", "is shut"),
             ("tug", "tows barges"), ("buoy", "marks the channel"), ("slip", "is steep")]
        )
    }  # fmt: skip
    desk = make_desk(files)
    desk.gather()
    questions = [
        f"{how} the old lady{tail}?"
        for how in ("How strong is", "When was", "Who looks after", "Where is", "What about")
        for tail in ("", " today", " in winter", " at night")
    ]
    expected = [[{"document": "documents/0.md", "quote": "The crane lifts two tonnes."}]]
    lines = [
        {"id": f"q{n}", "question": text, "expected": expected, "split": "test" if n % 4 else "fit"}
        for n, text in enumerate(questions * 3)
    ]
    path = desk.folder / "questions.jsonl"
    path.write_text("\n".join(json.dumps(one) for one in lines), encoding="utf-8")
    told = call_yonder("tune", "--reading", "--out", "moves", cwd=desk.folder)
    assert told.status == 0, told.err
    assert 'adaptation = "moves"' in told.out
    refused = call_yonder("tune", "--reading", "--out", "documents", cwd=desk.folder)
    assert (refused.status, "holds something else" in refused.err) == (2, True)
    tuned = desk.tune_reading()
    assert tuned.better
    assert tuned.new.mean > tuned.old.mean
    assert tuned.test is not None
    assert tuned.test.is_gain
    adapted = Desk.open(desk.folder, settings={"reading.adaptation": "reading"})
    assert adapted.find("Is the old lady busy?")[0].document == "documents/0.md"
    assert adapted.find("When does the ferry leave?")[0].document == "documents/1.md"
