"""The figure of a grading: retrieval by depth, and answers by kind."""

from __future__ import annotations

import importlib.util
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..records import CallError, MissingExtraError

if TYPE_CHECKING:
    from .grades import Grades, QuestionGrade

SEA = "#123c5c"
SHALLOW = "#7fa8c4"
AMBER = "#d9942b"
PAPER = "#faf6ec"
INK = "#22282d"
_DEPTHS = (1, 5, 10)


def require_matplotlib() -> None:
    """Raise a `MissingExtraError` when figures cannot be drawn."""
    if importlib.util.find_spec("matplotlib") is None:
        raise MissingExtraError(
            "figures need Matplotlib", remedy="pip install 'yonder-lantern[figures]'"
        )


def draw_grades(grades: Grades, path: Path) -> None:
    """Draw a grading's figure into a file; its suffix says the kind.

    Left: recall, nDCG and precision by depth on the held questions, with 95 %
    intervals. Right: by kind of question, how many were answered rightly, wrongly,
    or declined.

    Raises
    ------
    MissingExtraError
        Matplotlib is not installed.
    CallError
        The suffix is none that can be drawn.
    """
    require_matplotlib()
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 6.2), dpi=100, facecolor=PAPER, layout="constrained")
    left, right = figure.subplots(1, 2, width_ratios=(1, 1.25))
    split = "held" if any(one.split == "held" for one in grades.questions) else "fit"
    _retrieval(left, grades, split)
    _answers(right, grades)
    for axes in (left, right):
        axes.set_facecolor(PAPER)
        axes.spines[["top", "right"]].set_visible(False)
        axes.tick_params(colors=INK)
    try:
        figure.savefig(str(path), facecolor=PAPER)
    except ValueError as error:
        raise CallError(f"the figure cannot be drawn: {error}", str(path), "name it .png") from None


def _retrieval(axes: Any, grades: Grades, split: str) -> None:
    styles = (
        ("recall", SEA, "o", "-"),
        ("ndcg", AMBER, "s", "--"),
        ("precision", SHALLOW, "^", ":"),
    )
    for offset, (name, colour, marker, line) in zip((-0.06, 0.0, 0.06), styles, strict=True):
        found = [grades.measure(f"{name}@{depth}", split=split) for depth in _DEPTHS]
        means = [one.mean for one in found]
        below = [one.mean - one.low for one in found]
        above = [one.high - one.mean for one in found]
        places = [number + offset for number in range(len(_DEPTHS))]
        axes.errorbar(
            places,
            means,
            yerr=(below, above),
            color=colour,
            marker=marker,
            linestyle=line,
            capsize=3,
            linewidth=2,
            markersize=7,
            label=name,
        )
        shift = {"recall": 9, "ndcg": -15, "precision": -15}[name]
        for place, mean in zip(places, means, strict=True):
            axes.annotate(
                f"{mean:.2f}",
                (place, mean),
                textcoords="offset points",
                xytext=(7, shift),
                color=INK,
                fontsize=9,
            )
    axes.set_xticks(range(len(_DEPTHS)), [f"first {depth}" for depth in _DEPTHS])
    axes.set_xlim(-0.3, len(_DEPTHS) - 0.6)
    axes.set_ylim(0, 1.05)
    axes.set_title(f"Passages found, {split} questions, 95 % intervals", color=INK, loc="left")
    axes.legend(frameon=False, loc="center right", labelcolor=INK)


def _outcome(one: QuestionGrade) -> str:
    if one.declined:
        return "declined, though answerable" if one.answerable else "right"
    return "right" if one.right else "wrong"


def _answers(axes: Any, grades: Grades) -> None:
    kinds = list(dict.fromkeys(one.kind for one in grades.questions))[::-1]
    parts = (
        ("right", SEA, ""),
        ("declined, though answerable", SHALLOW, ".."),
        ("wrong", AMBER, "//"),
    )
    starts = [0.0] * len(kinds)
    for label, colour, hatch in parts:
        sizes = [
            float(sum(one.kind == kind and _outcome(one) == label for one in grades.questions))
            for kind in kinds
        ]
        shown = [kind.replace("_", " ") for kind in kinds]
        bars = axes.barh(
            shown, sizes, left=starts, color=colour, hatch=hatch, edgecolor=PAPER, label=label
        )
        for bar, size in zip(bars, sizes, strict=True):
            if size:
                axes.text(
                    bar.get_x() + size / 2,
                    bar.get_y() + bar.get_height() / 2,
                    f"{size:.0f}",
                    ha="center",
                    va="center",
                    color="white" if colour == SEA else INK,
                    fontsize=10,
                    bbox=None
                    if colour == SEA
                    else {"facecolor": PAPER, "edgecolor": "none", "pad": 1.5},
                )
        starts = [start + size for start, size in zip(starts, sizes, strict=True)]
    axes.set_xlabel("questions", color=INK)
    axes.set_title("Answers by kind of question, all questions", color=INK, loc="left")
    axes.legend(
        frameon=False, loc="upper center", bbox_to_anchor=(0.45, -0.1), ncols=3, labelcolor=INK
    )
