"""Values of questions → intervals, tests and what a set of questions can show.

In: one value a question. Out: intervals, differences with their p, numbers of questions. This
package knows neither questions nor measures.
"""

from .intervals import Interval, bootstrap_mean, format_figure, mean_interval, wilson_interval
from .over_collections import bootstrap_over_collections, paired_randomisation
from .paired import Difference, holm, paired_difference
from .pareto import pareto_optimal
from .power import detectable_difference, questions_needed

__all__ = [
    "Difference",
    "Interval",
    "bootstrap_mean",
    "bootstrap_over_collections",
    "detectable_difference",
    "format_figure",
    "holm",
    "mean_interval",
    "paired_difference",
    "paired_randomisation",
    "pareto_optimal",
    "questions_needed",
    "wilson_interval",
]
