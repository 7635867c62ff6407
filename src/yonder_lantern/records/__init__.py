"""The dataclasses passed between steps, the errors, and the protocols.

In: nothing. Out: plain values that every other package may import. This
package knows of no step, no file and no setting.
"""

from .answers import Answer, Citation, Nearest, Statement
from .documents import (
    Block,
    BlockKind,
    Difference,
    Document,
    Item,
    Mark,
    Origin,
    OriginRun,
    Parsed,
    Place,
    Stamp,
    heading_trail,
    heading_words,
    place_of,
)
from .errors import (
    CallError,
    CancelledError,
    FormatError,
    IndexStateError,
    LanternError,
    LimitError,
    MissingExtraError,
    OutsideError,
    QuestionSetError,
    SettingsError,
    SourceError,
)
from .extras import optional
from .findings import (
    Account,
    AlsoIn,
    Asked,
    Explanation,
    FeatureShare,
    Findings,
    Hit,
    NearWords,
    StageAccount,
    TermShare,
)
from .gathering import GatherReport, Problem, SourceCounts
from .limits import Limits
from .money import Money
from .passages import Passage
from .protocols import Cancel, NeverCancel, NoRecorder, Progress, Recorder, no_progress

__all__ = [
    "Account",
    "AlsoIn",
    "Answer",
    "Asked",
    "Block",
    "BlockKind",
    "CallError",
    "Cancel",
    "CancelledError",
    "Citation",
    "Difference",
    "Document",
    "Explanation",
    "FeatureShare",
    "Findings",
    "FormatError",
    "GatherReport",
    "Hit",
    "IndexStateError",
    "Item",
    "LanternError",
    "LimitError",
    "Limits",
    "Mark",
    "MissingExtraError",
    "Money",
    "NearWords",
    "Nearest",
    "NeverCancel",
    "NoRecorder",
    "Origin",
    "OriginRun",
    "OutsideError",
    "Parsed",
    "Passage",
    "Place",
    "Problem",
    "Progress",
    "QuestionSetError",
    "Recorder",
    "SettingsError",
    "SourceCounts",
    "SourceError",
    "StageAccount",
    "Stamp",
    "Statement",
    "TermShare",
    "heading_trail",
    "heading_words",
    "no_progress",
    "optional",
    "place_of",
]
