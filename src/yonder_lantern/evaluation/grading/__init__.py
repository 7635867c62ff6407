"""A question set and a desk → `Grades`: by question, summed up, with intervals.

In: questions, and anything that can find, ask and show a document (`Gradable`). Out: `Grades`, and
results kept on disk.
"""

from .grade_run import RUN_MEASURES, RunGrades, grade_run
from .graded_question import RETRIEVAL, QuestionGrade
from .grades import Grades
from .judge_question import Gradable, grade_question, judge, query_of_question, ranked
from .measure_names import ANSWERS, WRITTEN, Measure, measure_named
from .result_store import GradeResults
from .run_questions import Task, Workers, grade, tasks_of

__all__ = [
    "ANSWERS",
    "RETRIEVAL",
    "RUN_MEASURES",
    "WRITTEN",
    "Gradable",
    "GradeResults",
    "Grades",
    "Measure",
    "QuestionGrade",
    "RunGrades",
    "Task",
    "Workers",
    "grade",
    "grade_question",
    "grade_run",
    "judge",
    "measure_named",
    "query_of_question",
    "ranked",
    "tasks_of",
]
