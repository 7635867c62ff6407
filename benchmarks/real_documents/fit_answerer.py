"""Fit the built-in answerer on some collections and read it on the one left out.

    python benchmarks/real_documents/fit_answerer.py WORK [--write] [--why TEXT]

For each family of collections three things are fitted on all the others: how units rank, how likely
the best one is right (`support`), and how likely the passages of the best ones hold the answer
(`excerpt_support`). The penalty is chosen within the others, with each of their families left out
in turn, and both probabilities are fitted on families that the ranking has not seen. Only then the
family left out is read. Questions written by reading, those made of headings, terms and options,
and those whose headings are hidden (`-masked`) weigh the same, and so does every collection: the
few written ones would else be lost among the others. The demo's questions for fitting are one more
collection: they ask for what the real ones hardly do (rows, ranges, amounts). The collections in
`catalogue.UNSEEN` are neither fitted on nor read here.

``--write`` fits on all and writes src/yonder_lantern/answer/fitted_weights.py. What was read is
noted in looks.jsonl. Features are kept in WORK/features and used again while the questions and the
library's code stay.
"""

from __future__ import annotations

import argparse
import pickle
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import astuple, dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np
from asking import Asked, read_asked
from binding import digest
from catalogue import COLLECTIONS
from fingerprint import SOURCE, code
from judging import holds
from measure import note_look
from scipy.special import logsumexp
from tables import head, mean_and_worst, row, worst_of

from yonder_lantern import Desk
from yonder_lantern.answer import Composer
from yonder_lantern.answer.excerpts import MOST_PASSAGES, WIDEST_GAP
from yonder_lantern.answer.support import SIGN_NAMES
from yonder_lantern.answer.unit_features import FEATURE_NAMES
from yonder_lantern.conversation import full_question
from yonder_lantern.core import SearchResult
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.evaluation import (
    Ranked,
    brier_score,
    calibration_of,
    load_questions,
    nested,
    risk_coverage,
)
from yonder_lantern.evaluation.fitting.fit_weights import (
    FittedSupport,
    RankingCase,
    fit_ranking,
    fit_support,
)
from yonder_lantern.evaluation.measures.ranking import covered_together
from yonder_lantern.evaluation.questions.question_set import Span

WEIGHTS = SOURCE / "answer" / "fitted_weights.py"
PENALTIES = (0.001, 0.003, 0.01)
SUPPORT_PENALTY = 0.0005
_CASES = 80  # that ranking is fitted on, of each kind of question of each collection
_EACH_AT_MOST = 4  # times that one of few questions is taken
_ENOUGH = 20  # questions of a kind that weigh as much as all of another
_WIDEST_GAP = 5.0
_SIGNED = {"unknown": (None, 0.0)}
# Of support: what few questions tell of, but nobody doubts, counts at least so much.
_AT_LEAST = {"form": (0.4, None), "unknown": (None, -1.0)}
# Where the weights are drawn to: what few questions tell of, but nobody doubts.
_PRIOR = {"range": 2.0, "figures": 2.0, "codes": 1.0, "form": 1.0}
_FREE_SHAPES = frozenset("item row code paragraph definition introduced section length".split())


@dataclass(frozen=True)
class Case:
    """A question, the units found for it, and what of them is right.

    Attributes
    ----------
    desk : str
    kind : str
        ``written``, ``derived``, ``masked``, ``demo``, ``strange``, ``gone`` or ``unanswered``.
    features : array, shape (units, features)
    right : bool array, shape (units,)
    documents, hits : int arrays, shape (units,)
        Which document and which hit each is of.
    signs : array, shape (units, signs)
        Those that do not depend on how units rank; the others are put in.
    holding : bool array, shape (hits,)
    """

    desk: str
    kind: str
    features: np.ndarray
    right: np.ndarray
    documents: np.ndarray
    hits: np.ndarray
    signs: np.ndarray
    holding: np.ndarray

    @property
    def answerable(self) -> bool:
        return self.kind in ("written", "derived", "masked", "demo")


