"""Filters on metadata: the language, its three truth values, and what they do to a search."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern import Desk
from yonder_lantern.core import CallError
from yonder_lantern.index import Column
from yonder_lantern.search.metadata_filter import documents_where, parse_where

MakeDesk = Callable[..., Desk]
DOCUMENTS: list[dict[str, Any]] = [
    {"kind": "notice", "year": 2026, "tags": ["quay", "depth"]},
    {"kind": "tariff", "year": 2025, "price": 12.5},
    {"kind": "Notice", "year": 2024, "open": True, "issued": "2024-05-03"},
    {"year": 2026, "open": False, "issued": "2026-05-03", "kind": "it's 100% new_ish"},
    {},
]


class Held:
    """Columns of a few documents."""

    def __init__(self, documents: list[dict[str, Any]]) -> None:
        self._documents = documents
        self.remembered: dict[tuple[str, bytes], np.ndarray] = {}

    def names(self) -> list[str]:
        return sorted({name for one in self._documents for name in one})

    def __getitem__(self, name: str) -> Column:
        owners, values = [], []
        for owner, one in enumerate(self._documents):
            own = one.get(name, [])
            for value in own if isinstance(own, list) else [own]:
                owners.append(owner)
                values.append(value)
        strings = list(dict.fromkeys(map(str, values)))
        numbers = []
        for text in strings:
            value = next(v for v in values if str(v) == text)
            try:
                numbers.append(float(value))
            except ValueError:
                numbers.append(float("nan"))
        codes = [strings.index(str(value)) for value in values]
        return Column(
            np.array(owners, dtype=np.int64),
            np.array(codes, dtype=np.int64),
            strings,
            np.array(numbers, dtype=np.float64),
        )


def chosen(text: str) -> list[int]:
    count = len(DOCUMENTS)
    everyone = np.ones(count, dtype=bool)
    found = documents_where(text, Held(DOCUMENTS), count, everyone)
    return np.flatnonzero(found).tolist()


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("kind = 'notice'", [0]),
        ("kind LIKE 'NOTICE'", [0, 2]),
        ("kind like '%100\\%%'", []),  # a backslash is a character as any other
        ("kind LIKE 'it''s 100_ new%'", [3]),
        ("year >= 2025", [0, 1, 3]),
        ("year BETWEEN 2024 AND 2025", [1, 2]),
        ("year NOT BETWEEN 2024 AND 2025", [0, 3]),
        ("tags = 'depth'", [0]),
        ("NOT tags = 'depth'", []),  # only one document has any
        ("tags IS NULL", [1, 2, 3, 4]),
        ("tags IS NOT NULL AND year = 2026", [0]),
        ("open = TRUE OR price < 13", [1, 2]),
        ("NOT (open = TRUE)", [3]),
        ("issued < DATE '2025-01-01'", [2]),
        ("kind IN ('notice', 'tariff') AND NOT year IN (2026)", [1]),
        ("kind <> 'notice'", [1, 2, 3]),
        ("\"kind\" != 'notice' and (year=2025 or year=2024)", [1, 2]),
        ("year = 2026 OR year = 2025 AND price > 100", [0, 3]),  # AND binds more closely
    ],
)
def test_conditions_choose_what_sql_would(text: str, expected: list[int]) -> None:
    assert chosen(text) == expected


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "is empty"),
        ("kind", "its end where a comparison"),
        ("kind = ", "its end where a number"),
        ("kind = 'notice", "not closed, at character 8"),
        ("kind == 'a'", "'=' at character 7"),
        ("kind = 'a' kind", "where AND, OR or the end"),
        ("(kind = 'a'", "its end where )"),
        ("kind LIKE 3", "'pattern'"),
        ("year BETWEEN 1 OR 2", "where AND"),
        ("issued > DATE 'soon'", "a date as"),
        ("kind; DROP TABLE documents", "means nothing here"),
        ("(" * 60 + "kind = 'a'" + ")" * 60, "nested too deeply"),
        ("x" * 20_000, "longer than"),
    ],
)
def test_what_is_no_condition_says_where_it_goes_wrong(text: str, message: str) -> None:
    with pytest.raises(CallError) as caught:
        parse_where(text)
    assert message in str(caught.value)


def test_an_unknown_detail_names_the_nearest() -> None:
    with pytest.raises(CallError, match="no document has a metadata field 'knid'") as caught:
        chosen("knid = 'notice'")
    assert "kind" in caught.value.remedy


@given(st.text(max_size=60))
def test_any_text_is_a_condition_or_an_error_for_people(text: str) -> None:
    with suppress(CallError):
        parse_where(text)


NUMBERS = st.integers(-3, 3)
ATOMS = st.one_of(
    st.tuples(st.sampled_from(["a", "b"]), st.sampled_from(["=", "<", ">=", "<>"]), NUMBERS),
)
TREES = st.recursive(
    ATOMS,
    lambda inner: st.one_of(
        st.tuples(st.just("not"), inner),
        st.tuples(st.sampled_from(["and", "or"]), inner, inner),
    ),
    max_leaves=8,
)


def written(tree: Any) -> str:
    if tree[0] == "not":
        return f"NOT ({written(tree[1])})"
    if tree[0] in ("and", "or"):
        return f"({written(tree[1])}) {tree[0].upper()} ({written(tree[2])})"
    return f"{tree[0]} {tree[1]} {tree[2]}"


@given(TREES, st.lists(st.dictionaries(st.sampled_from("ab"), NUMBERS), min_size=1, max_size=6))
def test_conditions_agree_with_sqlite(tree: Any, documents: list[dict[str, int]]) -> None:
    import sqlite3

    documents = [{"a": 1, "b": 1}, *documents]
    base = sqlite3.connect(":memory:")
    base.execute("CREATE TABLE t (a, b)")
    base.executemany("INSERT INTO t VALUES (?, ?)", [(d.get("a"), d.get("b")) for d in documents])
    rows = base.execute(f"SELECT rowid - 1 FROM t WHERE {written(tree)} ORDER BY 1").fetchall()
    everyone = np.ones(len(documents), dtype=bool)
    found = documents_where(written(tree), Held(documents), len(documents), everyone)
    assert np.flatnonzero(found).tolist() == [row[0] for row in rows]


NOTES = {
    f"{n}.md": f"---\nberth: {n}\nkind: {'crane' if n % 2 else 'pump'}\n"
    f"audience: [{'public' if n < 8 else 'crew'}]\n---\n# Note {n}\n\n"
    f"The equipment on berth {n} was inspected in spring."
    for n in range(10)
}


def test_a_search_keeps_to_the_filter_and_ranks_as_without(make_desk: MakeDesk) -> None:
    settings = '[[source]]\nname = "notes"\nfolder = "documents"\naudience = ["public", "crew"]\n'
    desk = make_desk(NOTES, settings)
    desk.gather()
    everything = desk.find("equipment inspected", limit=20)
    some = desk.find("equipment inspected", limit=20, where="kind = 'crane' AND berth < 8")
    assert {hit.document for hit in some} == {f"notes/{n}.md" for n in (1, 3, 5, 7)}
    kept = {hit.document: hit.breakdown.stages[0].score for hit in everything}
    assert all(hit.breakdown.stages[0].score == kept[hit.document] for hit in some)
    assert desk.find("equipment", where="source = 'notes' AND title LIKE 'note 3'")
    assert not desk.find("equipment", where="berth > 100")
    public = desk.find("equipment", limit=20, where="berth >= 6", audience=["public"])
    assert {hit.document for hit in public} == {"notes/6.md", "notes/7.md"}
    where = "secret IS NULL"  # a detail of a hidden document alone, asked by the owner before
    (desk.folder / "documents" / "9.md").write_text(
        "---\nsecret: 1\naudience: [crew]\n---\n# S\n\nS."
    )
    desk.gather()
    assert desk.find("equipment", where=where)
    with pytest.raises(CallError, match="no document has"):
        desk.find("equipment", where=where, audience=["public"])
    answer = desk.ask("What was inspected on berth 3?", where="kind = 'crane'")
    assert all(one.document != "notes/2.md" for one in answer.citations)
    topics = set(desk.snapshot().topic_of_row.values())
    if topics:
        name = sorted(topics)[0].replace("'", "''")
        assert desk.find("equipment", where=f"topic = '{name}'")
    assert desk.find("equipment", where="key_terms = 'equipment'")
    with pytest.raises(CallError, match="no document has") as caught:
        desk.find("equipment", where="berht = 1", audience=["public"])
    assert "berth" in caught.value.remedy
