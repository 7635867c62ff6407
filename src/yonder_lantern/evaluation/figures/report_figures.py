"""The figures of a report: recall over k, questions, failures, calibration, risk, runs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from ..calibration import calibration_of, risk_coverage
from ..failures import Rung
from ..grading import Grades, QuestionGrade
from .grades_figure import AMBER, INK, PAPER, SAND, SEA, SHALLOW

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_DEPTHS = (1, 2, 3, 5, 8, 10, 15, 20, 30, 50)
_OUTCOMES = (
    ("right", SEA, ""),
    ("excerpt that holds it", SAND, "\\\\\\"),
    ("excerpt", SHALLOW, "..."),
    ("declined", "#c9d3d8", "xxx"),
    ("wrong", AMBER, "///"),
)
_A_ROW = 40  # questions of the strip


def recall_figure(grades: Grades) -> Figure:
    """Recall and success over k, with 95 % intervals."""
    figure, axes = new_figure(6.2, 3.6)
    for name, colour, style, marker in (("recall", SEA, "-", "o"), ("success", AMBER, "--", "s")):
        found = [grades.measure(f"{name}@{depth}") for depth in _DEPTHS]
        axes.plot(_DEPTHS, [one.mean for one in found], style, color=colour, marker=marker,
                  markersize=4, label=f"{name}@k")  # fmt: skip
        axes.fill_between(
            _DEPTHS,
            [one.low for one in found],
            [one.high for one in found],
            color=colour,
            alpha=0.15,
            linewidth=0,
        )
    axes.set_xscale("log")
    axes.set_xticks(_DEPTHS, [str(one) for one in _DEPTHS])
    axes.minorticks_off()
    axes.set_xlabel("k")
    axes.set_ylim(0, 1.02)
    axes.grid(axis="y", color=INK, alpha=0.12)
    axes.legend(frameon=False, loc="lower right", labelcolor=INK)
    return figure


def strip_figure(grades: Grades) -> Figure:
    """Every question as a square, kind by kind, with what became of it."""
    from matplotlib.patches import Rectangle

    kinds = list(dict.fromkeys(one.kind for one in grades.questions))
    lines: list[tuple[str, tuple[QuestionGrade, ...]]] = []
    for kind in kinds:
        own = [one for one in grades.questions if one.kind == kind]
        order = {label: number for number, (label, _, _) in enumerate(_OUTCOMES)}
        own.sort(key=lambda one: order[one.outcome])
        for start in range(0, len(own), _A_ROW):
            label = f"{kind.replace('_', ' ')}, {len(own)}" if not start else ""
            lines.append((label, tuple(own[start : start + _A_ROW])))
    figure, axes = new_figure(12.4, 0.6 + 0.21 * len(lines))
    styles = {label: (colour, hatch) for label, colour, hatch in _OUTCOMES}
    for row, (_, there) in enumerate(lines):
        for column, one in enumerate(there):
            colour, hatch = styles[one.outcome]
            axes.add_patch(
                Rectangle((column, -row), 0.86, 0.8, facecolor=colour, hatch=hatch,
                          edgecolor=PAPER, linewidth=0)
            )  # fmt: skip
    axes.set_xlim(0, _A_ROW)
    axes.set_ylim(-len(lines) + 0.9, 1)
    axes.set_yticks([-row + 0.4 for row in range(len(lines))], [label for label, _ in lines])
    axes.set_xticks([])
    axes.spines[["left", "bottom"]].set_visible(False)
    axes.tick_params(length=0)
    handles = [
        Rectangle((0, 0), 1, 1, facecolor=colour, hatch=hatch, edgecolor=PAPER, label=label)
        for label, colour, hatch in _OUTCOMES
    ]
    figure.legend(handles=handles, frameon=False, ncols=5, loc="outside lower center",
                  labelcolor=INK)  # fmt: skip
    return figure


def ladder_figure(rungs: Sequence[Rung]) -> Figure:
    """How many answerable questions get how far, and what is lost at each step."""
    figure, axes = new_figure(6.2, 3.6)
    names = [rung.name for rung in rungs][::-1]
    reached = [rung.reached for rung in rungs][::-1]
    lost = [rung.lost for rung in rungs][::-1]
    axes.barh(names, reached, color=SEA, label="get this far")
    axes.barh(names, lost, left=reached, color=AMBER, hatch="///", edgecolor=PAPER,
              label="lost here")  # fmt: skip
    for number, (own, gone) in enumerate(zip(reached, lost, strict=True)):
        if gone:
            axes.text(own + gone, number, f" {gone}", va="center", color=INK, fontsize=9)
    axes.set_xlabel("answerable questions")
    figure.legend(frameon=False, ncols=2, loc="outside lower center", labelcolor=INK)
    return figure


def reliability_figure(grades: Grades) -> Figure:
    """Support against the share that is right, of what was answered."""
    figure, axes = new_figure(6.2, 3.6)
    given = [one for one in grades.questions if one.answered]
    found = calibration_of(
        [one.support for one in given],
        [one.right for one in given],
        generator=np.random.default_rng(grades.seed),
        bins=min(10, max(2, len(given) // 10)),
    )
    axes.plot([0, 1], [0, 1], ":", color=INK, label="as it should be")
    axes.plot([one.support for one in found.bins], [one.right for one in found.bins], "-o",
              color=SEA, label=f"{len(given)} answers")  # fmt: skip
    for one in found.bins:
        axes.annotate(str(one.count), (one.support, one.right), textcoords="offset points",
                      xytext=(5, -11), fontsize=8, color=INK)  # fmt: skip
    axes.set_xlim(0, 1)
    axes.set_ylim(0, 1.02)
    axes.set_xlabel("support")
    axes.set_ylabel("share right")
    axes.legend(frameon=False, loc="upper left", labelcolor=INK)
    return figure


def risk_figure(grades: Grades, threshold: float) -> Figure:
    """Of the questions answered, the share that is wrong, for each share answered."""
    figure, axes = new_figure(6.2, 3.6)
    answerable = [one for one in grades.questions if one.answered or one.answerable]
    curve = risk_coverage(
        [one.support if one.answered else -1.0 for one in answerable],
        [0.0 if one.right else 1.0 for one in answerable],
    )
    given = sum(one.answered for one in answerable)
    share = given / max(1, len(answerable))
    shown = curve.coverage <= share + 1e-9
    axes.plot(curve.coverage[shown], curve.risk[shown], color=SEA)
    if given:
        axes.plot([share], [curve.risk_at(share)], "D", color=AMBER, markersize=7)
        axes.annotate(
            f"as it is: support of {threshold:g} and more",
            (share, curve.risk_at(share)),
            textcoords="offset points",
            xytext=(0, -16),
            ha="center",
            va="top",
            color=INK,
            fontsize=9,
        )
    axes.set_xlim(0, 1)
    axes.set_ylim(0, max(0.3, float(curve.risk[shown].max(initial=0.0)) * 1.25))
    axes.set_xlabel("share of the questions answered, the surest first")
    axes.set_ylabel("share of those wrong")
    axes.grid(axis="y", color=INK, alpha=0.12)
    return figure


def runs_figure(results: Sequence[Grades]) -> Figure:
    """Some measures over the results of one question set, the earliest first."""
    figure, axes = new_figure(6.2, 3.6)
    places = range(len(results))
    for name, colour, style, marker in (
        ("recall@5", SEA, "-", "o"),
        ("right", AMBER, "--", "s"),
        ("answered wrongly", INK, ":", "^"),
    ):
        found = [one.measure(name) for one in results]
        spread = (
            [one.mean - one.low for one in found],
            [one.high - one.mean for one in found],
        )
        axes.errorbar(places, [one.mean for one in found], yerr=spread, color=colour,
                      linestyle=style, marker=marker, markersize=4, capsize=2,
                      label=name)  # fmt: skip
    axes.set_xticks(list(places), [one.at[5:16].replace("T", "\n") for one in results], fontsize=8)
    axes.set_ylim(0, 1.02)
    axes.grid(axis="y", color=INK, alpha=0.12)
    figure.legend(frameon=False, ncols=3, loc="outside lower center", labelcolor=INK)
    return figure


def new_figure(width: float, height: float) -> tuple[Figure, Any]:
    """An empty figure in inches, and its axes."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width, height), dpi=100, facecolor=PAPER, layout="constrained")
    axes = figure.subplots()
    axes.set_facecolor(PAPER)
    axes.spines[["top", "right"]].set_visible(False)
    axes.tick_params(colors=INK)
    return figure, axes
