"""The dataclasses passed between steps, the errors, and the protocols.

In: nothing. Out: plain values that every other package may import. This
package knows of no step, no file and no setting.
"""

from .answers import Answer, Citation, Nearest, Spent, Statement, Tokens, Unsupported
from .control import Control
from .documents import (
    Block,
    BlockKind,
    Difference,
    Document,
    Item,
    Location,
    Mark,
    Origin,
    OriginRun,
    Parsed,
    Stamp,
    heading_trail,
    heading_words,
    location_of,
)
from .errors import (
    CallError,
    CancelledError,
    ClosedError,
    ExcludedError,
    FormatError,
    IndexStateError,
    LimitError,
    MissingExtraError,
    NothingGatheredError,
    QuestionSetError,
    ServiceError,
    SettingsError,
    SourceError,
    StateError,
    YonderError,
)
from .events import Checked, Cited, Event, Finished, Piece, Withdrawn
from .extracted import Extracted, ExtractedField
from .extras import optional
from .gather_report import GatherReport, Problem, SourceCounts
from .lazy import on_first_use
from .limits import Limits
from .money import Money
from .passage import Passage
from .protocols import Cancel, NeverCancel, NoRecorder, Progress, Recorder, no_progress
from .query import Query, QueryParts, ResolvedQuery, Stage, query_of
from .search_result import (
    AlsoIn,
    Explanation,
    FeatureShare,
    Hit,
    NearWords,
    ScoreBreakdown,
    SearchResult,
    StageBreakdown,
    TermShare,
)
from .visibility import OPEN_END, OPEN_START, Caller, microseconds, visible

__all__ = [
    "OPEN_END",
    "OPEN_START",
    "AlsoIn",
    "Answer",
    "Block",
    "BlockKind",
    "CallError",
    "Caller",
    "Cancel",
    "CancelledError",
    "Checked",
    "Citation",
    "Cited",
    "ClosedError",
    "Control",
    "Difference",
    "Document",
    "Event",
    "ExcludedError",
    "Explanation",
    "Extracted",
    "ExtractedField",
    "FeatureShare",
    "Finished",
    "FormatError",
    "GatherReport",
    "Hit",
    "IndexStateError",
    "Item",
    "LimitError",
    "Limits",
    "Location",
    "Mark",
    "MissingExtraError",
    "Money",
    "NearWords",
    "Nearest",
    "NeverCancel",
    "NoRecorder",
    "NothingGatheredError",
    "Origin",
    "OriginRun",
    "Parsed",
    "Passage",
    "Piece",
    "Problem",
    "Progress",
    "Query",
    "QueryParts",
    "QuestionSetError",
    "Recorder",
    "ResolvedQuery",
    "ScoreBreakdown",
    "SearchResult",
    "ServiceError",
    "SettingsError",
    "SourceCounts",
    "SourceError",
    "Spent",
    "Stage",
    "StageBreakdown",
    "Stamp",
    "StateError",
    "Statement",
    "TermShare",
    "Tokens",
    "Unsupported",
    "Withdrawn",
    "YonderError",
    "heading_trail",
    "heading_words",
    "location_of",
    "microseconds",
    "no_progress",
    "on_first_use",
    "optional",
    "query_of",
    "visible",
]
