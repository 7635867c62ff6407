"""A statement and the words it cites → whether they bear it out, and if not, why.

In: a sentence, whoever wrote it, and spans of documents with what stands above
them. Out: a `Verdict`. This package knows no question, no model and no index.
"""

from .amounts import Value, unit_of, values_in
from .check_statement import (
    Evidence,
    Fault,
    Near,
    Verdict,
    check,
    check_in_other_language,
)
from .contrasts import NEGATORS

__all__ = [
    "NEGATORS",
    "Evidence",
    "Fault",
    "Near",
    "Value",
    "Verdict",
    "check",
    "check_in_other_language",
    "unit_of",
    "values_in",
]
