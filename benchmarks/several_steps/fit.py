"""Fit the weights of paths, the test for questions of several steps, and the support of answers.

    python benchmarks/several_steps/fit.py WORK [--write]

WORK holds the collections that `real_documents/make.py` made, and `demo`, a gathered demo. Fitted
on the demo's questions of the split `fit` and on the first collection; the demo's others and the
second collection are only read. Plain questions, of which one passage answers each, are those of
the demo and of three collections.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from dataclasses import astuple, replace
from pathlib import Path

import numpy as np
from chained import SETS, Chained, read, texts_of
from sklearn.linear_model import LogisticRegression

from yonder_lantern import Desk
from yonder_lantern.answer import Composer, Unit, pair_in
from yonder_lantern.core import SearchResult, query_of
from yonder_lantern.evaluation import load_questions
from yonder_lantern.evaluation.questions import span_of
from yonder_lantern.knowledge.steps import path_weights, weigh_path
from yonder_lantern.knowledge.steps.follow_chain import Follower
from yonder_lantern.knowledge.steps.follow_chain import Path as Taken
from yonder_lantern.knowledge.steps.link_signs import SIGN_NAMES
from yonder_lantern.knowledge.steps.read_question import chains_in
from yonder_lantern.knowledge.steps.taken import Search
from yonder_lantern.knowledge.steps.what_is_cited import cited_units
from yonder_lantern.search import find

AS_OF = {"demo": "2026-11-01"}
PLAIN = ("demo", "django", "putty", "python-faq", "anarchism", "apcupsd")
MOST_PLAIN = 60  # of each set, those that can be taken apart first
SEARCHES = 12
PENALTY = 3.0
Spans = list[list[tuple[str, int, int]]]


class Asked:
    """A question with what was found for it."""

    def __init__(self, id_: str, split: str, spans: Spans) -> None:
        self.id, self.split, self.spans = id_, split, spans
        self.way = ""
        self.plain: weigh_path.PlainSigns | None = None
        self.paths: list[Taken] = []
        self.good: list[bool] = []


def searching(
    desk: Desk, name: str, hidden: frozenset[str]
) -> tuple[Composer, Callable[[str, str], SearchResult]]:
    """What judges and what searches, as if some documents were not there."""
    snapshot = desk.snapshot()
    parts = {"as_of": AS_OF[name]} if name in AS_OF else {}

    def search(question: str, more: str = "") -> SearchResult:
        asked = replace(desk.resolve(query_of(question, parts)), background=more)  # type: ignore
        found = find(snapshot, desk.settings.find, asked)
        hits = tuple(hit for hit in found.hits if hit.document not in hidden)
        return replace(found, hits=hits) if hidden and hits else found

    return Composer(desk.settings.answer, snapshot.embedding), search


def at_most(count: int, search: Callable[[str, str], SearchResult]) -> Search:
    """The same search, which gives None after so many."""
    left = iter(range(count))
    return lambda question, more: None if next(left, None) is None else search(question, more)


def ask(
    desk: Desk,
    name: str,
    id_: str,
    split: str,
    question: str,
    spans: Spans,
    hidden: frozenset[str] = frozenset(),
) -> Asked:
    """What one search and all paths give for a question."""
    composer, search = searching(desk, name, hidden)
    own = Asked(id_, split, spans)
    chains = chains_in(question)
    if not chains or pair_in(question):
        return own
    own.way = chains[0].way
    judged = composer.judge(search(question))
    own.plain = weigh_path.plain_signs(judged, chains[0].way)
    own.paths = list(Follower(composer, at_most(SEARCHES, search)).follow(chains))
    own.good = [not hidden and _is_right(path, spans) for path in own.paths]
    return own


def _is_right(path: Taken, spans: Spans) -> bool:
    units = cited_units(path)
    if len(units) != len(spans):
        return False
    return all(
        any(_covers(unit, span) for span in group) for unit, group in zip(units, spans, strict=True)
    )


def _covers(unit: Unit, span: tuple[str, int, int]) -> bool:
    document, start, end = span
    held = min(unit.end, end) - max(unit.start, start)
    return unit.document.id == document and 2 * held >= end - start


def of_several(desk: Desk, name: str) -> list[Asked]:
    texts = texts_of(desk)
    return [
        ask(
            desk,
            name,
            one.question.id,
            one.question.split,
            one.question.question,
            _spans(one, texts),
        )
        for one in read(name, desk)
        if one.question.kind != "comparison"
    ]


def without_evidence(desk: Desk, name: str) -> list[Asked]:
    """The same questions without the documents of their first step: nothing found is right."""
    texts = texts_of(desk)
    found = []
    for one in read(name, desk):
        if one.question.kind == "comparison":
            continue
        hidden = frozenset(each.document for each in one.question.expected[0])
        own = one.question
        found.append(ask(desk, name, own.id, own.split, own.question, _spans(one, texts), hidden))
    return found


def _spans(one: Chained, texts: dict[str, str]) -> Spans:
    found: Spans = []
    for group in one.question.expected:
        spans = [span_of(texts[each.document], each) for each in group]
        found.append([(each.document, each.start, each.end) for each in spans if each])
    return found


def of_plain(desk: Desk, name: str, path: Path) -> list[Asked]:
    questions = [
        one
        for one in load_questions(path).questions
        if chains_in(one.question) and not one.turns and one.audience is None
    ]
    questions.sort(key=lambda one: chains_in(one.question)[0].way in ("of", "described"))
    return [ask(desk, name, one.id, one.split, one.question, []) for one in questions[:MOST_PLAIN]]


def fit_paths(asked: Sequence[Asked]) -> dict[str, float]:
    """Weights that put the right paths before the others: logistic, on differences."""
    rows, weights = [], []
    for one in asked:
        signs = [np.mean([astuple(link) for link in path.signs], axis=0) for path in one.paths]
        good = [own for own, right in zip(signs, one.good, strict=True) if right]
        bad = [own for own, right in zip(signs, one.good, strict=True) if not right]
        for better in good:
            for worse in bad:
                rows.append(better - worse)
                weights.append(1 / len(good) / len(bad))
    table = np.concatenate([rows, -np.array(rows)])
    right = np.r_[np.ones(len(rows)), np.zeros(len(rows))]
    model = LogisticRegression(C=PENALTY, fit_intercept=False, max_iter=5000)
    model.fit(table, right, sample_weight=np.r_[weights, weights])
    return dict(zip(SIGN_NAMES, (round(float(own), 3) for own in model.coef_[0]), strict=True))


def fit_needs(several: Sequence[Asked], plain: Sequence[Asked]) -> tuple[dict[str, float], float]:
    rows = [astuple(one.plain) for one in (*several, *plain) if one.plain]
    right = [1] * sum(one.plain is not None for one in several)
    right += [0] * (len(rows) - len(right))
    return _fitted(rows, right, weigh_path.PLAIN_NAMES)


def best_of(one: Asked) -> tuple[weigh_path.ChosenSigns, bool] | None:
    """The signs of a question's best path, and whether it is right."""
    if not one.paths or one.plain is None:
        return None
    scored = [(weigh_path.score_of(path), path) for path in one.paths]
    at = max(range(len(scored)), key=lambda each: scored[each][0])
    needs = weigh_path.needs_steps(one.plain)
    signs = weigh_path.chosen_signs(scored[at][1], scored[at][0], scored, needs, one.plain.support)
    return signs, one.good[at]


