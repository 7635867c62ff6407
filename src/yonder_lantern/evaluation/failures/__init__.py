"""Grades and the desk they are of → at which step each missed question was lost."""

from .cause import MEANS, RUNGS, Cause, next_step
from .diagnose import Diagnosable, Failure, diagnose, unread
from .ladder import Rung, SideBySide, ladder, side_by_side

__all__ = [
    "MEANS",
    "RUNGS",
    "Cause",
    "Diagnosable",
    "Failure",
    "Rung",
    "SideBySide",
    "diagnose",
    "ladder",
    "next_step",
    "side_by_side",
    "unread",
]
