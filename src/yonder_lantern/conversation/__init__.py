"""Turns → a question that stands on its own; and keeping the turns.

In: the questions asked so far. Out: the next question in full. This package
knows nothing of how a question is answered.
"""

from .courtesies import courtesy_of
from .follow_up import InFull, in_full
from .store import Conversation, Conversations, Turn, may_go_on

__all__ = [
    "Conversation",
    "Conversations",
    "InFull",
    "Turn",
    "courtesy_of",
    "in_full",
    "may_go_on",
]
