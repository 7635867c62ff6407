"""Turns → a question that stands on its own; and keeping the turns.

In: the questions asked so far. Out: the next question in full. This package
knows nothing of how a question is answered.
"""

from .conversations import NOT_KEPT, Conversations, ConversationStore, labels_of
from .courtesies import courtesy_of
from .export import as_markdown
from .follow_up import FullQuestion, full_question
from .preferences import Message, Preference, bearing_on, merged, taken_apart
from .recap import recap
from .sql_store import SqlStore, postgres_store, sqlite_store
from .turns import Conversation, ConversationSummary, ReservedRequest, Turn

__all__ = [
    "NOT_KEPT",
    "Conversation",
    "ConversationStore",
    "ConversationSummary",
    "Conversations",
    "FullQuestion",
    "Message",
    "Preference",
    "ReservedRequest",
    "SqlStore",
    "Turn",
    "as_markdown",
    "bearing_on",
    "courtesy_of",
    "full_question",
    "labels_of",
    "merged",
    "postgres_store",
    "recap",
    "sqlite_store",
    "taken_apart",
]
