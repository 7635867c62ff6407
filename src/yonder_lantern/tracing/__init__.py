"""The record of every question: what was searched, put forward, answered, and how long it took.

In: a trace as a plain dictionary. Out: files by day, and traces by id. This
package implements the `Recorder` protocol and knows no step.
"""

from .build import trace_of
from .keeping import Traces

__all__ = ["Traces", "trace_of"]
