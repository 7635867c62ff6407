"""A question set and a desk → measures, intervals, tables and figures.

In: questions with expected spans, and anything that can find, ask and show a
document (`Gradable`). Out: `Grades`. All fitting of weights and thresholds
lives here; this package knows nothing of how passages are found.
"""

from typing import TYPE_CHECKING

from ..core import on_first_use
from .calibration import Calibration, brier_score, calibration_of
from .grades import ANSWERS, RETRIEVAL, Grades, QuestionGrade
from .grading import Gradable, grade
from .intervals import Interval, bootstrap_mean
from .left_out import LeftOut, nested
from .measures import Ranked, rank_measures
from .outcomes import Outcome, judged_by_section, judged_by_spans
from .over_collections import bootstrap_over_collections, paired_randomisation
from .questions import Expected, Question, QuestionSet, load_questions
from .selective import RiskCoverage, risk_coverage

if TYPE_CHECKING:
    from .figure import draw_grades, require_figures
    from .fit_desk import TunableDesk, ranking_settings, tune_desk, tune_threshold
    from .fit_lexicon import AdaptedLexicon, adapt_lexicon
    from .map_figure import Map, draw_map
    from .threshold import FittedThreshold, fit_threshold
    from .tune_ranking import Candidates, Tuned, tune

__all__ = [
    "ANSWERS",
    "RETRIEVAL",
    "AdaptedLexicon",
    "Calibration",
    "Candidates",
    "Expected",
    "FittedThreshold",
    "Gradable",
    "Grades",
    "Interval",
    "LeftOut",
    "Map",
    "Outcome",
    "Question",
    "QuestionGrade",
    "QuestionSet",
    "Ranked",
    "RiskCoverage",
    "TunableDesk",
    "Tuned",
    "adapt_lexicon",
    "bootstrap_mean",
    "bootstrap_over_collections",
    "brier_score",
    "calibration_of",
    "draw_grades",
    "draw_map",
    "fit_threshold",
    "grade",
    "judged_by_section",
    "judged_by_spans",
    "load_questions",
    "nested",
    "paired_randomisation",
    "rank_measures",
    "ranking_settings",
    "require_figures",
    "risk_coverage",
    "tune",
    "tune_desk",
    "tune_threshold",
]
__getattr__ = on_first_use(
    __name__,
    {
        "fit_desk": ["TunableDesk", "ranking_settings", "tune_desk", "tune_threshold"],
        "fit_lexicon": ["AdaptedLexicon", "adapt_lexicon"],
        "figure": ["draw_grades", "require_figures"],
        "map_figure": ["Map", "draw_map"],
        "threshold": ["FittedThreshold", "fit_threshold"],
        "tune_ranking": ["Candidates", "Tuned", "tune"],
    },
)