@dataclass(frozen=True)
class Model:
    """How units rank, and what their signs tell."""

    ranking: np.ndarray
    support: FittedSupport | None = None
    excerpt: FittedSupport | None = None

    def best(self, case: Case) -> tuple[int, np.ndarray]:
        """The best unit, and its signs, as `answer.support.signs_of` has them."""
        scores = case.features @ self.ranking
        at = int(np.argmax(scores))
        others = scores[case.documents != case.documents[at]]
        apart = scores[at] - others.max() if len(others) else _WIDEST_GAP
        signs = case.signs[at].copy()
        signs[SIGN_NAMES.index("gap")] = np.clip(apart / _WIDEST_GAP, -1, 1)
        signs[SIGN_NAMES.index("peak")] = np.exp(scores[at] - logsumexp(scores))
        return at, signs

    def held(self, case: Case) -> bool:
        """Whether the passages of the best units hold what is expected."""
        scores = case.features @ self.ranking
        near = [at for at in np.argsort(-scores) if scores[at] >= scores.max() - WIDEST_GAP]
        hits = list(dict.fromkeys(case.hits[near].tolist()))
        return bool(case.holding[hits[:MOST_PASSAGES]].any())


@dataclass(frozen=True)
class Read:
    """What a model made of a question."""

    case: Case
    right: bool
    held: bool
    support: float
    excerpt: float


def kind_of(asked: Asked) -> str:
    if asked.spots:
        masked = asked.id.endswith("-masked")
        return "masked" if masked else "derived" if asked.derived else "written"
    if "-of-" in asked.id:
        return "strange"
    return "gone" if asked.id.endswith("-gone") else "unanswered"


def collect(folder: Path, kept: Path) -> list[Case]:
    """The questions of one desk with their units; from a file, if made of them by this code."""
    questions = (folder / "asked.jsonl").read_text("utf-8")
    path = kept / f"{folder.name}-{digest(code(leave_out=WEIGHTS) + questions)}.pickle"
    if not path.exists():
        kept.mkdir(parents=True, exist_ok=True)
        desk = Desk.open(folder, record=False)
        composer = Composer(desk.settings.answer, desk.snapshot().embedding)
        found = [case_of(desk, composer, one) for one in read_asked(folder / "asked.jsonl")]
        path.write_bytes(pickle.dumps(found))
        print(f"{folder.name}: {len(found)} questions", flush=True)
    cases: list[Case] = pickle.loads(path.read_bytes())
    return [one for one in cases if len(one.features)]


def case_of(desk: Desk, composer: Composer, asked: Asked) -> Case:
    spans = [Span(spot.document, spot.body, spot.end, 1) for spot in asked.spots]
    whole = [Span(spot.document, spot.start, spot.end, 1) for spot in asked.spots]
    return made_of(
        desk.folder.name,
        kind_of(asked),
        desk.search(asked.question),
        composer,
        right=lambda unit: _answers(unit, spans, asked),
        held=lambda hit: any(holds(hit, span, asked) for span in whole),
    )


def collect_demo(folder: Path) -> list[Case]:
    """The demo's questions for fitting, asked as they are graded."""
    if not folder.exists():
        copy_demo(folder)
        with demo_services(folder):
            Desk.open(folder, record=False).gather()
    desk = Desk.open(folder, record=False)
    composer = Composer(desk.settings.answer, desk.snapshot().embedding)
    questions = load_questions(folder / "questions.jsonl")
    located = questions.located(lambda id_: getattr(desk.document(id_), "text", None))
    found = []
    for question, groups in zip(questions.questions, located, strict=True):
        if question.split != "fit":
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
        spans = [span for group in groups for span in group]

        def right(unit: Ranked, own: Sequence[Span] = spans) -> bool:
            return any(covered_together([unit], span) for span in own)

        kind = "demo" if groups else "unanswered"
        found.append(made_of("demo", kind, result, composer, right=right, held=right))
    return [one for one in found if len(one.features)]


def made_of(
    desk: str,
    kind: str,
    result: SearchResult,
    composer: Composer,
    *,
    right: Callable[[Ranked], bool],
    held: Callable[[Ranked], bool],
) -> Case:
    judged = composer.judge(result)
    found = [Ranked(hit.document, hit.start, hit.end) for hit in result.hits]
    names = {id_: at for at, id_ in enumerate(result.documents)}
    width = len(FEATURE_NAMES), len(SIGN_NAMES)
    return Case(
        desk,
        kind,
        np.array([astuple(one.features) for one in judged]).reshape(-1, width[0]),
        np.array([right(Ranked(*one.unit.span)) for one in judged], dtype=bool),
        np.array([names[one.unit.document.id] for one in judged], dtype=int),
        np.array([one.unit.rank - 1 for one in judged], dtype=int),
        np.array([astuple(one.signs) for one in judged]).reshape(-1, width[1]),
        np.array([held(one) for one in found], dtype=bool),
    )


