"""The tables of one state: mean over collections and the worst, each with its collection."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import numpy as np
from results import (
    Result,
    is_derived,
    is_gone,
    is_strange,
    is_unanswered,
    is_written,
    not_answered,
    read_results,
    values,
)

from yonder_lantern.evaluation import (
    bootstrap_over_collections,
    brier_score,
    calibration_of,
    risk_coverage,
)

Which = Callable[[Result], bool]
Results = Mapping[str, Sequence[Result]]
_ANSWERED = 0.35  # share of the questions at which the risk is read
_COVERAGES = (0.1, 0.2, 0.35, 0.5, 0.75, 1.0)


def print_tables(folder: Path) -> None:
    results = read_results(folder)
    for title, which in (("written", is_written), ("derived", is_derived)):
        outcomes(title, results, which)
        ladder(title, results, which)
    unanswerable(results)
    for title, which in (("written", is_written), ("derived", is_derived)):
        sureness(title, results, which)
    by_kind(results)
    by_collection(results)


def outcomes(title: str, results: Results, which: Which) -> None:
    head(f"{title}: questions with an answer", "as shipped", "with nothing declined")
    for outcome in ("right", "partly", "wrong", "excerpt", "declined"):
        cells = [
            mean_and_worst(
                values(results, which, lambda one, k=key, o=outcome: one[k] == o),
                low_is_bad=outcome == "right",
            )
            for key in ("shipped", "outcome")
        ]
        row(outcome, *cells)
    shown = lambda one: one["shipped"] == "right" or one["excerpt_holds"]  # noqa: E731
    row("right, or an excerpt that holds it", mean_and_worst(values(results, which, shown)), "·")
    either = ("right", "partly")
    row(
        "right or partly",
        *(
            mean_and_worst(values(results, which, lambda one, k=key: one[k] in either))
            for key in ("shipped", "outcome")
        ),
    )


def ladder(title: str, results: Results, which: Which) -> None:
    """How much is left at each step, of all, and of those that the step before left."""
    head(f"{title}: where it is lost", "of all", "of the step before")
    steps: list[tuple[str, Which]] = [
        ("right document in the 5 best", lambda one: 0 < one["document"] <= 5),
        ("right passage before the answerer", lambda one: one["given"]),
        ("right answer, nothing declined", lambda one: one["outcome"] == "right"),
        ("right answer, as shipped", lambda one: one["shipped"] == "right"),
    ]
    before: Which = which
    for name, step in steps:
        of_all = values(results, which, step)
        of_before = values(results, before, step)
        row(name, mean_and_worst(of_all), mean_and_worst(of_before))
        before = lambda one, own=before, new=step: own(one) and new(one)  # noqa: E731
    for name, shown in (
        ("first passage as it is", "excerpt"),
        ("first three passages", "excerpts"),
    ):
        row(name, mean_and_worst(values(results, which, lambda one, k=shown: one[k])), "·")
    cited = values(results, which, lambda one: one["first_cited"])
    row("first citation in the right document, nothing declined", mean_and_worst(cited), "·")


def unanswerable(results: Results) -> None:
    head("questions without an answer, as shipped", "not answered", "declined outright")
    groups = (
        ("of another collection", is_strange),
        ("written, not answered there", is_unanswered),
        ("its own, the answer taken away", is_gone),
    )
    for name, which in groups:
        left = values(results, which, not_answered)
        declined = values(results, which, lambda one: one["shipped"] == "declined")
        row(name, mean_and_worst(left), mean_and_worst(declined))


def sureness(title: str, results: Results, which: Which) -> None:
    """How much support tells, over questions with an answer, and with all the others beside."""
    head(f"{title}: support", "with an answer", "and without")
    everything: Which = lambda one: which(one) or not one["answerable"]  # noqa: E731
    there = {name for name, own in results.items() if any(map(which, own))}
    results = {name: own for name, own in results.items() if name.removesuffix("-without") in there}
    area, risk, brier, curve = [], [], [], []
    for group in (which, everything):
        support = values(results, group, lambda one: one["support"])
        loss = values(results, group, lambda one: one["outcome"] != "right")
        curves = {name: risk_coverage(support[name], loss[name]) for name in support}
        area.append(worst_of({name: own.area for name, own in curves.items()}))
        risk.append(worst_of({name: own.risk_at(_ANSWERED) for name, own in curves.items()}))
        points = [np.mean([own.risk_at(at) for own in curves.values()]) for at in _COVERAGES]
        curve.append(" / ".join(f"{point:.2f}" for point in points))
        right = values(results, group, lambda one: one["outcome"] == "right")
        scores = {name: brier_score(own, right[name]) for name, own in support.items()}
        brier.append(worst_of(scores))
    row("area under the risk–coverage curve", *area)
    row(f"wrong where {_ANSWERED:.0%} are answered", *risk)
    shares = " / ".join(f"{at:.0%}" for at in _COVERAGES).replace("%", "")
    row(f"the curve: wrong where {shares} % are answered", *curve)
    row("Brier score", *brier)
    cells = []
    for group in (which, everything):
        pooled = [one for own in results.values() for one in own if group(one)]
        found = calibration_of(
            [one["support"] for one in pooled],
            [one["outcome"] == "right" for one in pooled],
            generator=np.random.default_rng(1),
        )
        cells.append(
            f"{found.error:.3f} ({len(pooled)} questions; {found.by_chance:.3f} by chance)"
        )
    row("calibration error, ten bins of equal mass, pooled", *cells)


def by_kind(results: Results) -> None:
    head("written, by kind", "questions", "right passage given", "right", "right or partly")
    own = [one for part in results.values() for one in part if is_written(one)]
    for kind in sorted({one["kind"] for one in own}):
        these = [one for one in own if one["kind"] == kind]
        row(
            kind,
            str(len(these)),
            f"{np.mean([one['given'] for one in these]):.2f}",
            f"{np.mean([one['outcome'] == 'right' for one in these]):.2f}",
            f"{np.mean([one['outcome'] in ('right', 'partly') for one in these]):.2f}",
        )


def by_collection(results: Results) -> None:
    head(
        "by collection, nothing declined",
        "written: right / partly / wrong",
        "derived: right / partly / wrong",
        "passage given: written / derived",
    )
    for name in results:
        if name.endswith("-without"):
            continue
        cells = []
        for which in (is_written, is_derived):
            these = [one for one in results[name] if which(one)]
            counts = [
                sum(one["outcome"] == o for one in these) for o in ("right", "partly", "wrong")
            ]
            cells.append(f"{' / '.join(map(str, counts))} of {len(these)}" if these else "·")
        given = [
            f"{np.mean([one['given'] for one in these]):.2f}"
            for which in (is_written, is_derived)
            if (these := [one for one in results[name] if which(one)])
        ]
        row(name, *cells, " / ".join(given))


def mean_and_worst(own: Mapping[str, Sequence[float]], *, low_is_bad: bool = True) -> str:
    """The mean over collections with its interval, and the worst collection's."""
    if not own:
        return "·"
    means = {name: float(np.mean(part)) for name, part in own.items()}
    pick = min if low_is_bad else max
    worst = pick(means, key=lambda name: means[name])
    found = bootstrap_over_collections(own, seed=1)
    return f"{found}; {means[worst]:.2f} {worst}"


def worst_of(figures: Mapping[str, float]) -> str:
    if not figures:
        return "·"
    worst = max(figures, key=lambda name: figures[name])
    return f"{np.mean(list(figures.values())):.3f}; {figures[worst]:.2f} {worst}"


def head(title: str, *columns: str) -> None:
    print(f"\n| {title} | {' | '.join(columns)} |")
    print("|---|" + "---|" * len(columns))


def row(name: str, *cells: str) -> None:
    print(f"| {name} | {' | '.join(cells)} |")
