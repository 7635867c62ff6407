"""A question → a fixed reply, a step of a fixed dialogue, or neither.

In: a question, who asks, and an embedding to compare phrasings with. Out: what is said, the
values looked up for it, and why it went this way. This package knows nothing of passages, nor of
how an answer is written from them.
"""

from .collisions import Collision, collisions
from .conditions import check_condition
from .draw import drawn
from .fixed_replies import BEFORE_DECLINING, BEFORE_EXCERPT, OFFERED, Candidate, FixedReplies
from .look_up import Function, LookUps
from .matching import Match, Phrasings

__all__ = [
    "BEFORE_DECLINING",
    "BEFORE_EXCERPT",
    "OFFERED",
    "Candidate",
    "Collision",
    "FixedReplies",
    "Function",
    "LookUps",
    "Match",
    "Phrasings",
    "check_condition",
    "collisions",
    "drawn",
]