def _answers(unit: Ranked, spans: Sequence[Span], asked: Asked) -> bool:
    """Whether a unit alone would be a right answer."""
    if not asked.derived:
        return any(covered_together([unit], span) for span in spans)
    return any(
        span.document == unit.document and span.start <= unit.start and unit.end <= span.end
        for span in spans
    )


def fit(groups: Sequence[Sequence[Case]], penalty: float) -> Model:
    """How units rank, fitted on some families: every kind of question as much as another."""
    generator = np.random.default_rng(1)
    chosen = []
    for cases in by_kind(groups).values():
        usable = [one for one in cases if one.right.any() and not one.right.all()]
        if usable:
            count = min(_CASES, _EACH_AT_MOST * len(usable))
            picked = generator.choice(len(usable), size=count)
            chosen += [RankingCase(usable[at].features, usable[at].right) for at in picked]
    bounds = [
        (None, None) if name in _FREE_SHAPES else _SIGNED.get(name, (0.0, None))
        for name in FEATURE_NAMES
    ]
    start = np.array([_PRIOR.get(name, 0.0) for name in FEATURE_NAMES])
    return Model(fit_ranking(chosen, start=start, penalty=penalty, bounds=bounds))


def loss(model: Model, group: Sequence[Case]) -> float:
    """The share of questions whose best unit is wrong, of those with a right one."""
    wrong = [
        np.mean([not case.right[model.best(case)[0]] for case in usable])
        for cases in by_kind([group]).values()
        if (usable := [case for case in cases if case.right.any()])
    ]
    return float(np.mean(wrong))


def calibrate(model: Model, seen: Sequence[tuple[Model, Sequence[Case]]]) -> Model:
    """Fit both probabilities on families that the ranking has not seen (Platt 1999)."""
    signs, right, held, weights = [], [], [], []
    for own, group in seen:
        for cases in by_kind([group]).values():
            for case in cases:
                at, told = own.best(case)
                if not told[SIGN_NAMES.index("reading")]:
                    continue  # of another language: what it is judged by is fitted apart
                signs.append(told)
                right.append(bool(case.right[at]))
                held.append(own.held(case))
                weights.append(min(1.0, len(cases) / _ENOUGH) / len(cases))
    bounds = [_AT_LEAST.get(name, (0.0, None)) for name in SIGN_NAMES]

    def fitted(labels: Sequence[bool]) -> FittedSupport:
        return fit_support(
            np.array(signs),
            np.array(labels),
            weights=np.array(weights),
            penalty=SUPPORT_PENALTY,
            bounds=bounds,
        )

    return replace(model, support=fitted(right), excerpt=fitted(held))


def read(model: Model, cases: Sequence[Case]) -> list[Read]:
    found = []
    for case in cases:
        at, signs = model.best(case)
        assert model.support
        assert model.excerpt
        found.append(
            Read(
                case,
                bool(case.right[at]),
                model.held(case),
                float(model.support.probability(signs)),
                float(model.excerpt.probability(signs)),
            )
        )
    return found


def by_kind(groups: Sequence[Sequence[Case]]) -> dict[tuple[str, str], list[Case]]:
    """The questions of each kind, of each collection."""
    found: dict[tuple[str, str], list[Case]] = defaultdict(list)
    for case in (one for group in groups for one in group):
        found[collection_of(case), case.kind].append(case)
    return found


def collection_of(case: Case) -> str:
    return case.desk.removesuffix("-without").removesuffix("-masked")


