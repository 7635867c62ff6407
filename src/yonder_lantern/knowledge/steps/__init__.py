"""Questions that no single passage answers: read, followed step by step, put together.

In: a question, what one search found for it, and what searches again. Out: the steps taken, and an
answer that cites each. How documents are found, and how one question is answered, is not known
here: only the composer and the search that are handed in.
"""

from .merge_results import merged
from .proposed_plan import plan_in
from .read_question import Chain
from .several_steps import Planned, SeveralSteps, first_asked

__all__ = ["Chain", "Planned", "SeveralSteps", "first_asked", "merged", "plan_in"]
