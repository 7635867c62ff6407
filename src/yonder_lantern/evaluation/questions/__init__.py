"""Question sets: reading and writing them, drafting, judging, and carrying them elsewhere.

In: files of questions and judgements, documents, results of searches. Out: `QuestionSet`. This
package asks nothing and measures nothing.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use
from .question_set import (
    Expected,
    Located,
    LostQuote,
    Question,
    QuestionSet,
    Span,
    expected_at,
    load_questions,
    span_of,
)

if TYPE_CHECKING:
    from .draft_by_model import drafted_by_model
    from .drafting import draft_questions
    from .field_formats import (
        judgement_lines,
        named_documents,
        read_judgements,
        read_run,
        read_topics,
        run_lines,
        topic_lines,
        with_judgements,
    )
    from .find_again import Checked, FoundAgain, check_quotes
    from .from_traces import questions_asked
    from .judgements import (
        GRADES,
        Agreement,
        Judgement,
        JudgementBook,
        PooledPassage,
        agreement,
        pooled,
        with_judged,
    )
    from .write_set import as_line, save_questions

__all__ = [
    "GRADES",
    "Agreement",
    "Checked",
    "Expected",
    "FoundAgain",
    "Judgement",
    "JudgementBook",
    "Located",
    "LostQuote",
    "PooledPassage",
    "Question",
    "QuestionSet",
    "Span",
    "agreement",
    "as_line",
    "check_quotes",
    "draft_questions",
    "drafted_by_model",
    "expected_at",
    "judgement_lines",
    "load_questions",
    "named_documents",
    "pooled",
    "questions_asked",
    "read_judgements",
    "read_run",
    "read_topics",
    "run_lines",
    "save_questions",
    "span_of",
    "topic_lines",
    "with_judged",
    "with_judgements",
]
__getattr__ = on_first_use(
    __name__,
    {
        "from_traces": ["questions_asked"],
        "drafting": ["draft_questions"],
        "draft_by_model": ["drafted_by_model"],
        "field_formats": [
            "judgement_lines",
            "named_documents",
            "read_judgements",
            "read_run",
            "read_topics",
            "run_lines",
            "topic_lines",
            "with_judgements",
        ],
        "find_again": ["Checked", "FoundAgain", "check_quotes"],
        "judgements": [
            "GRADES",
            "Agreement",
            "Judgement",
            "JudgementBook",
            "PooledPassage",
            "agreement",
            "pooled",
            "with_judged",
        ],
        "write_set": ["as_line", "save_questions"],
    },
)