def tell(found: Sequence[Read], answer_from: float, excerpt_from: float) -> None:
    """What became of the questions left out, at two thresholds."""
    kinds = ("written", "masked", "derived", "demo")
    head("families left out", *kinds)

    def line(name: str, figure: Callable[[Read], float], *, low_is_bad: bool = True) -> None:
        row(name, *(mean_and_worst(_of(found, kind, figure), low_is_bad=low_is_bad)
                    for kind in kinds))  # fmt: skip

    answered = lambda one: one.support >= answer_from  # noqa: E731
    shown = lambda one: not answered(one) and one.excerpt >= excerpt_from  # noqa: E731
    line("best unit right, nothing declined", lambda one: one.right)
    line("passages of the best units hold it", lambda one: one.held)
    line("a right unit among those found", lambda one: one.case.right.any())
    line("answered", answered)
    line("answered, right", lambda one: answered(one) and one.right)
    line("answered, wrong", lambda one: answered(one) and not one.right, low_is_bad=False)
    line("excerpt", shown)
    line("excerpt, holds it", lambda one: shown(one) and one.held)
    line("right, or an excerpt that holds it",
         lambda one: one.right if answered(one) else shown(one) and one.held)  # fmt: skip
    curves = []
    for kind in kinds:
        own = _of(found, kind, lambda one: one)
        curves.append({
            desk: risk_coverage([one.support for one in part], [not one.right for one in part])
            for desk, part in own.items()
        })  # fmt: skip
    at_35 = [{desk: one.risk_at(0.35) for desk, one in own.items()} for own in curves]
    areas = [{desk: one.area for desk, one in own.items()} for own in curves]
    row("wrong where 35 % are answered", *map(worst_of, at_35))
    row("area under the risk–coverage curve", *map(worst_of, areas))
    kinds = ("strange", "gone", "unanswered")
    head("questions without an answer", *kinds)
    line("not answered", lambda one: not answered(one))
    line("declined outright", lambda one: not answered(one) and not shown(one))
    support, right = [one.support for one in found], [one.right for one in found]
    for name, sure, true in (
        ("support", support, right),
        ("excerpt support", [one.excerpt for one in found], [one.held for one in found]),
    ):
        error = calibration_of(sure, true, generator=np.random.default_rng(1))
        print(f"{name}: calibration error {error.error:.3f} ({error.by_chance:.3f} by chance, "
              f"{len(sure)} questions), Brier score {brier_score(sure, true):.3f}")  # fmt: skip


def _of(found: Sequence[Read], kind: str, figure: Callable[[Read], float]) -> dict[str, list]:
    values: dict[str, list] = defaultdict(list)
    for one in found:
        if one.case.kind == kind:
            values[collection_of(one.case)].append(figure(one))
    return values


def write(model: Model) -> None:
    """Put a model's weights in place of those that ship."""
    assert model.support
    assert model.excerpt
    tables = (
        ("RANKING", FEATURE_NAMES, model.ranking, None),
        ("SUPPORT", SIGN_NAMES, model.support.weights, model.support.intercept),
        ("EXCERPT", SIGN_NAMES, model.excerpt.weights, model.excerpt.intercept),
    )
    text = WEIGHTS.read_text("utf-8").partition("RANKING = {")[0]
    for name, keys, weights, intercept in tables:
        pairs = zip(keys, np.round(weights, 3) + 0.0, strict=True)
        text += f"{name} = {{\n" + "".join(f'    "{k}": {w:g},\n' for k, w in pairs) + "}\n"
        if intercept is not None:
            text += f"{name}_INTERCEPT = {intercept:.3f}\n"
    WEIGHTS.write_text(text, "utf-8")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("work", type=Path)
    parser.add_argument("--write", action="store_true", help="also write the weights that ship")
    parser.add_argument(
        "--penalty", type=float, help="with --write: fit on all with it, and no more"
    )
    parser.add_argument("--answer-from", type=float, default=0.45)
    parser.add_argument("--excerpt-from", type=float, default=0.2)
    parser.add_argument("--why", default="the answerer fitted on the others, read here")
    given = parser.parse_args()
    families: dict[str, list[Case]] = defaultdict(list)
    folders = [
        (one.family, folder)
        for one in COLLECTIONS
        for folder in (given.work / f"{one.name}{part}" for part in ("", "-without", "-masked"))
        if (folder / "asked.jsonl").exists()
    ]
    with ProcessPoolExecutor(2) as pool:
        kept = partial(collect, kept=given.work / "features")
        for (family, _), cases in zip(
            folders, pool.map(kept, [folder for _, folder in folders]), strict=True
        ):
            families[family] += cases
    families["demo"] = collect_demo(given.work / "demo")
    if given.write and given.penalty:
        write(final(families, given.penalty))
        return
    found = []
    options = []
    for one in nested(families, PENALTIES, fit=fit, loss=loss, calibrate=calibrate):
        print(f"{one.group}: penalty {one.option:g}", flush=True)
        options.append(one.option)
        found += read(one.model, families[one.group])
    note_look(list(families), "the answerer fitted without each", given.why)
    tell(found, given.answer_from, given.excerpt_from)
    if given.write:
        write(final(families, float(np.median(options))))


def final(families: Mapping[str, Sequence[Case]], penalty: float) -> Model:
    """The model of all families, its probabilities those of families left out of the ranking."""
    seen = [
        (fit([other for name, other in families.items() if name != left_out], penalty), own)
        for left_out, own in families.items()
    ]
    return calibrate(fit(list(families.values()), penalty), seen)


if __name__ == "__main__":
    main()
