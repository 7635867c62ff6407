"""Turns → a question that stands on its own; and keeping the turns.

In: the questions asked so far. Out: the next question in full. This package
knows nothing of how a question is answered.
"""

from .conversations import NOT_KEPT, Conversations, ConversationStore, labels_of
from .courtesies import courtesy_of
from .export import as_markdown
from .follow_up import FullQuestion, full_question
from .sql_store import SqlStore, postgres_store, sqlite_store
from .turns import Conversation, ConversationSummary, Turn

__all__ = [
    "NOT_KEPT",
    "Conversation",
    "ConversationStore",
    "ConversationSummary",
    "Conversations",
    "FullQuestion",
    "SqlStore",
    "Turn",
    "as_markdown",
    "courtesy_of",
    "full_question",
    "labels_of",
    "postgres_store",
    "sqlite_store",
]
