"""The record of every question: what was searched, put forward, answered, and how long it took.

In: a trace as a plain dictionary, what a model cost. Out: files by day, and traces by id. This
package implements the protocol `Recorder` and knows no step.
"""

from typing import TYPE_CHECKING

from ..core import on_first_use
from .answer_budget import AnswerBudget
from .feedback import Feedback, FeedbackBook
from .ledger import CostLedger, Reservation
from .trace_store import Traces

if TYPE_CHECKING:
    from .trace import trace_of

__all__ = [
    "AnswerBudget",
    "CostLedger",
    "Feedback",
    "FeedbackBook",
    "Reservation",
    "Traces",
    "trace_of",
]
__getattr__ = on_first_use(__name__, {"trace": ["trace_of"]})
