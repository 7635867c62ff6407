"""The record of every question: what was searched, put forward, answered, and how long it took.

In: a trace as a plain dictionary, what a model cost. Out: files by day, and traces by id. This
package implements the protocol `Recorder` and knows no step.
"""

from .answer_budget import AnswerBudget
from .ledger import CostLedger, Reservation
from .trace import trace_of
from .trace_store import Traces

__all__ = ["AnswerBudget", "CostLedger", "Reservation", "Traces", "trace_of"]