def fit_support(several: Sequence[Asked], plain: Sequence[Asked]) -> tuple[dict[str, float], float]:
    best = [own for one in (*several, *plain) if (own := best_of(one))]
    return _fitted(
        [astuple(own) for own, _ in best],
        [int(right) for _, right in best],
        weigh_path.CHOSEN_NAMES,
    )


def _fitted(
    rows: Sequence[tuple[float, ...]], right: Sequence[int], names: Sequence[str]
) -> tuple[dict[str, float], float]:
    model = LogisticRegression(C=1.0, max_iter=5000).fit(np.array(rows), right)
    weights = dict(zip(names, (round(float(own), 3) for own in model.coef_[0]), strict=True))
    return weights, round(float(model.intercept_[0]), 3)


def tell(name: str, asked: Sequence[Asked]) -> None:
    best = [own for one in asked if (own := best_of(one))]
    reached = sum(any(one.good) for one in asked)
    right = sum(own for _, own in best)
    sure = [(signs, own) for signs, own in best if weigh_path.support_of(signs) >= 0.3]
    print(
        f"{name}: {len(asked)} chains, a right path among those tried for {reached}, best one "
        f"right for {right}; shown (support 0.3 or more) {len(sure)}, "
        f"right {sum(own for _, own in sure)}"
    )


