"""Measures of rankings against hand-computed cases and an independent implementation."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import needs_package
from yonder_lantern.core import CallError
from yonder_lantern.evaluation import Ranked, judge_ranking
from yonder_lantern.evaluation.measures import covered_together, covers
from yonder_lantern.evaluation.questions import Span


def hits(*documents: str, tokens: int = 100) -> list[Ranked]:
    return [Ranked(document, 0, 100, tokens=tokens) for document in documents]


def span(document: str, grade: int = 1, *, whole: bool = False) -> Span:
    return Span(document, 10, 30, grade, whole)


def test_measures_worked_out_by_hand() -> None:
    judged = judge_ranking(
        hits("x", "a", "n", "b", "a"), [[span("a")], [span("b", 2)]], [span("n")]
    )
    assert judged.met == ((2, 1), (4, 2))
    assert judged.relevant == (2, 4, 5)
    assert judged.irrelevant == (3,)
    assert judged.value("recall@2") == 0.5
    assert judged.value("precision@4") == 0.5
    assert judged.value("f1@4") == pytest.approx(2 * 1.0 * 0.5 / 1.5)
    assert judged.value("rbp") == pytest.approx(0.2 * (0.8**1 + 0.8**3))
    assert judged.value("rbp@0.5") == pytest.approx(0.5 * (0.5**1 + 0.5**3))
    assert judged.value("judged@5") == pytest.approx(4 / 5)
    assert judged.value("map") == pytest.approx((1 / 2 + 2 / 4) / 2)
    assert judged.value("map@2") == pytest.approx(1 / 2 / 2)
    assert judged.value("mrr@1") == 0


def test_characters_within_a_budget_of_tokens() -> None:
    found = [Ranked("a", 0, 20, tokens=50), Ranked("a", 20, 60, tokens=100)]
    judged = judge_ranking(found, [[Span("a", 10, 30, 1)]])
    assert judged.value("characters@50") == 0.5
    assert judged.value("characters@100") == pytest.approx(0.75)  # half of the second hit
    assert judged.value("characters@1000") == 1.0
    twice = judge_ranking([*found, *found], [[Span("a", 10, 30, 1)]])
    assert twice.value("characters@1000") == 1.0  # nothing is held twice


def test_a_whole_document_is_met_by_any_of_its_passages() -> None:
    assert covers(Ranked("a", 500, 510), Span("a", 0, 4000, 1, whole=True))
    assert covered_together([Ranked("a", 500, 510)], Span("a", 0, 4000, 1, whole=True))
    assert not covers(Ranked("b", 0, 4000), Span("a", 0, 4000, 1, whole=True))


def test_a_group_without_a_document_is_missed() -> None:
    judged = judge_ranking(hits("a"), [[span("a")], []])
    assert judged.value("recall@5") == 0.5
    assert judged.value("ndcg@5") < 1


@pytest.mark.parametrize("name", ["recall@0", "recall@-1", "recall", "rbp@1.5", "found@5", "mrr@x"])
def test_what_is_no_measure_is_an_error(name: str) -> None:
    with pytest.raises(CallError, match="no measure"):
        judge_ranking(hits("a"), [[span("a")]]).value(name)


def test_rankings_are_measured_as_elsewhere() -> None:
    needs_package("sklearn")
    from sklearn.metrics import average_precision_score, ndcg_score

    generator = np.random.default_rng(4)
    for _ in range(60):
        size = int(generator.integers(3, 40))
        grades = generator.integers(0, 4, size=size)
        grades[int(generator.integers(size))] = 2
        order = generator.permutation(size)
        found = hits(*(f"d{number}" for number in order))
        groups = [[span(f"d{number}", int(grade))] for number, grade in enumerate(grades) if grade]
        judged = judge_ranking(found, groups)
        scores = np.zeros(size)
        scores[order] = np.arange(size, 0, -1)
        assert judged.value("map") == pytest.approx(average_precision_score(grades > 0, scores))
        for depth in (1, 5, 10):
            elsewhere = ndcg_score([grades], [scores], k=depth)
            assert judged.value(f"ndcg@{depth}") == pytest.approx(elsewhere)


NAMES = ("recall@3", "precision@3", "f1@3", "ndcg@3", "mrr", "map", "rbp", "characters@200")


@given(
    st.lists(st.sampled_from("abcdef"), max_size=10),
    st.lists(st.sampled_from("abcdef"), min_size=1, max_size=4, unique=True),
)
def test_measures_are_shares_and_a_worse_ranking_measures_no_better(
    found: list[str], wanted: list[str]
) -> None:
    groups = [[span(document)] for document in wanted]
    judged = judge_ranking(hits(*found), groups)
    worse = judge_ranking(hits("z", *found), groups)
    for name in NAMES:
        assert 0 <= judged.value(name) <= 1
        assert worse.value(name) <= judged.value(name) + 1e-12
