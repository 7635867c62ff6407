"""The figure of a grading: measures of retrieval, and answers by kind."""

from __future__ import annotations

import importlib.util
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ...core import CallError, MissingExtraError
from ..grading import RETRIEVAL

if TYPE_CHECKING:
    from ..grading import Grades, QuestionGrade

_KINDS = (".png", ".svg", ".pdf")
SEA = "#123c5c"
SHALLOW = "#7fa8c4"
AMBER = "#d9942b"
SAND = "#e8d5a9"
PAPER = "#faf6ec"
INK = "#22282d"


def require_figures(path: Path) -> None:
    """See that a figure can be drawn into a file, before the work that leads to it.

    Raises
    ------
    MissingExtraError
        Matplotlib is not installed.
    CallError
        The name does not end in a kind of figure.
    """
    if path.suffix.lower() not in _KINDS:
        raise CallError(
            f"the figure cannot be drawn as {path.suffix or path.name!r}",
            str(path),
            f"name a file that ends in {', '.join(_KINDS)}",
        )
    if importlib.util.find_spec("matplotlib") is None:
        raise MissingExtraError(
            "figures need Matplotlib", remedy="pip install 'yonder-lantern[figures]'"
        )


def draw_grades(grades: Grades, path: Path) -> None:
    """Draw a grading's figure into a file; its suffix says the kind.

    Left: the measures of retrieval by split, with 95 % intervals. Right: by kind
    of question, how many were answered rightly (or rightly not), wrongly, or not at all.

    Raises
    ------
    MissingExtraError
        Matplotlib is not installed.
    CallError
        The suffix is none that can be drawn.
    """
    require_figures(path)
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 6.2), dpi=100, facecolor=PAPER, layout="constrained")
    left, right = figure.subplots(1, 2, width_ratios=(1, 1.25))
    splits = {one.split for one in grades.questions if one.answerable}
    _retrieval(left, grades, sorted(splits, reverse=True))
    _answers(right, grades)
    for axes in (left, right):
        axes.set_facecolor(PAPER)
        axes.spines[["top", "right"]].set_visible(False)
        axes.tick_params(colors=INK)
    figure.savefig(path, facecolor=PAPER)


def _retrieval(axes: Any, grades: Grades, splits: Sequence[str]) -> None:
    styles = {"test": (SEA, "o", SEA), "fit": (SHALLOW, "s", PAPER)}
    shifts = (0.14, -0.14) if len(splits) > 1 else (0.0,)  # one split stands on its label's line
    for split, shift in zip(splits, shifts, strict=False):
        colour, marker, fill = styles[split]
        found = [grades.measure(name, split=split) for name in RETRIEVAL]
        places = [len(RETRIEVAL) - 1 - row + shift for row in range(len(RETRIEVAL))]
        means = [one.mean for one in found]
        spread = ([one.mean - one.low for one in found], [one.high - one.mean for one in found])
        axes.errorbar(
            means,
            places,
            xerr=spread,
            color=colour,
            marker=marker,
            markerfacecolor=fill,
            linestyle="none",
            capsize=3,
            linewidth=2,
            markersize=7,
            label=f"{split}: {found[0].count} questions",
        )
        for one, location in zip(found, places, strict=True):
            axes.annotate(
                f"{one.mean:.2f}",
                (one.high, location),
                textcoords="offset points",
                xytext=(6, -4),
                color=INK,
                fontsize=9,
            )
    axes.set_yticks(range(len(RETRIEVAL)), RETRIEVAL[::-1])
    axes.set_xlim(0, 1.08)
    axes.set_ylim(-0.6, len(RETRIEVAL) - 0.4)
    axes.set_xticks([0, 0.25, 0.5, 0.75, 1])
    axes.grid(axis="x", color=INK, alpha=0.12)
    axes.set_title("Passages found: means and 95 % intervals", color=INK, loc="left")
    axes.legend(
        frameon=False, loc="upper center", bbox_to_anchor=(0.45, -0.1), ncols=2, labelcolor=INK
    )


def _outcome(one: QuestionGrade) -> str:
    if one.answered:
        return "right" if one.right else "wrong"
    if not one.answerable:
        return "right"
    return "excerpt that holds it" if one.excerpt_holds else "not answered"


def _answers(axes: Any, grades: Grades) -> None:
    kinds = list(dict.fromkeys(one.kind for one in grades.questions))[::-1]
    parts = (
        ("right", SEA, ""),
        ("excerpt that holds it", SAND, "\\\\"),
        ("not answered", SHALLOW, ".."),
        ("wrong", AMBER, "//"),
    )
    asked = [sum(one.kind == kind for one in grades.questions) for kind in kinds]
    starts = [0.0] * len(kinds)
    for label, colour, hatch in parts:
        counts = [
            sum(one.kind == kind and _outcome(one) == label for one in grades.questions)
            for kind in kinds
        ]
        sizes = [count / whole for count, whole in zip(counts, asked, strict=True)]
        shown = [
            f"{kind.replace('_', ' ')}, {whole}" for kind, whole in zip(kinds, asked, strict=True)
        ]
        bars = axes.barh(
            shown, sizes, left=starts, color=colour, hatch=hatch, edgecolor=PAPER, label=label
        )
        for bar, size, count in zip(bars, sizes, counts, strict=True):
            if count:
                axes.text(
                    bar.get_x() + size / 2,
                    bar.get_y() + bar.get_height() / 2,
                    f"{count}",
                    ha="center",
                    va="center",
                    color="white" if colour == SEA else INK,
                    fontsize=10,
                    bbox=None
                    if colour == SEA
                    else {"facecolor": PAPER, "edgecolor": "none", "pad": 1.5},
                )
        starts = [start + size for start, size in zip(starts, sizes, strict=True)]
    axes.set_xlim(0, 1)
    axes.set_xticks([0, 0.25, 0.5, 0.75, 1])
    axes.set_xlabel("share of the questions of each kind, with their number", color=INK)
    splits = {one.split for one in grades.questions}
    which = f"{next(iter(splits))} questions" if len(splits) == 1 else "all questions"
    axes.set_title(f"Answers by kind of question, {which}", color=INK, loc="left")
    axes.legend(
        frameon=False, loc="upper center", bbox_to_anchor=(0.45, -0.1), ncols=4, labelcolor=INK
    )
