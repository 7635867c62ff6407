"""What a fixed reply looks up, as something that a step of a question can find."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from ..core import (
    LIVE,
    Answer,
    Block,
    BlockKind,
    Citation,
    Document,
    Hit,
    Location,
    LookedUp,
    Origin,
    ResolvedQuery,
    ScoreBreakdown,
    SearchResult,
)
from ..embedding import Embedding
from ..replies import BEFORE_EXCERPT, Candidate, FixedReplies
from ..settings import FixedReplySettings


@dataclass(slots=True)
class LiveFacts:
    """What look-ups give while one question is worked on; each reply is asked for once.

    Parameters
    ----------
    replies : FixedReplies
    embedding : Embedding or None
        Of the index: it tells how like a step is to the phrasings of a reply.
    asked : ResolvedQuery
        The whole question, whose caller and moment hold for its steps.
    """

    replies: FixedReplies
    embedding: Embedding | None
    asked: ResolvedQuery
    _answers: dict[str, Answer] = field(default_factory=dict)

    def is_part_of(self, reply: Candidate) -> bool:
        """Whether a reply tells only what the question's first step asks, and more is asked."""
        from ..knowledge.steps import first_asked  # only here: a fixed reply need not wait for it

        if not isinstance(reply.of, FixedReplySettings) or not reply.of.look_ups:
            return False
        for step in first_asked(self.asked.question):
            candidate = self._candidate(step)
            if candidate is not None and candidate.of is reply.of:
                return True
        return False

    def is_told(self, question: str) -> bool:
        """Whether a look-up tells what a step asks."""
        return self._candidate(question) is not None

    def found(self, question: str, result: SearchResult) -> SearchResult | None:
        """What a step finds that a look-up tells: its reply alone; None where none tells it.

        Parameters
        ----------
        question : str
            What the step asks.
        result : SearchResult
            What the documents give for it.
        """
        candidate = self._candidate(question)
        if candidate is None:
            return None
        name = candidate.of.name
        if name not in self._answers:
            self._answers[name] = self.replies.answer(candidate, self.asked)
        answer = self._answers[name]
        if not answer.answered:
            return None
        text = answer.statements[0].text
        document = Document(
            id=f"look-up/{name}",
            source="look-up",
            key=name,
            version=hashlib.sha256(text.encode()).hexdigest()[:16],
            title=candidate.route.phrasing,
            language=result.language,
            format=LIVE,
            text=text,
            blocks=(Block(BlockKind.PARAGRAPH, 0, len(text)),),
            origin=Origin(),
            metadata={},
            audience=frozenset(candidate.of.audience),
        )
        hit = _hit(document)
        documents = {document.id: document}
        return replace(result, hits=(hit,), documents=documents, strength=hit.score)

    def cited(self, answer: Answer) -> Answer:
        """An answer whose citations of look-ups say what was looked up, where, and when."""
        used = {one.document for one in answer.citations}
        told = {
            f"look-up/{name}": reply
            for name, reply in self._answers.items()
            if f"look-up/{name}" in used
        }
        if not told:
            return answer
        citations = tuple(
            _as_looked_up(one, told[one.document].citations) if one.document in told else one
            for one in answer.citations
        )
        looked_up: Iterable[LookedUp] = (
            one for reply in told.values() for one in reply.route.look_ups
        )
        route = replace(answer.route, look_ups=(*answer.route.look_ups, *looked_up))
        return replace(answer, citations=citations, route=route)

    def _candidate(self, question: str) -> Candidate | None:
        """The reply with look-ups that is meant by a question."""
        if self.asked.way != "any" or not self.replies:
            return None
        found = self.replies.candidate(replace(self.asked, question=question), self.embedding)
        looks_up = found is not None and isinstance(found.of, FixedReplySettings)
        if found is None or not looks_up or not found.of.look_ups:  # type: ignore[union-attr]
            return None
        return found if found.fits(BEFORE_EXCERPT) else None


def _as_looked_up(citation: Citation, told: tuple[Citation, ...]) -> Citation:
    first, *others = told
    quote = "; ".join(one.quote for one in (first, *others))
    return replace(first, number=citation.number, quote=quote, end=len(quote))


def _hit(document: Document) -> Hit:
    return Hit(
        rank=1,
        document=document.id,
        version=document.version,
        title=document.title,
        language=document.language,
        start=0,
        end=len(document.text),
        text=document.text,
        context_header=document.title,
        location=Location(),
        score=1.0,
        breakdown=ScoreBreakdown(()),
    )
