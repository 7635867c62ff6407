"""Quality against time: of a comparison's variants, and of the results of a question set."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ..grading import Grades
from ..statistics import Interval, pareto_optimal
from .grades_figure import AMBER, INK, PAPER, SEA, SHALLOW, require_figures
from .report_figures import new_figure

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from ..comparison import Comparison

_Point = tuple[str, float, Interval, bool]  # its name, milliseconds, quality, whether unbeaten
_TOLD = 2  # settings that a label names


def draw_comparison(comparison: Comparison, path: Path) -> None:
    """Draw each setting by what decides and by its time into a file; its suffix says the kind.

    Those that no other setting beats in both are filled and joined.

    Raises
    ------
    MissingExtraError
        Matplotlib is not installed.
    CallError
        The suffix is none that can be drawn.
    """
    require_figures(path)
    best = set(comparison.trade_offs())
    figure, axes = new_figure(9.6, 5.2)
    points = [
        (
            one.variant.name,
            one.grades.measure("milliseconds").mean,
            one.grades.measure(comparison.by),
            one.variant.name in best,
        )
        for one in comparison.results
        if one.grades is not None
    ]
    _draw(axes, points, comparison.by)
    axes.set_title(
        "Quality against time; filled: no other setting is better in both", color=INK, loc="left"
    )
    figure.savefig(path, facecolor=PAPER)


def trade_off_figure(grades: Grades, results: Sequence[Grades]) -> Figure:
    """Results with different settings, by the share right and by time; the reported one is named.

    Parameters
    ----------
    grades : Grades
    results : sequence of Grades
        As `different_settings` gives them.
    """
    figure, axes = new_figure(6.2, 3.6)
    found = [(one.measure("milliseconds").mean, one.measure("right")) for one in results]
    best = pareto_optimal([(right.mean, time) for time, right in found])
    points = [
        (_told_apart(one, grades), time, right, unbeaten)
        for one, (time, right), unbeaten in zip(results, found, best, strict=True)
    ]
    _draw(axes, points, "right")
    return figure


def different_settings(grades: Grades, results: Sequence[Grades]) -> list[Grades]:
    """The latest result of each settings, the reported one for its own; the earliest first."""
    latest = {repr(one.settings): one for one in results}
    latest[repr(grades.settings)] = grades
    return list(latest.values())


def _draw(axes: Axes, points: Sequence[_Point], quality: str) -> None:
    joined = sorted((time, own.mean) for _, time, own, best in points if best)
    axes.plot([time for time, _ in joined], [mean for _, mean in joined], "-", color=SHALLOW)
    for name, time, own, best in points:
        axes.errorbar(
            [time],
            [own.mean],
            yerr=[[own.mean - own.low], [own.high - own.mean]],
            fmt="D" if best else "o",
            color=AMBER if best else SEA,
            markerfacecolor=AMBER if best else PAPER,
            capsize=3,
        )
        axes.annotate(name, (time, own.mean), textcoords="offset points", xytext=(8, 8),
                      color=INK, fontsize=9,
                      bbox={"facecolor": PAPER, "edgecolor": "none", "pad": 1})  # fmt: skip
    low, high = axes.get_xlim()
    axes.set_xlim(low, high + 0.4 * (high - low))
    axes.set_xlabel("milliseconds a question, on this machine")
    axes.set_ylabel(quality)
    axes.grid(color=INK, alpha=0.12)


def _told_apart(one: Grades, reported: Grades) -> str:
    """The settings in which a result differs from the reported one, or when it was made."""
    if one.settings == reported.settings:
        return "as reported"
    changed = [
        f"{key.rpartition('.')[2]} = {value}"
        for key, (_, value) in one.changes_since(reported).items()
    ]
    return "\n".join(changed) if len(changed) <= _TOLD else one.at[5:16].replace("T", " ")
