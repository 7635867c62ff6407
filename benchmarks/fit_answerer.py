"""Fit the built-in answerer's weights on the demo's `fit` questions.

    python benchmarks/fit_answerer.py

prints the weights that stand in src/yonder_lantern/answer/support.py, with what they reach on
`fit` by leave-one-out. The `test` questions are not looked at.
"""

from __future__ import annotations

import tempfile
from dataclasses import astuple
from pathlib import Path

import numpy as np

from yonder_lantern.answer import Composer
from yonder_lantern.answer.support import FEATURE_NAMES
from yonder_lantern.conversation import full_question
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.desk import Desk
from yonder_lantern.evaluation import Ranked, load_questions
from yonder_lantern.evaluation.fit_weights import RankingCase, fit_ranking, fit_support
from yonder_lantern.evaluation.measures import covered_together

RANKING_PENALTY = 0.001
SUPPORT_PENALTY = 0.001
UNANSWERABLE = 0.15  # the share of questions in use that the documents do not answer: assumed
PRIOR = dict.fromkeys(FEATURE_NAMES, 2.0) | {"unknown": 0.0}


def collect(desk: Desk, split: str = "fit"):
    """For each question of a split: features of its units, which are right, whether answerable."""
    questions = load_questions(desk.folder / "questions.jsonl")
    located = questions.located(lambda id_: getattr(desk.document(id_), "text", None))
    composer = Composer(desk.settings.answer, desk.snapshot().embedding)
    cases = []
    for question, groups in zip(questions.questions, located, strict=True):
        if question.split != split:
            continue
        earlier: list[str] = []
        for turn in question.turns:
            earlier.append(str(full_question(turn, earlier)))
        result = desk.search(
            question.question,
            earlier=earlier,
            audience=question.audience,
            as_of=question.as_of or desk.settings.grade.as_of,
        )
        judged = composer.judge(result)
        features = np.array([astuple(one.features) for one in judged]).reshape(
            -1, len(FEATURE_NAMES)
        )
        right = np.array(
            [
                any(
                    covered_together([Ranked(u.document.id, u.start, u.end)], span)
                    for group in groups
                    for span in group
                )
                for u in (one.unit for one in judged)
            ],
            dtype=bool,
        )
        cases.append((question, features, right))
    return cases


def ranking_bounds():
    return [(0.0, 0.0) if name == "unknown" else (0.0, None) for name in FEATURE_NAMES]


def support_bounds():
    free = {"unknown": (None, 0.0), "found": (0.0, 0.0)}
    return [free.get(name, (0.0, None)) for name in FEATURE_NAMES]


def fit(cases):
    start = np.array([PRIOR[name] for name in FEATURE_NAMES])
    usable = [RankingCase(f, r) for _, f, r in cases if r.any()]
    ranking = fit_ranking(usable, start=start, penalty=RANKING_PENALTY, bounds=ranking_bounds())
    tops, right, weights = [], [], []
    unanswerable = sum(not question.answerable for question, _, _ in cases)
    weight = UNANSWERABLE / (1 - UNANSWERABLE) * (len(cases) - unanswerable) / unanswerable
    for question, features, own_right in cases:
        if len(features):
            best = int(np.argmax(features @ ranking))
            tops.append(features[best])
            right.append(bool(own_right[best]))
            weights.append(1.0 if question.answerable else weight)
    support = fit_support(
        np.array(tops),
        np.array(right),
        weights=np.array(weights),
        penalty=SUPPORT_PENALTY,
        bounds=support_bounds(),
    )
    return ranking, support


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        copy_demo(Path(folder) / "desk")
        desk = Desk.open(Path(folder) / "desk", record=False)
        with demo_services(desk.folder):
            desk.gather()
        cases = collect(desk)
    first = right = declined = correct = 0
    answerable = [case for case in cases if case[0].answerable]
    for left_out, (question, features, own_right) in enumerate(cases):
        ranking, support = fit(cases[:left_out] + cases[left_out + 1 :])
        if not len(features):
            correct += not question.answerable
            continue
        best = int(np.argmax(features @ ranking))
        sure = float(support.probability(features[best][None, :])[0]) >= 0.5
        first += bool(own_right[best])
        right += bool(own_right[best]) and sure
        declined += not sure and not question.answerable
        correct += (bool(own_right[best]) and sure) or (not sure and not question.answerable)
    unanswerable = len(cases) - len(answerable)
    print(f"leave-one-out on {len(cases)} fit questions:")
    print(f"  a right unit is among the hits' units: {sum(r.any() for _, _, r in cases)}")
    print(f"  the best unit is right:                {first} of {len(answerable)}")
    print(f"  and the answer is given:               {right} of {len(answerable)}")
    print(f"  unanswerable and declined:             {declined} of {unanswerable}")
    ranking, support = fit(cases)
    print("RANKING = Features(")
    for name, value in zip(FEATURE_NAMES, ranking, strict=True):
        print(f"    {name}={value:.2f},")
    print(")\nSUPPORT = Features(")
    for name, value in zip(FEATURE_NAMES, support.weights, strict=True):
        print(f"    {name}={value:.2f},")
    print(f")\nINTERCEPT = {support.intercept:.2f}")


if __name__ == "__main__":
    main()
