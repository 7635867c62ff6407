"""The stored vectors of a segment: every form, with and without clusters, beside a plain scan."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from yonder_lantern import Desk
from yonder_lantern.core import IndexStateError
from yonder_lantern.embedding.plane import on_a_plane
from yonder_lantern.index.passage_vectors import load_vectors, save_vectors, top
from yonder_lantern.index.topics import Topics
from yonder_lantern.index.writing.merge_segments import merge_segments

MakeDesk = Callable[..., Desk]


def clouds(count: int, seed: int = 3, groups: int = 30, size: int = 24) -> np.ndarray:
    """Unit vectors around a number of centres, as passages about a number of things are."""
    generator = np.random.default_rng(seed)
    centres = generator.standard_normal((groups, size))
    own = centres[generator.integers(groups, size=count)]
    vectors = own + 0.5 * generator.standard_normal((count, size))
    return (vectors / np.linalg.norm(vectors, axis=1, keepdims=True)).astype(np.float32)


@pytest.mark.parametrize("form", ["float32", "float16", "int8"])
@pytest.mark.parametrize("approximate", [0, 1000])
def test_the_nearest_are_found_in_every_form(tmp_path: Path, form: str, approximate: int) -> None:
    vectors = clouds(6040)
    vectors, questions = vectors[:6000], vectors[6000:]
    recall = save_vectors(tmp_path / "v", vectors, form, approximate)  # type: ignore[arg-type]
    held = load_vectors(tmp_path / "v")
    assert len(held) == 6000
    assert (held.clusters is not None) is bool(approximate)
    generator = np.random.default_rng(5)
    shares = []
    for question in questions:
        exact = vectors @ question
        for allowed in (None, generator.random(6000) < 0.05, generator.random(6000) < 0.9):
            scores = exact if allowed is None else np.where(allowed, exact, -2)
            wanted = np.argsort(-scores, kind="stable")[:10]
            found = held.best(question, 10, allowed)
            assert allowed is None or allowed[found].all()
            best = found[np.argsort(-held.scores(question, found), kind="stable")[:10]]
            shares.append(len(np.intersect1d(best, wanted)) / 10)
    assert np.mean(shares) > (0.9 if approximate else 0.97)
    if approximate:
        assert recall is not None
        assert recall >= 0.97
    close = {"float32": 1e-6, "float16": 2e-3, "int8": 1e-6}[form]
    assert np.abs(held.rows(np.arange(50)) - vectors[:50]).max() < close
    near = {"float32": 1e-5, "float16": 2e-3, "int8": 2e-2}[form]
    assert np.abs(held.scan(vectors[3]) - vectors @ vectors[3]).max() < near


def test_scores_are_the_same_to_the_bit_however_many_are_asked_for(tmp_path: Path) -> None:
    vectors = clouds(500)
    save_vectors(tmp_path / "v", vectors, "float32", 0)
    held = load_vectors(tmp_path / "v")
    everything = held.scores(vectors[0], np.arange(500))
    for at in (0, 7, 499):
        assert held.scores(vectors[0], np.array([at]))[0] == everything[at]


@given(
    arrays(np.float32, st.integers(0, 3000), elements=st.floats(-1, 1, width=16)),
    st.integers(1, 50),
)
def test_the_largest_are_all_among_those_picked(scores: np.ndarray, limit: int) -> None:
    picked = top(scores, limit)
    assert len(picked) >= min(limit, len(scores))
    if len(picked) < len(scores):
        left = np.delete(scores, picked)
        assert scores[picked].min() > left.max()


def test_a_damaged_file_of_vectors_is_an_error_with_a_way_out(tmp_path: Path) -> None:
    save_vectors(tmp_path / "v", clouds(20), "float32", 0)
    path = tmp_path / "v" / "exact.npy"
    path.write_bytes(path.read_bytes()[:-8])
    with pytest.raises(IndexStateError, match="damaged"):
        load_vectors(tmp_path / "v")


def test_merged_segments_hold_what_their_parts_held(make_desk: MakeDesk) -> None:
    desk = make_desk({f"{n}.md": f"# Log {n}\n\nGauge {n % 3} stood at {n}." for n in range(3)})
    desk.gather()
    for n in range(3, 6):
        (desk.folder / "documents" / f"{n}.md").write_text(f"# Log {n}\n\nThe quay, berth {n}.")
        (desk.folder / "documents" / f"{n - 3}.md").unlink()
        desk.gather()
    snapshot = desk.snapshot()
    assert len(snapshot.segments) > 1
    merged, vectors = merge_segments("m", snapshot.segments)
    assert vectors is not None
    live = sorted(snapshot.live_rows())
    assert sorted(merged.documents[:, 0].tolist()) == live
    at = 0
    for opened in snapshot.segments:
        for passage, span in enumerate(opened.segment.passages[:].tolist()):
            if opened.live is not None and not opened.live[span[0]]:
                continue
            row = opened.segment.documents[span[0], 0]
            own = merged.passages[at]
            assert merged.documents[own[0], 0] == row
            assert own[1:].tolist() == span[1:]
            assert merged.lengths[at] == opened.segment.lengths[passage]
            assert opened.vectors is not None
            assert (vectors[at] == opened.vectors.rows(np.array([passage]))[0]).all()
            terms = [
                term
                for term in opened.segment.terms.all()
                if passage in (opened.segment.postings(term) or ([],))[0]
            ]
            for term in terms:
                theirs, ours = opened.segment.postings(term), merged.postings(term)
                assert theirs is not None
                assert ours is not None
                one = theirs[0].tolist().index(passage)
                other = ours[0].tolist().index(at)
                assert (theirs[1][one], theirs[2][one]) == (ours[1][other], ours[2][other])
            at += 1
    assert at == len(merged.lengths)


def test_many_small_gathers_leave_few_segments_and_the_same_ranks(make_desk: MakeDesk) -> None:
    text = "# Log {0}\n\nThe quay is calm, gauge {0}. Berth {1} is free; the tide is deep."
    grown = make_desk({}, '[desk]\nlanguage = "en"\n', "grown")
    for n in range(26):
        (grown.folder / "documents" / f"{n}.md").write_text(text.format(n, n % 7))
        grown.gather()
    assert len(grown.snapshot().segments) <= 10
    files = {f"{n}.md": text.format(n, n % 7) for n in range(26)}
    whole = make_desk(files, '[desk]\nlanguage = "en"\n', "whole")
    whole.gather()
    for question in ("gauge 7", "Which berth is free?", "calm quay"):
        one = [(h.document, h.score) for h in grown.find(question, limit=30, stage="lexical")]
        other = [(h.document, h.score) for h in whole.find(question, limit=30, stage="lexical")]
        assert one == other


def test_topics_tell_groups_apart_and_are_named_by_their_terms() -> None:
    vectors = np.zeros((30, 4), dtype=np.float32)
    vectors[:15, 0], vectors[15:, 1] = 1, 1
    vectors[3, 2] = vectors[20, 3] = 0.3
    vectors /= np.linalg.norm(vectors, axis=1, keepdims=True)
    terms = [["crane", "harbour"]] * 15 + [["tide", "harbour"]] * 15
    topics = Topics.learn(vectors, terms)
    assert topics is not None
    own = topics.of(vectors)
    assert not {*own[:15]} & {*own[15:]}
    assert all(name.startswith("crane") for name in own[:15])
    assert all(name.startswith("tide") for name in own[15:])
    assert topics.of(np.zeros((1, 4), dtype=np.float32)) == [""]
    assert Topics.learn(vectors[:5], terms[:5]) is None


def test_a_map_puts_together_what_is_alike() -> None:
    vectors = clouds(200, groups=4)
    points = on_a_plane(vectors)
    near = np.argsort(-(vectors @ vectors.T), axis=1)[:, 1:11]
    apart = np.linalg.norm(points[:, None] - points[None], axis=2)
    on_map = np.argsort(apart, axis=1)[:, 1:11]
    kept = np.mean([len(np.intersect1d(a, b)) / 10 for a, b in zip(near, on_map, strict=True)])
    assert kept > 0.4  # by chance: 0.05
    assert (on_a_plane(vectors) == points).all()
    assert on_a_plane(vectors[:1]).shape == (1, 2)
