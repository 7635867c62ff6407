"""What goes out to programs: one definition for ``--json``, traces, HTTP and the tool protocol.

In: the records of `core`. Out: plain values to be written as JSON, and the JSON Schema of each
kind. A kind's version goes up when a key is removed or means something else; keys may be added.
"""

from .answer_out import (
    AnswerOut,
    CitationOut,
    DialogueOut,
    ExtractionOut,
    MoneyOut,
    NoteOut,
    PromptOut,
    RouteOut,
    StepOut,
)
from .article_out import ArticleOut
from .conversation_out import (
    ConversationOut,
    ConversationSummaryOut,
    DocumentOut,
    ProblemDetailsOut,
    TurnOut,
    event_out,
)
from .entity_out import EntitiesOut, EntityCardOut, EntityNameOut, EntityStatementOut
from .gather_out import GatherOut
from .hits_out import ExplanationOut, HitOut, LocationOut, SearchOut
from .schemas import KINDS, as_plain, schema_of
from .trace_out import (
    FurtherOut,
    RankOut,
    TermOut,
    TracedAnswerOut,
    TracedCitationOut,
    TracedHitOut,
    TraceOut,
)

__all__ = [
    "KINDS",
    "AnswerOut",
    "ArticleOut",
    "CitationOut",
    "ConversationOut",
    "ConversationSummaryOut",
    "DialogueOut",
    "DocumentOut",
    "EntitiesOut",
    "EntityCardOut",
    "EntityNameOut",
    "EntityStatementOut",
    "ExplanationOut",
    "ExtractionOut",
    "FurtherOut",
    "GatherOut",
    "HitOut",
    "LocationOut",
    "MoneyOut",
    "NoteOut",
    "ProblemDetailsOut",
    "PromptOut",
    "RankOut",
    "RouteOut",
    "SearchOut",
    "StepOut",
    "TermOut",
    "TraceOut",
    "TracedAnswerOut",
    "TracedCitationOut",
    "TracedHitOut",
    "TurnOut",
    "as_plain",
    "event_out",
    "schema_of",
]
