"""The model that ships: what it says, whatever is asked with it, and what becomes of damage."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest

from yonder_lantern.core import YonderError
from yonder_lantern.reading import ReadingModel, reading_model
from yonder_lantern.reading.kept_weights import SHIPPED, load_weights
from yonder_lantern.reading.word_pieces import WordPieces

FITTING = {
    "How do I get my money back?": "Refunds are paid within ten days of a cancelled booking.",
    "The engine won't start": "If the motor fails to turn over, check the battery first.",
    "Who runs the port?": "The harbour master manages the port and its staff.",
    "Can I bring my dog?": "Pets are welcome on a lead, except in the café.",
    "What time do you close?": "Opening hours are from nine to five on weekdays.",
}
ODD = [*FITTING, *FITTING.values(), "", "a b " * 400, "x" * 100_000, "\ud800 港 \x00"]


def test_questions_are_nearest_to_what_answers_them_in_other_words() -> None:
    model = reading_model()
    questions, passages = model.vectors(list(FITTING)), model.vectors(list(FITTING.values()))
    assert np.allclose(np.linalg.norm(passages, axis=1), 1, atol=1e-5)
    assert (questions @ passages.T).argmax(axis=1).tolist() == list(range(len(FITTING)))


def test_on_numpy_a_vector_is_the_same_whatever_is_read_beside_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    model = reading_model()
    monkeypatch.setattr(model, "_fast", None, raising=False)
    together = model.vectors(ODD)
    assert np.isfinite(together).all()
    alone = np.concatenate([model.vectors([text]) for text in ODD])
    assert np.array_equal(together, alone)


def test_onnx_runtime_reads_as_numpy_does() -> None:
    pytest.importorskip("onnxruntime")
    model = reading_model()
    assert model._fast is not None
    together = model.vectors(ODD)
    alone = np.concatenate([model.vectors([text]) for text in ODD])
    assert np.abs(together - alone).max() < 1e-5
    assert np.array_equal(model.vectors(ODD[::-1])[::-1], together)


def test_numpy_reads_where_the_runtime_cannot_open_the_graph(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    pytest.importorskip("onnxruntime")
    folder = tmp_path / "data"
    shutil.copytree(SHIPPED, folder)
    (folder / "layers.onnx").write_bytes(b"no graph")
    transformer, pieces, hash_ = load_weights(folder)
    model = ReadingModel(transformer, WordPieces(pieces), hash_, folder)
    alone = np.concatenate([reading_model().vectors([text]) for text in ODD])
    assert np.array_equal(model.vectors(ODD), alone)
    assert "ONNX Runtime cannot be used" in caplog.text


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
