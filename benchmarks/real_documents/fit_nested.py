"""Fit the answerer's weights on some collections and read them on the one left out.

    python benchmarks/real_documents/fit_nested.py WORK [--why TEXT]

For each family of collections, ranking and support are fitted on all the others (the penalty by an
inner leave-one-family-out, support set right on scores of families left out within), and only then
read on it, beside the weights that ship. Every collection weighs the same. What was read is noted
in looks.jsonl. Features of the units found are kept in WORK/features and used again while the
questions and the library's code stay.
"""

from __future__ import annotations

import argparse
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import astuple, dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np
from asking import Asked, read_asked
from binding import digest
from catalogue import BY_NAME
from fingerprint import code
from measure import desks, note_look
from tables import head, mean_and_worst, row, worst_of

from yonder_lantern import Desk
from yonder_lantern.answer import Composer
from yonder_lantern.answer.support import FEATURE_NAMES, INTERCEPT, RANKING, SUPPORT
from yonder_lantern.evaluation import Ranked, brier_score, calibration_of, nested, risk_coverage
from yonder_lantern.evaluation.fit_weights import (
    FittedSupport,
    RankingCase,
    fit_ranking,
    fit_support,
)
from yonder_lantern.evaluation.measures import covered_together
from yonder_lantern.evaluation.questions import Span
from yonder_lantern.evaluation.threshold import threshold_for

PENALTIES = (0.00001, 0.0001, 0.001, 0.01)
_MOST_WRONG = 0.5  # of the answers given to questions that have one
_CASES = 80  # questions of a collection that ranking is fitted on: each weighs the same
_FREE = [(0.0, 0.0) if name == "unknown" else (0.0, None) for name in FEATURE_NAMES]
_SIGNED = [(None, 0.0) if name == "unknown" else (0.0, None) for name in FEATURE_NAMES]


@dataclass(frozen=True)
class Case:
    """A question: the features of the units found, and which of them are right."""

    collection: str
    written: bool
    answerable: bool
    features: np.ndarray
    right: np.ndarray


@dataclass(frozen=True)
class Model:
    """Weights of both kinds, and what makes support a probability elsewhere."""

    ranking: np.ndarray
    support: FittedSupport
    scale: float = 1.0
    shift: float = 0.0
    threshold: float = 0.5

    def best(self, case: Case) -> tuple[bool, float]:
        """Whether the unit that ranks first is right, and its support."""
        if not len(case.features):
            return False, 0.0
        at = int(np.argmax(case.features @ self.ranking))
        return bool(case.right[at]), self.probability(case.features[at])

    def probability(self, features: np.ndarray) -> float:
        odds = self.support.intercept + float(features @ self.support.weights)
        return float(1 / (1 + np.exp(-(self.scale * odds + self.shift))))


Read = tuple[Case, bool, float]  # a case, whether its best unit is right, and its support
SHIPPED = Model(np.array(astuple(RANKING)), FittedSupport(np.array(astuple(SUPPORT)), INTERCEPT))


def collect(name: str, folder: Path, kept: Path) -> list[Case]:
    """The questions of one desk with their units; from a file, if made of them by this code."""
    questions = (folder / "asked.jsonl").read_text("utf-8")
    path = kept / f"{name}-{digest(code() + questions)}.npz"
    asked = read_asked(folder / "asked.jsonl")
    if not path.exists():
        kept.mkdir(parents=True, exist_ok=True)
        desk = Desk.open(folder, record=False)
        composer = Composer(desk.settings.answer, desk.snapshot().embedding)
        found = [units(desk, composer, one) for one in asked]
        arrays = {f"f{at}": own[0] for at, own in enumerate(found)}
        arrays |= {f"r{at}": own[1] for at, own in enumerate(found)}
        np.savez_compressed(path, **arrays)
    data = np.load(path)
    return [
        Case(name.removesuffix("-without"), not one.derived, bool(one.spots),
             data[f"f{at}"], data[f"r{at}"])
        for at, one in enumerate(asked)
    ]  # fmt: skip


def units(desk: Desk, composer: Composer, asked: Asked) -> tuple[np.ndarray, np.ndarray]:
    judged = composer.judge(desk.search(asked.question))
    features = np.array([astuple(one.features) for one in judged], dtype=np.float64)
    spans = [Span(spot.document, spot.body, spot.end, 1) for spot in asked.spots]
    places = [Ranked(u.document.id, u.start, u.end) for u in (one.unit for one in judged)]
    right = [any(_answers(location, span, asked) for span in spans) for location in places]
    return features.reshape(-1, len(FEATURE_NAMES)), np.array(right, dtype=bool)


def _answers(location: Ranked, span: Span, asked: Asked) -> bool:
    if asked.derived:
        inside = span.start <= location.start and location.end <= span.end
        return inside and location.document == span.document
    return covered_together([location], span)