def main() -> None:
    work = Path(sys.argv[1])
    desks = {name: Desk.open(work / name, record=False) for name in {*SETS, *PLAIN}}
    several = {name: of_several(desks[name], name) for name in SETS}
    plain = {name: of_plain(desks[name], name, work / name / "questions.jsonl") for name in PLAIN}
    fitting = [one for one in several["demo"] if one.split == "fit"] + several["debian-handbook"]
    bare = {name: without_evidence(desks[name], name) for name in SETS}
    empty = [one for one in bare["demo"] if one.split == "fit"] + bare["debian-handbook"]
    every_plain = [one for own in plain.values() for one in own]
    _set("PATH", fit_paths(fitting))
    needs, intercept = fit_needs(fitting, every_plain)
    _set("NEEDS", needs)
    weigh_path.NEEDS_INTERCEPT = intercept
    supports, of_support = fit_support([*fitting, *empty], every_plain)
    _set("SUPPORT", supports)
    weigh_path.SUPPORT_INTERCEPT = of_support
    tell("demo, fitted", [one for one in several["demo"] if one.split == "fit"])
    tell("demo, test", [one for one in several["demo"] if one.split == "test"])
    for name in SETS[1:]:
        tell(name, several[name])
    tell("demo, fitted, first step hidden", [one for one in bare["demo"] if one.split == "fit"])
    tell("demo, test, first step hidden", [one for one in bare["demo"] if one.split == "test"])
    for name in SETS[1:]:
        tell(f"{name}, first step hidden", bare[name])
    for name, own in plain.items():
        asked = [one for one in own if one.plain]
        sent = [one for one in asked if weigh_path.needs_steps(one.plain) >= 0.5]  # type: ignore
        shown = [
            one for one in sent if (best := best_of(one)) and weigh_path.support_of(best[0]) >= 0.3
        ]
        print(
            f"plain {name}: {len(asked)} can be taken apart, {len(sent)} sent on, "
            f"{len(shown)} answered so"
        )
    if "--write" in sys.argv:
        write()


def _set(name: str, weights: dict[str, float]) -> None:
    for module in (weigh_path, path_weights):
        setattr(module, name, weights)


def write() -> None:
    lines = ['"""Weights of the steps, written by benchmarks/several_steps/fit.py."""', "",
             "from __future__ import annotations"]  # fmt: skip
    for name in ("PATH", "NEEDS", "SUPPORT"):
        own = getattr(weigh_path, name)
        lines += [
            "",
            f"{name} = {{",
            *(f'    "{sign}": {weight},' for sign, weight in own.items()),
            "}",
        ]
        if name != "PATH":
            lines.append(f"{name}_INTERCEPT = {getattr(weigh_path, f'{name}_INTERCEPT')}")
    target = Path(path_weights.__file__)
    target.write_text("\n".join(lines) + "\n", encoding="utf-8")
    print(f"written: {target.name}")


if __name__ == "__main__":
    main()
