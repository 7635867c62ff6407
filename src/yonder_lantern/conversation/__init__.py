"""Turns → a question that stands on its own; and keeping the turns.

In: the questions asked so far. Out: the next question in full. This package
knows nothing of how a question is answered.
"""

from .courtesies import courtesy_of
from .follow_up import FullQuestion, full_question
from .store import Conversation, Conversations, Turn, labels_of, may_go_on

__all__ = [
    "Conversation",
    "Conversations",
    "FullQuestion",
    "Turn",
    "courtesy_of",
    "full_question",
    "labels_of",
    "may_go_on",
]