def fit(groups: Sequence[Sequence[Case]], penalty: float) -> Model:
    """Weights fitted on some families, every collection as much as another."""
    by: dict[str, list[Case]] = defaultdict(list)
    for case in (one for group in groups for one in group):
        by[case.collection].append(case)
    generator = np.random.default_rng(1)
    chosen = []
    for own in by.values():
        usable = [one for one in own if one.right.any() and not one.right.all()]
        if usable:
            picked = generator.choice(len(usable), size=_CASES)
            chosen += [RankingCase(usable[at].features, usable[at].right) for at in picked]
    start = np.full(len(FEATURE_NAMES), 2.0) * np.array([high != 0.0 for _, high in _FREE])
    ranking = fit_ranking(chosen, start=start, penalty=penalty, bounds=_FREE)
    tops, right, weights = [], [], []
    for own in by.values():
        found = [one for one in own if len(one.features)]
        for one in found:
            at = int(np.argmax(one.features @ ranking))
            tops.append(one.features[at])
            right.append(bool(one.right[at]))
            weights.append(1 / len(found))
    support = fit_support(
        np.array(tops), np.array(right), weights=np.array(weights), penalty=penalty, bounds=_SIGNED
    )
    return Model(ranking, support)


def loss(model: Model, group: Sequence[Case]) -> float:
    """The area under the risk–coverage curve, each collection the same."""
    by: dict[str, list[tuple[bool, float]]] = defaultdict(list)
    for case in group:
        by[case.collection].append(model.best(case))
    areas = [risk_coverage([s for _, s in own], [float(not r) for r, _ in own]).area
             for own in by.values()]  # fmt: skip
    return float(np.mean(areas))


def calibrate(model: Model, seen: Sequence[tuple[Model, Sequence[Case]]]) -> Model:
    """Set support right on families that the fitted model has not seen (Platt 1999)."""
    odds, right = [], []
    for own, group in seen:
        for case in group:
            hit, sure = own.best(case)
            sure = min(max(sure, 1e-6), 1 - 1e-6)
            odds.append([np.log(sure / (1 - sure))])
            right.append(hit)
    found = fit_support(
        np.array(odds),
        np.array(right),
        weights=np.ones(len(right)),
        penalty=1e-4,
        bounds=[(0.0, None)],
    )
    own = replace(model, scale=float(found.weights[0]), shift=found.intercept)
    answerable = [case.answerable for _, group in seen for case in group]
    sure = found.probability(np.array(odds))[answerable]
    threshold, reached = threshold_for(list(sure), list(np.array(right)[answerable]), _MOST_WRONG)
    return replace(own, threshold=threshold if reached else 1.0)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("work", type=Path)
    parser.add_argument("--why", default="weights fitted on the others, read here")
    given = parser.parse_args()
    groups: dict[str, list[Case]] = defaultdict(list)
    for name, folder in desks(given.work, []):
        family = BY_NAME[name.removesuffix("-without")].family
        groups[family] += collect(name, folder, given.work / "features")
    read: dict[str, list[Read]] = {"shipped": [], "fitted on the others": []}
    given_at: dict[str, list[Read]] = {state: [] for state in read}
    for one in nested(groups, PENALTIES, fit=fit, loss=loss, calibrate=calibrate):
        print(f"{one.group}: penalty {one.option:g}", flush=True)
        for state, model in (("shipped", SHIPPED), ("fitted on the others", one.model)):
            own = [(case, *model.best(case)) for case in groups[one.group]]
            read[state] += own
            given_at[state] += [each for each in own if each[2] >= model.threshold]
    note_look(list(groups), "weights fitted without each", given.why)
    head("best unit, nothing declined", *read)
    for title, which in (("written: right", True), ("derived: right", False)):
        row(title, *(mean_and_worst(_right(own, which)) for own in read.values()))
    for title, which in (("written", True), ("derived", False)):
        cells = []
        for state, own in given_at.items():
            asked, answers = _right(read[state], which), _right(own, which)
            share = np.mean(
                [len(answers.get(name, ())) / len(all_) for name, all_ in asked.items()]
            )
            wrong = [1 - float(np.mean(part)) for part in answers.values()]
            told = f", {np.mean(wrong):.2f} of them wrong" if wrong else ""
            cells.append(f"{share:.2f} answered{told}")
        row(f"{title}, at the threshold", *cells)
    area = partial(_by_collection, figure=lambda s, r: risk_coverage(s, [not x for x in r]).area)
    row("area under the risk–coverage curve, all", *(worst_of(area(own)) for own in read.values()))
    brier = partial(_by_collection, figure=brier_score)
    row("Brier score, all", *(worst_of(brier(own)) for own in read.values()))
    cells = []
    for own in read.values():
        found = calibration_of([s for _, _, s in own], [r for _, r, _ in own],
                            generator=np.random.default_rng(1))  # fmt: skip
        cells.append(f"{found.error:.3f} ({found.by_chance:.3f} by chance)")
    row("calibration error, all pooled", *cells)


def _right(own: Sequence[Read], written: bool) -> dict[str, list[float]]:
    found: dict[str, list[float]] = defaultdict(list)
    for case, right, _ in own:
        if case.answerable and case.written is written:
            found[case.collection].append(float(right))
    return found


def _by_collection(own: Sequence[Read], figure) -> dict[str, float]:
    by: dict[str, list[tuple[float, bool]]] = defaultdict(list)
    for case, right, sure in own:
        by[case.collection].append((sure, right))
    return {name: figure([s for s, _ in p], [r for _, r in p]) for name, p in by.items()}


if __name__ == "__main__":
    main()
