"""Rankings and answers, judged by the spans that are expected → figures between 0 and 1.

In: what was found or cited, and where the expected spans stand. Out: a `JudgedRanking`, an
`Outcome`. This package knows neither desks nor question files.
"""

from .outcomes import Outcome, judged_by_section, judged_by_spans
from .ranking import (
    JudgedRanking,
    Ranked,
    covered_together,
    covers,
    judge_ranking,
    rank_measures,
    share_held,
)

__all__ = [
    "JudgedRanking",
    "Outcome",
    "Ranked",
    "covered_together",
    "covers",
    "judge_ranking",
    "judged_by_section",
    "judged_by_spans",
    "rank_measures",
    "share_held",
]
