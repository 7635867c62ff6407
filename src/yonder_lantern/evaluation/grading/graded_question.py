"""What became of one question."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal

from ...core import AnswerStatus
from ..measures import JudgedRanking, Ranked

_KEPT = 10  # hits of each question
RETRIEVAL = ("recall@5", "recall@10", "precision@5", "mrr", "map", "ndcg@10", "characters@1000")


@dataclass(frozen=True, slots=True)
class QuestionGrade:
    """What became of one question.

    Attributes
    ----------
    covered : bool
        Answered, and every expected group is held by the citations.
    right : bool
        That, and every string the answer must contain is there, and none that it must not.
    excerpt_holds : bool
        Not answered, and the passages shown hold every expected group.
    ranking : JudgedRanking or None
        None for a question that cannot be answered.
    facts_present, facts_wrong : float or None
        Shares of the strings that must and that must not be said which are; None where there are
        none, or no answer was given.
    borne_out : float or None
        Of the statements written, the share that the check of support let stand; None without.
    citation_precision, citation_recall : float or None
        Of the citations, those that touch an expected span; of the groups, those that the
        citations hold. None where nothing was answered or nothing is expected.
    likeness : float or None
        How like the wanted style the answer is; None where none is wanted.
    length : int
        Of the answer, in tokens.
    milliseconds, tokens, cost, currency
        What the question took: time, a model's tokens read and written, money.
    text : str
        The answer.
    hits, cited : tuple of Ranked
        What was found (the best ten, of a result that was kept), and what is cited.
    problem : str
        Why it could not be asked, as the model's server does not answer, say. It counts as not
        answered.
    """

    id: str
    kind: str
    split: str
    answerable: bool
    status: AnswerStatus
    support: float
    covered: bool
    right: bool
    excerpt_holds: bool
    question: str = ""
    ranking: JudgedRanking | None = None
    facts_present: float | None = None
    facts_wrong: float | None = None
    borne_out: float | None = None
    citation_precision: float | None = None
    citation_recall: float | None = None
    likeness: float | None = None
    length: int = 0
    milliseconds: float = 0.0
    tokens: int = 0
    cost: Decimal = Decimal(0)
    currency: str = ""
    text: str = ""
    hits: tuple[Ranked, ...] = ()
    cited: tuple[Ranked, ...] = ()
    problem: str = ""

    @property
    def answered(self) -> bool:
        """Whether an answer was given: neither an excerpt shown nor the question declined."""
        return self.status is AnswerStatus.ANSWER

    @property
    def declined(self) -> bool:
        """Whether the question was declined."""
        return self.status is AnswerStatus.DECLINED

    def kept(self) -> QuestionGrade:
        """The same with the best hits alone, as it is kept."""
        return replace(self, hits=self.hits[:_KEPT])

    @property
    def measures(self) -> Mapping[str, float]:
        """The usual measures of its ranking; none if it cannot be answered."""
        ranking = self.ranking
        return {name: ranking.value(name) for name in RETRIEVAL} if ranking else {}

    @property
    def outcome(self) -> str:
        """``right``, ``wrong``, ``excerpt``, ``excerpt that holds it`` or ``declined``.

        For a question that cannot be answered, ``right`` is any way of not answering it.
        """
        if self.answered:
            return "right" if self.right else "wrong"
        if not self.answerable:
            return "right"
        if self.excerpt_holds:
            return "excerpt that holds it"
        return "declined" if self.declined else "excerpt"
