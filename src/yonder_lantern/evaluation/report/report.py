"""What a report holds, and its figures."""

from __future__ import annotations

import io
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from ..failures import Failure, Rung, ladder
from ..grading import Grades

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_MOST_RESULTS = 12
_ID = re.compile(r"""(\bid="|href="#|url\(#)""")


@dataclass(frozen=True, slots=True)
class Report:
    """What a report holds.

    Attributes
    ----------
    name : str
        Of the desk.
    grades : Grades
    failures : tuple of Failure
    rungs : tuple of Rung
    earlier : Grades or None
    results : tuple of Grades
        Of the same question set, the earliest first.
    """

    name: str
    grades: Grades
    failures: tuple[Failure, ...]
    rungs: tuple[Rung, ...]
    earlier: Grades | None
    results: tuple[Grades, ...]


@dataclass(frozen=True, slots=True)
class ReportFigure:
    """A figure with what it says in words: for those who cannot see it, and for its file."""

    name: str
    title: str
    told: str
    figure: Figure


def report_of(
    name: str,
    grades: Grades,
    failures: Sequence[Failure],
    earlier: Grades | None = None,
    results: Sequence[Grades] = (),
) -> Report:
    """Put a report together.

    Parameters
    ----------
    name : str
    grades : Grades
    failures : sequence of Failure
    earlier : Grades, optional
    results : sequence of Grades
        The latest first; those of other question sets are left out.
    """
    same = [one for one in results if one.asked == grades.asked][:_MOST_RESULTS]
    return Report(
        name, grades, tuple(failures), tuple(ladder(grades, failures)), earlier, tuple(same[::-1])
    )


def figures_of(report: Report) -> list[ReportFigure]:
    """The figures of a report."""
    from ..figures import (
        different_settings,
        ladder_figure,
        recall_figure,
        reliability_figure,
        risk_figure,
        runs_figure,
        strip_figure,
        trade_off_figure,
    )

    grades = report.grades
    found = [
        ReportFigure(
            "questions",
            "Every question",
            "One square a question, by kind: " + _outcomes(grades),
            strip_figure(grades),
        )
    ]
    if any(one.answerable for one in grades.questions):
        five = grades.measure("recall@5")
        found.append(
            ReportFigure(
                "recall",
                "Recall over k",
                f"Recall at 5 is {five.mean:.2f}, at 10 {grades.measure('recall@10').mean:.2f}.",
                recall_figure(grades),
            )
        )
        lost = max(report.rungs, key=lambda one: one.lost)
        told = f"Most are lost at: {lost.name}, {lost.lost}." if lost.lost else "None is lost."
        found.append(ReportFigure("ladder", "Where questions are lost", told,
                                  ladder_figure(report.rungs)))  # fmt: skip
    if any(one.answered for one in grades.questions):
        threshold = float((grades.settings.get("answer") or {}).get("min_support", 0.0))
        found.append(
            ReportFigure(
                "reliability",
                "Whether support is what it says",
                "Each point: answers of about the same support, and the share of them right.",
                reliability_figure(grades),
            )
        )
        wrong = grades.measure("answered wrongly")
        found.append(
            ReportFigure(
                "risk",
                "Risk and coverage",
                f"As it is, {wrong.mean:.0%} of the answerable questions are answered wrongly.",
                risk_figure(grades, threshold),
            )
        )
    if len(report.results) > 1:
        found.append(
            ReportFigure(
                "runs",
                "Over time",
                f"The last {len(report.results)} results of this question set.",
                runs_figure(report.results),
            )
        )
    varied = different_settings(grades, report.results)
    if len(varied) > 1:
        found.append(
            ReportFigure(
                "trade-offs",
                "Quality against time",
                f"The latest result of each of {len(varied)} settings; filled: no other is right "
                "more often in less time.",
                trade_off_figure(grades, varied),
            )
        )
    return found


def write_figures(report: Report, folder: Path) -> list[Path]:
    """Draw a report's figures into a folder, each as PNG and as SVG; their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for one in figures_of(report):
        for suffix in (".png", ".svg"):
            path = folder / f"{one.name}{suffix}"
            one.figure.savefig(path, facecolor=one.figure.get_facecolor())
            paths.append(path)
    return paths


def as_svg(shown: ReportFigure) -> str:
    """A figure as an SVG element, without what precedes one in a file; its ids are its own."""
    from matplotlib import rc_context

    written = io.StringIO()
    figure = shown.figure
    with rc_context({"svg.fonttype": "path", "svg.hashsalt": "report"}):
        ground = figure.get_facecolor()
        figure.savefig(written, format="svg", facecolor=ground, metadata={"Date": None})
    text = written.getvalue()
    return _ID.sub(rf"\1{shown.name}-", text[text.index("<svg") :])


def _outcomes(grades: Grades) -> str:
    counts = Counter(one.outcome for one in grades.questions)
    return ", ".join(f"{count} {name}" for name, count in counts.most_common()) + "."
