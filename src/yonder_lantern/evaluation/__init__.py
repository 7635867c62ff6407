"""A question set and a desk → measures, intervals, tables and figures.

In: questions with expected spans, and anything that can find, ask and show a
document (`Gradable`). Out: `Grades`. All fitting of weights and thresholds
lives here; this package knows nothing of how passages are found.
"""

from .grades import Grades, QuestionGrade
from .grading import Gradable, grade
from .intervals import Interval, bootstrap_mean
from .measures import Ranked, rank_measures
from .questions import Expected, Question, QuestionSet, load_questions

__all__ = [
    "Expected",
    "Gradable",
    "Grades",
    "Interval",
    "Question",
    "QuestionGrade",
    "QuestionSet",
    "Ranked",
    "bootstrap_mean",
    "grade",
    "load_questions",
    "rank_measures",
]
