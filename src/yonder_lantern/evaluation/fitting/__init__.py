"""Judged questions and a desk → the settings that suit them best, with what that gains.

In: questions, and what fitting needs of a desk (`Fittable`). Out: proposed weights, thresholds and
adaptations; nothing is changed.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use
from .left_out import LeftOut, nested

if TYPE_CHECKING:
    from .fit_desk import TunableDesk, ranking_settings, tune_desk, tune_threshold
    from .fit_reading import TunedReading, tune_reading
    from .fit_threshold import AtThreshold, FittedThreshold, fit_threshold, threshold_for
    from .tune_ranking import Candidates, Tuned, tune

__all__ = [
    "AtThreshold",
    "Candidates",
    "FittedThreshold",
    "LeftOut",
    "TunableDesk",
    "Tuned",
    "TunedReading",
    "fit_threshold",
    "nested",
    "ranking_settings",
    "threshold_for",
    "tune",
    "tune_desk",
    "tune_reading",
    "tune_threshold",
]
__getattr__ = on_first_use(
    __name__,
    {
        "fit_desk": ["TunableDesk", "ranking_settings", "tune_desk", "tune_threshold"],
        "fit_reading": ["TunedReading", "tune_reading"],
        "fit_threshold": ["AtThreshold", "FittedThreshold", "fit_threshold", "threshold_for"],
        "tune_ranking": ["Candidates", "Tuned", "tune"],
    },
)
