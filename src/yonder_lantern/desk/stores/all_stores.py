"""Everything that a desk keeps beside its index."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ...conversation import SqlStore
from ...core import Store
from ...knowledge import STATEMENTS_FOLDER, SqlNotes, StatementStore
from ...observe import CostLedger, FeedbackBook, Traces
from ...policy import AccessTokens, SignIns, Usage
from .comparisons import Comparisons
from .question_file import QuestionFile
from .served_turns import ServedTurns
from .source_copies import SourceCopies


def all_stores(
    state: Path, questions: Path, conversations: SqlStore, notes: SqlNotes
) -> Sequence[Store]:
    """The stores of a desk.

    Parameters
    ----------
    state : Path
        The desk's state folder.
    questions : Path
        Its question set.
    conversations : SqlStore
    notes : SqlNotes
    """
    from ...evaluation import GradeResults  # only here: it takes a while to load

    traces = Traces(state / "traces")
    access = state / "access"
    return (
        conversations,
        notes,
        traces,
        FeedbackBook(state, traces),
        GradeResults(state / "grades"),
        StatementStore(state / STATEMENTS_FOLDER),
        CostLedger(state / "costs"),
        AccessTokens(access),
        SignIns(access),
        Usage(access),
        ServedTurns(state / "served"),
        SourceCopies(state),
        Comparisons(state / "comparisons"),
        QuestionFile(questions),
    )
