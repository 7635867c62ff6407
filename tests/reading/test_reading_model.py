"""The model that ships: what it says, whatever is asked with it, and what becomes of damage."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest

from yonder_lantern.core import YonderError
from yonder_lantern.reading import reading_model
from yonder_lantern.reading.kept_weights import SHIPPED, load_weights

FITTING = {
    "How do I get my money back?": "Refunds are paid within ten days of a cancelled booking.",
    "The engine won't start": "If the motor fails to turn over, check the battery first.",
    "Who runs the port?": "The harbour master manages the port and its staff.",
    "Can I bring my dog?": "Pets are welcome on a lead, except in the café.",
    "What time do you close?": "Opening hours are from nine to five on weekdays.",
}


def test_questions_are_nearest_to_what_answers_them_in_other_words() -> None:
    model = reading_model()
    questions, passages = model.vectors(list(FITTING)), model.vectors(list(FITTING.values()))
    assert np.allclose(np.linalg.norm(passages, axis=1), 1, atol=1e-5)
    assert (questions @ passages.T).argmax(axis=1).tolist() == list(range(len(FITTING)))


def test_a_vector_is_the_same_whatever_is_read_beside_it() -> None:
    texts = [*FITTING, *FITTING.values(), "", "a b " * 400, "x" * 100_000, "\ud800 港 \x00"]
    model = reading_model()
    together = model.vectors(texts)
    assert np.isfinite(together).all()
    alone = np.concatenate([model.vectors([text]) for text in texts])
    assert np.array_equal(together, alone)


def test_a_long_text_is_read_to_its_end() -> None:
    filling = "The tide rises and falls twice a day in this port. " * 60
    model = reading_model()
    question = model.vectors(["Where are lost keys kept?"])[0]
    without, with_end = model.vectors([filling, filling + "Lost keys are kept at the gatehouse."])
    assert question @ with_end > question @ without


@pytest.mark.parametrize("harm", ["missing", "cut", "flipped", "later"])
def test_damaged_weights_are_told(tmp_path: Path, harm: str) -> None:
    folder = tmp_path / "data"
    shutil.copytree(SHIPPED, folder)
    weights, about = folder / "layers.0.npy", folder / "model.json"
    data = bytearray(weights.read_bytes())
    if harm == "missing":
        weights.unlink()
    elif harm == "cut":
        weights.write_bytes(data[: len(data) // 2])
    elif harm == "flipped":
        data[len(data) // 2] ^= 1
        weights.write_bytes(data)
    else:
        about.write_text(json.dumps({**json.loads(about.read_text()), "format": 99}))
    with pytest.raises(YonderError, match="the reading model cannot be read") as told:
        load_weights(folder)
    assert "install" in told.value.remedy


def test_no_file_is_too_large_for_version_control() -> None:
    sizes = [path.stat().st_size for path in SHIPPED.iterdir()]
    assert max(sizes) < 4_000_000
    assert sum(sizes) < 12_500_000
