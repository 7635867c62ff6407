"""Outcomes, risk and coverage, calibration, and figures over collections, by hand and by peers."""

from __future__ import annotations

from itertools import permutations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern.evaluation import (
    Outcome,
    Ranked,
    bootstrap_over_collections,
    calibration_of,
    judged_by_section,
    judged_by_spans,
    nested,
    paired_randomisation,
    risk_coverage,
)
from yonder_lantern.evaluation.questions.question_set import Span

FEE, HOURS = Span("tariff", 10, 30, 1), Span("hours", 0, 40, 1)


@pytest.mark.parametrize(
    ("cited", "said", "outcome"),
    [
        ([Ranked("tariff", 0, 40), Ranked("hours", 0, 20)], True, Outcome.RIGHT),
        ([Ranked("tariff", 0, 40), Ranked("hours", 0, 20)], False, Outcome.PARTLY),
        ([Ranked("tariff", 0, 40), Ranked("hours", 0, 19)], True, Outcome.PARTLY),
        ([Ranked("hours", 39, 80)], True, Outcome.PARTLY),
        ([Ranked("hours", 40, 80)], True, Outcome.WRONG),
        ([], True, Outcome.WRONG),
    ],
)
def test_an_answer_is_right_when_all_that_is_needed_is_cited_and_said(
    cited: list[Ranked], said: bool, outcome: Outcome
) -> None:
    assert judged_by_spans(cited, [[FEE], [HOURS]], said=said) is outcome


def test_to_a_question_without_an_answer_every_answer_is_wrong() -> None:
    assert judged_by_spans([Ranked("tariff", 10, 30)], [], said=True) is Outcome.WRONG


def test_a_section_is_met_by_a_first_citation_that_lies_mostly_in_it() -> None:
    section = [Span("tariff", 100, 200, 1)]
    assert judged_by_section([Ranked("tariff", 90, 120)], section) is Outcome.RIGHT
    assert judged_by_section([Ranked("tariff", 80, 120)], section) is Outcome.WRONG
    assert judged_by_section([Ranked("rules", 100, 120)], section) is Outcome.WRONG


@given(st.lists(st.tuples(st.sampled_from([0.1, 0.5, 0.9]), st.booleans()), min_size=1, max_size=5))
def test_ties_in_support_count_as_the_mean_of_all_their_orders(
    answers: list[tuple[float, bool]],
) -> None:
    orders = [
        order
        for order in permutations(answers)
        if [s for s, _ in order] == sorted((s for s, _ in order), reverse=True)
    ]
    risks = [
        np.cumsum([wrong for _, wrong in order]) / np.arange(1, len(order) + 1) for order in orders
    ]
    found = risk_coverage([s for s, _ in answers], [float(wrong) for _, wrong in answers])
    assert found.risk == pytest.approx(np.mean(risks, axis=0))
    assert found.risk_at(1.0) == pytest.approx(np.mean([wrong for _, wrong in answers]))


def test_support_that_says_nothing_has_the_area_of_its_error_rate() -> None:
    assert risk_coverage([0.5] * 4, [1, 0, 0, 0]).area == pytest.approx(0.25)
    assert np.isnan(risk_coverage([], []).area)


def test_calibration_in_two_bins_is_that_worked_out_by_hand() -> None:
    support, right = [0.2, 0.2, 0.8, 0.8], [True, False, True, True]
    found = calibration_of(support, right, generator=np.random.default_rng(1), bins=2)
    assert [(one.support, one.right, one.count) for one in found.bins] == [
        (pytest.approx(0.2), 0.5, 2),
        (pytest.approx(0.8), 1.0, 2),
    ]
    assert found.error == pytest.approx((0.3 + 0.2) / 2)
    assert found.brier == pytest.approx((0.64 + 0.04 + 0.04 + 0.04) / 4)


def test_an_error_of_chance_alone_is_told_from_a_real_one() -> None:
    generator = np.random.default_rng(3)
    support = generator.random(1000)
    honest = generator.random(1000) < support
    fine = calibration_of(support.tolist(), honest.tolist(), generator=generator)
    boasting = calibration_of(support.tolist(), (honest & (support < 0.5)).tolist(),
                           generator=generator)  # fmt: skip
    assert fine.error < 2.5 * fine.by_chance
    assert boasting.error > 5 * boasting.by_chance


def test_each_collection_weighs_the_same_whatever_its_number_of_questions() -> None:
    found = bootstrap_over_collections({"few": [0.0], "many": [1.0] * 99, "none": []}, seed=1)
    assert (found.mean, found.low, found.high, found.count) == (0.5, 0.5, 0.5, 100)


def test_swapping_all_signs_gives_the_exact_p_of_a_small_case() -> None:
    # Of the 2^6 ways to sign six equal differences, two are as far from nothing.
    before, after = {"a": [0.0] * 6}, {"a": [1.0] * 6}
    own = np.random.default_rng(1)
    difference, p = paired_randomisation(before, after, generator=own, rounds=20_000)
    assert difference == 1
    assert p == pytest.approx(2 / 64, abs=0.004)
    assert paired_randomisation(before, before, generator=own)[1] == 1
    with pytest.raises(ValueError, match="same questions"):
        paired_randomisation(before, {"a": [1.0]}, generator=own)


def test_nothing_of_the_outer_group_is_seen_before_it_is_read() -> None:
    groups = {name: [name] for name in "abcd"}
    seen: list[set[str]] = []

    def fit(own: list[list[str]], _: int) -> frozenset[str]:
        return frozenset(name for group in own for name in group)

    def loss(model: frozenset[str], group: list[str]) -> float:
        assert not model & set(group)
        return float(len(model))

    def calibrate(
        model: frozenset[str], pairs: list[tuple[frozenset[str], list[str]]]
    ) -> frozenset[str]:
        assert all(not own & set(group) for own, group in pairs)
        seen.append({name for _, group in pairs for name in group})
        return model

    for one, calibrated in zip(
        nested(groups, [1, 2], fit=fit, loss=loss, calibrate=calibrate), seen, strict=False
    ):
        assert one.group not in one.model | calibrated
        assert one.model == calibrated == set("abcd") - {one.group}
    assert len(seen) == 4
