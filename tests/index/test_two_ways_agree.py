"""What can be known in two ways is the same in both: who sees what, metadata, cutting."""

from __future__ import annotations

import gc
import json
import weakref
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern import Desk
from yonder_lantern.core import OPEN_END, OPEN_START, Caller, microseconds, visible
from yonder_lantern.index import metadata_of
from yonder_lantern.index.store import Seen
from yonder_lantern.index.writing.segment_builder import SegmentBuilder

MakeDesk = Callable[..., Desk]
LABELS = st.frozensets(st.sampled_from(["public", "crew", "board"]), max_size=3)
MOMENTS = st.integers(-100, 100)


@given(
    st.none() | LABELS, LABELS, MOMENTS | st.just(OPEN_START), MOMENTS | st.just(OPEN_END), MOMENTS
)
def test_the_predicates_agree(
    caller: frozenset[str] | None, labels: frozenset[str], start: int, end: int, moment: int
) -> None:
    """For a row of the store and for arrays it is one rule, and it is what the design says."""
    import numpy as np

    who = Caller(caller)
    expected = (caller is None or bool(caller & labels)) and start <= moment < end
    assert Seen(labels, start, end).by(who, moment) is expected
    found = visible(np.array([who.sees(labels)]), np.array([start]), np.array([end]), moment)
    assert found.tolist() == [expected]


@pytest.mark.parametrize("audience", [None, ["public"], ["crew"], ["board", "public"]], ids=str)
def test_a_document_is_seen_alone_as_it_is_among_all(
    demo: Path, audience: list[str] | None
) -> None:
    desk = Desk.open(demo, record=False).as_caller(audience, as_of="2026-05-01")
    snapshot = desk.snapshot()
    moment = microseconds(datetime(2026, 5, 1, tzinfo=UTC), 0)
    mask = snapshot.visible_documents(desk.caller, moment)
    documents = snapshot.store.documents(snapshot.layout.rows.tolist())
    assert [
        documents[row].visible_to(desk.caller, moment) for row in snapshot.layout.rows.tolist()
    ] == mask.tolist()
    assert all(
        (desk.document(documents[row].id) is not None) is seen
        for row, seen in zip(snapshot.layout.rows.tolist(), mask.tolist(), strict=True)
    )


def test_words_at_hand_are_those_read_back_from_the_store(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A segment is embedded with the words it was made of; later, with those of its texts."""
    odd = ("zorbel™", "quaxΣ", "e\u0301clat", "ﬁn", "_x_", "٣")
    documents = {
        f"{at}.md": f"# Le quai {at}\n\n" + f"L’écluse n° {at} porte un ½ {sign}. " * 90
        for at, sign in enumerate(odd)
    }
    with monkeypatch.context() as patched:
        patched.setattr(SegmentBuilder, "words", lambda _: None)
        read_back = make_desk(documents)
        read_back.gather()
        expected = _vectors(read_back)
    at_hand = make_desk(documents)
    at_hand.gather()
    assert _vectors(at_hand) == expected


def _vectors(desk: Desk) -> tuple[str, list[list[float]]]:
    snapshot = desk.snapshot()
    assert snapshot.embedding is not None
    return snapshot.embedding.hash, desk.vectors().vectors.tolist()


def test_the_ways_to_metadata_agree(demo: Path) -> None:
    snapshot = Desk.open(demo, record=False).snapshot()
    store = snapshot.store
    names = store.metadata_names(snapshot.generation)
    columns = {name: dict(store.column(name, snapshot.generation)) for name in names}
    for row, document in store.each(snapshot.live_rows()):
        assert store.metadata(row) == metadata_of(document)
        for name in names:
            kept = document.metadata.get(name)
            if name in ("source", "key", "title", "language", "format"):
                kept = getattr(document, name)
            elif name == "document":
                kept = document.id
            if isinstance(kept, bool):  # SQLite has no truth values
                kept = int(kept)
            told = columns[name].get(row)
            assert json.dumps(told) == json.dumps(kept), (document.id, name)


def test_another_version_of_cutting_cuts_again(
    make_desk: Callable[..., Desk], monkeypatch: pytest.MonkeyPatch
) -> None:
    desk = make_desk(
        {"quay.md": "# Quay\n\nThe quay closes at 22:00.", "b.md": "The slip is shut."}
    )
    desk.gather()
    assert desk.gather().nothing_to_do
    generation = desk.snapshot().generation
    monkeypatch.setattr("yonder_lantern.desk.gathering.run_gather.PASSAGES_VERSION", 10_000)
    assert desk.gather().generation == generation + 1
    assert desk.snapshot().manifest.fingerprint["passages"] == 10_000
    assert [hit.document for hit in desk.find("quay")] == ["documents/quay.md"]


def test_what_is_open_of_a_generation_is_let_go_with_it(make_desk: Callable[..., Desk]) -> None:
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at 22:00."}, "[reading]\nat_gather = 9")
    desk.gather()
    desk.find("When does the quay close?")
    held = weakref.ref(desk.snapshot())
    (desk.folder / "documents" / "b.md").write_text("The slip is shut.")
    gc.collect()
    gc.disable()  # every file of it is open until nothing refers to it
    try:
        desk.gather()
        desk.find("When does the quay close?")
        assert held() is None
        held = weakref.ref(desk.snapshot())
        del desk
        assert held() is None
    finally:
        gc.enable()
