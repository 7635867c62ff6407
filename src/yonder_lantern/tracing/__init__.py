"""The record of every question: what was searched, put forward, answered, and how long it took.

In: a trace as a plain dictionary, what a model cost. Out: files by day, and traces by id. This
package implements the protocols `Recorder` and `Ledger` and knows no step.
"""

from .build import trace_of
from .keeping import Traces
from .ledger import CostLedger

__all__ = ["CostLedger", "Traces", "trace_of"]
