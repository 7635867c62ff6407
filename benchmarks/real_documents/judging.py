"""One question asked of a desk, and what became of it.

Right, for a question written by reading: the citations together hold at least half of an expected
span, and the phrase that must be said is said. Partly: a citation touches an expected span, or the
phrase is said with a citation within _NEAR characters of one. Right, for a heading, term or option:
of the citations that say something, the first lies in the section or entry; partly: another does,
or a sentence there that only leads in. A heading or term alone, and what ends with a colon, says
nothing. To questions without an answer every answer is wrong.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass

from asking import Asked, Spot
from binding import says

from yonder_lantern import Desk
from yonder_lantern.core import Answer, AnswerStatus, Hit
from yonder_lantern.evaluation import Outcome, Ranked, judged_by_section, judged_by_spans
from yonder_lantern.evaluation.measures.ranking import covered_together, covers
from yonder_lantern.evaluation.questions.question_set import Span

_NEAR = 400
_DEPTH = 10
_HITS_AS_EXCERPT = 3


@dataclass(frozen=True)
class Judged:
    """What became of a question.

    Attributes
    ----------
    outcome, shipped : str
        With nothing declined; with the settings as they ship.
    document, passage : int
        Rank of the first hit in the right document, and of the first that holds what is
        expected, from 1; 0 where it is not among the ten best.
    given : bool
        Whether a passage that holds what is expected is before the answerer.
    first_cited : bool
        Whether the first citation lies in the right document.
    excerpt, excerpts : bool
        Whether the first passage found, or one of the first three, shown as it is, would hold it.
    excerpt_holds : bool
        Whether, as shipped, an excerpt was shown that holds it.
    """

    id: str
    kind: str
    answerable: bool
    outcome: str
    shipped: str
    support: float
    document: int
    passage: int
    given: bool
    first_cited: bool
    excerpt: bool
    excerpts: bool
    excerpt_holds: bool
    scores: tuple[float, ...]
    hits: tuple[tuple[str, int, int], ...]
    cited: tuple[tuple[str, int, int], ...]
    text: str


def judge(asked: Asked, unsure: Desk, shipped: Desk) -> Judged:
    """Ask a question twice and judge both answers.

    Parameters
    ----------
    asked : Asked
    unsure : Desk
        That declines nothing.
    shipped : Desk
        The same with the settings as they ship.
    """
    hits = unsure.find(asked.question, limit=_DEPTH)
    answer = unsure.ask(asked.question)
    usual = shipped.ask(asked.question)
    spans = [Span(spot.document, spot.start, spot.end, 1) for spot in asked.spots]
    documents = {span.document for span in spans}
    found = [Ranked(hit.document, hit.start, hit.end, _also(hit)) for hit in hits]
    holding = [any(holds(one, span, asked) for span in spans) for one in found]
    before = shipped.settings.find.limit
    return Judged(
        id=asked.id,
        kind=asked.kind,
        answerable=bool(spans),
        outcome=outcome(asked, answer, spans),
        shipped=outcome(asked, usual, spans),
        support=answer.support,
        document=_first([hit.document in documents for hit in hits]),
        passage=_first(holding),
        given=any(holding[:before]),
        first_cited=bool(answer.citations) and answer.citations[0].document in documents,
        excerpt=any(holding[:1]),
        excerpts=any(holding[:_HITS_AS_EXCERPT]),
        scores=tuple(round(hit.score, 6) for hit in hits),
        hits=tuple((hit.document, hit.start, hit.end) for hit in hits),
        cited=tuple((one.document, one.start, one.end) for one in answer.citations),
        text=answer.text if answer.answered else "",
        excerpt_holds=_excerpt_holds(usual, spans, asked),
    )


def outcome(asked: Asked, answer: Answer, spans: Sequence[Span]) -> str:
    """What an answer is: right, partly, wrong or declined."""
    if answer.declined:
        return Outcome.DECLINED.value
    if not answer.answered:
        return Outcome.EXCERPT.value
    cited = [Ranked(one.document, one.start, one.end) for one in answer.citations]
    if asked.derived and spans:
        return _by_section(asked, answer).value
    said = all(says(answer.text, words, hash_) for words, hash_ in asked.phrases)
    own = judged_by_spans(cited, [spans] if spans else [], said=said)
    if own is Outcome.WRONG and asked.phrases and said and any(
        _near(one, span) for one in cited for span in spans
    ):  # fmt: skip
        own = Outcome.PARTLY
    return own.value


def _excerpt_holds(answer: Answer, spans: Sequence[Span], asked: Asked) -> bool:
    """Whether the passages of an excerpt hold what is expected."""
    shown = [Ranked(one.document, one.start, one.end) for one in answer.citations]
    excerpt = answer.status is AnswerStatus.EXCERPT
    return excerpt and any(holds(one, span, asked) for one in shown for span in spans)


def _by_section(asked: Asked, answer: Answer) -> Outcome:
    sections = [Span(spot.document, spot.body, spot.end, 1) for spot in asked.spots]
    telling, leading = [], []
    for one in answer.citations:
        location = Ranked(one.document, one.start, one.end)
        if any(_is_title(location, spot) for spot in asked.spots):
            continue
        (leading if one.quote.rstrip().endswith(":") else telling).append(location)
    own = judged_by_section(telling, sections)
    if own is Outcome.WRONG and judged_by_section(leading, sections) is not Outcome.WRONG:
        return Outcome.PARTLY
    return own


def _is_title(one: Ranked, spot: Spot) -> bool:
    return one.document == spot.document and spot.start <= one.start and one.end <= spot.body


def as_record(judged: Judged) -> dict[str, object]:
    return asdict(judged)


def _also(hit: Hit) -> tuple[Ranked, ...]:
    return tuple(Ranked(one.document, one.start, one.end) for one in hit.also)


def holds(one: Ranked, span: Span, asked: Asked) -> bool:
    """Whether a passage holds what is expected: of a section, it lies in it or has half of it."""
    if covers(one, span) or covered_together([one], span):
        return True
    shared = min(one.end, span.end) - max(one.start, span.start)
    return asked.derived and one.document == span.document and 2 * shared > one.end - one.start


def _near(one: Ranked, span: Span) -> bool:
    apart = max(one.start, span.start) - min(one.end, span.end)
    return one.document == span.document and apart < _NEAR


def _first(flags: Sequence[bool]) -> int:
    return next((rank for rank, flag in enumerate(flags, 1) if flag), 0)
