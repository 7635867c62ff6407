"""An entity and what it is connected with, drawn."""

from __future__ import annotations

import math
import re
import textwrap
from dataclasses import dataclass
from pathlib import Path

from ...core import EntityCard
from ...text import one_line, visible
from .grades_figure import INK, PAPER, SEA, require_figures

_MOST = 16  # neighbours
_WIDTH = 22  # characters of a line of a label
_PICTURES = re.compile("[\u2400-\u2426]")  # of control characters: the font has none
_LAMP, _QUIET = "#8a5200", "#55626a"  # dark enough for words on them, and of them


@dataclass(frozen=True, slots=True)
class _Spoke:
    """A neighbour, how it is connected, and which way that is said."""

    name: str
    relation: str
    inward: bool


def draw_entity(card: EntityCard, path: Path) -> int:
    """Draw an entity in the middle and what it is connected with around it.

    Parameters
    ----------
    card : EntityCard
    path : Path
        ``.png`` or ``.svg``.

    Returns
    -------
    int
        How many connections there was no room for.

    Raises
    ------
    MissingExtraError
        Matplotlib is not installed.
    CallError
        The suffix is none that can be drawn.
    """
    require_figures(path)
    from matplotlib.figure import Figure

    spokes = _spokes(card)
    shown = spokes[:_MOST]
    figure = Figure(figsize=(11, 8), dpi=110, facecolor=PAPER)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_axis_off()
    axes.set_xlim(-1.7, 1.7)
    axes.set_ylim(-1.12, 1.12)
    middle = axes.text(
        0, 0, _label(card.name), color="#fffdf8", fontsize=12, weight="bold", ha="center",
        va="center", bbox={"boxstyle": "round,pad=0.5", "facecolor": _LAMP, "edgecolor": _LAMP},
    )  # fmt: skip
    for at, spoke in enumerate(shown):
        angle = math.pi / 2 - 2 * math.pi * at / len(shown)
        reach = 1.0 if at % 2 == 0 or len(shown) < 9 else 0.72
        x, y = 1.35 * reach * math.cos(angle), reach * math.sin(angle)
        node = axes.text(
            x, y, _label(spoke.name), color=INK, fontsize=9.5, ha="center", va="center",
            bbox={"boxstyle": "round,pad=0.35", "facecolor": "#fffdf8", "edgecolor": SEA},
        )  # fmt: skip
        ends = (middle.get_bbox_patch(), node.get_bbox_patch())
        tail, head = ((x, y), (0.0, 0.0)) if spoke.inward else ((0.0, 0.0), (x, y))
        first, last = reversed(ends) if spoke.inward else ends
        axes.annotate(
            "", xy=head, xytext=tail,
            arrowprops={"arrowstyle": "-|>", "color": SEA, "patchA": first, "patchB": last,
                        "shrinkA": 2, "shrinkB": 2, "lw": 1.1},
        )  # fmt: skip
        axes.text(
            0.55 * x, 0.55 * y, _label(spoke.relation), color=_QUIET, fontsize=8.5, ha="center",
            va="center", bbox={"facecolor": PAPER, "edgecolor": "none", "pad": 1.2},
        )  # fmt: skip
    left = len(spokes) - len(shown)
    if left:
        axes.text(1.67, -1.1, f"{left} more are not drawn", color=_QUIET, fontsize=9, ha="right")
    figure.savefig(path, facecolor=PAPER)
    return left


def _spokes(card: EntityCard) -> list[_Spoke]:
    found = [_Spoke(one.object, one.relation, inward=False) for one in card.says]
    found += [_Spoke(one.subject, one.relation, inward=True) for one in card.named_in]
    return list(dict.fromkeys(found))


def _label(text: str) -> str:
    shown = _PICTURES.sub("?", visible(one_line(text))).replace("$", r"\$")
    lines = textwrap.wrap(shown, _WIDTH) or [""]
    return "\n".join(lines if len(lines) <= 3 else [*lines[:2], f"{lines[2]} …"])
