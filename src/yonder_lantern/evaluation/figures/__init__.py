"""Results → figures by Matplotlib, of the extra ``[figures]``."""

from .entity_figure import draw_entity
from .grades_figure import AMBER, INK, PAPER, SAND, SEA, SHALLOW, draw_grades, require_figures
from .map_figure import Map, draw_map
from .report_figures import (
    ladder_figure,
    recall_figure,
    reliability_figure,
    risk_figure,
    runs_figure,
    strip_figure,
)
from .trade_off_figure import different_settings, draw_comparison, trade_off_figure

__all__ = [
    "AMBER",
    "INK",
    "PAPER",
    "SAND",
    "SEA",
    "SHALLOW",
    "Map",
    "different_settings",
    "draw_comparison",
    "draw_entity",
    "draw_grades",
    "draw_map",
    "ladder_figure",
    "recall_figure",
    "reliability_figure",
    "require_figures",
    "risk_figure",
    "runs_figure",
    "strip_figure",
    "trade_off_figure",
]
