"""The figure of a map: passages in the plane, their topics, and a question's hits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from ...platform.storage import Array
from .grades_figure import AMBER, INK, PAPER, SEA, SHALLOW, require_figures

_SHADES = ("#123c5c", "#3d7ca8", "#6f8f3f", "#5b6b73", "#4f7f79", "#8a6f3a", "#6d5f7a", "#2f6f9f")
_MARKS = "os^Dvp<>"
_NAMED = 14  # topics whose names are written


@dataclass(frozen=True, slots=True)
class Map:
    """Passages in the plane.

    Attributes
    ----------
    points : float64 array, shape (passages, 2)
    topics : sequence of str
        Of each; empty where it has none.
    hits : sequence of int
        Which of them were found for the question, best first.
    question : str
    question_point : float64 array, shape (2,), or None
    left_out : int
        Passages that are not on it, as there are too many.
    """

    points: Array
    topics: Sequence[str]
    hits: Sequence[int]
    question: str
    question_point: Array | None
    left_out: int


def draw_map(drawn: Map, path: Path) -> None:
    """Draw a map into a file; its suffix says the kind.

    Raises
    ------
    MissingExtraError
        Matplotlib is not installed.
    CallError
        The suffix is none that can be drawn.
    """
    require_figures(path)
    from matplotlib.figure import Figure

    figure = Figure(figsize=(10.6, 7.4), dpi=120, facecolor=PAPER, layout="constrained")
    axes = figure.subplots()
    axes.set_axis_off()
    names = sorted({topic for topic in drawn.topics if topic}, key=drawn.topics.count, reverse=True)
    shown = [*names[:_NAMED], ""]
    for number, name in enumerate(shown):
        here = np.array(
            [topic == name or (not name and topic not in shown) for topic in drawn.topics],
            dtype=bool,
        )
        if here.any():
            axes.scatter(
                drawn.points[here, 0],
                drawn.points[here, 1],
                s=26,
                c=_SHADES[number % len(_SHADES)] if name else SHALLOW,
                marker=_MARKS[number % len(_MARKS)],
                linewidths=0,
                alpha=0.8,
                label=f"{name or 'no topic of these'} ({here.sum()})",
            )
    axes.legend(
        frameon=False,
        loc="upper center",
        bbox_to_anchor=(0.5, -0.045),
        ncols=3,
        fontsize=9,
        labelcolor=INK,
        handletextpad=0.2,
        columnspacing=1.2,
    )
    _draw_hits(axes, drawn)
    more = f"; {drawn.left_out:,} more are not drawn" if drawn.left_out else ""
    axes.set_title(
        f"{len(drawn.points):,} passages by meaning{more}",
        loc="left",
        fontsize=12,
        color=INK,
        pad=12,
    )
    figure.savefig(path, facecolor=PAPER)


def _draw_hits(axes: Any, drawn: Map) -> None:
    if not drawn.hits:
        return
    ringed = drawn.points[list(drawn.hits)]
    axes.scatter(
        ringed[:, 0], ringed[:, 1], s=90, facecolors="none", edgecolors=AMBER, lw=2, zorder=5
    )
    for rank, at in enumerate(drawn.hits, 1):
        axes.annotate(
            str(rank),
            drawn.points[at],
            xytext=(8, 6),
            textcoords="offset points",
            fontsize=9,
            fontweight="bold",
            color=INK,
            zorder=8,
            bbox={"boxstyle": "round,pad=0.1", "fc": PAPER, "ec": "none", "alpha": 0.85},
        )
    if drawn.question_point is not None:
        axes.scatter(
            *drawn.question_point, s=180, marker="*", c=AMBER, edgecolors=SEA, lw=1, zorder=7
        )
    axes.text(
        0.0,
        -0.01,
        f"★ {drawn.question}  ·  circled: its hits, numbered by rank",
        transform=axes.transAxes,
        fontsize=10,
        color=INK,
        va="top",
    )
