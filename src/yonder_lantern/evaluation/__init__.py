"""A question set and a desk → measures, intervals, tables and figures.

In: questions with expected spans, and anything that can find, ask and show a
document (`Gradable`). Out: `Grades`. All fitting of weights and thresholds
lives here; this package knows nothing of how passages are found.
"""

from .calibration import Calibration, brier_score, calibration_of
from .grades import Grades, QuestionGrade
from .grading import Gradable, grade
from .intervals import Interval, bootstrap_mean
from .left_out import LeftOut, nested
from .measures import Ranked, rank_measures
from .outcomes import Outcome, judged_by_section, judged_by_spans
from .over_collections import bootstrap_over_collections, paired_randomisation
from .questions import Expected, Question, QuestionSet, load_questions
from .selective import RiskCoverage, risk_coverage

__all__ = [
    "Calibration",
    "Expected",
    "Gradable",
    "Grades",
    "Interval",
    "LeftOut",
    "Outcome",
    "Question",
    "QuestionGrade",
    "QuestionSet",
    "Ranked",
    "RiskCoverage",
    "bootstrap_mean",
    "bootstrap_over_collections",
    "brier_score",
    "calibration_of",
    "grade",
    "judged_by_section",
    "judged_by_spans",
    "load_questions",
    "nested",
    "paired_randomisation",
    "rank_measures",
    "risk_coverage",
]
