"""A desk → everything it keeps, each by the one protocol of stores.

The index is not among them: it is built anew from what stays, see `purge`.
"""

from .all_stores import all_stores
from .comparisons import Comparisons
from .question_file import QuestionFile
from .served_turns import ServedTurns
from .source_copies import SourceCopies

__all__ = ["Comparisons", "QuestionFile", "ServedTurns", "SourceCopies", "all_stores"]
