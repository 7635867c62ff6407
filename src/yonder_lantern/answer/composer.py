"""The built-in answerer: it quotes, numbers its citations, and knows when to decline."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..embedding import Embedding
from ..find import analyser
from ..records import Answer, BlockKind, Citation, Document, Findings, Nearest, Statement, place_of
from ..settings import AnswerSettings
from .support import Features, Judge, ranking, support
from .tables import Reckoned, reckon
from .templates import Templates
from .units import Unit, document_units, units_of
from .wanted import Wanted, wanted
from .writing import write

_GAP = 1.0  # a further unit may rank this much below the best one
_ALIKE = 0.7  # units that share this much of their terms say the same
_NEAREST = 3
_LONGEST_LIST = 20  # items; of a longer list only those that fit are given


@dataclass(frozen=True, slots=True)
class Judged:
    """A unit with its features and its two scores."""

    unit: Unit
    features: Features
    rank: float
    support: float


class Composer:
    """Answers in the words of the sources, without any model.

    Parameters
    ----------
    settings : AnswerSettings
    embedding : Embedding or None
        The embedding of the generation that was searched.
    templates : Templates, optional
        The words that decline a question; those that ship without.
    """

    def __init__(
        self,
        settings: AnswerSettings,
        embedding: Embedding | None,
        templates: Templates | None = None,
    ) -> None:
        self._settings = settings
        self._embedding = embedding
        self._templates = templates or Templates()

    def answer(self, findings: Findings) -> Answer:
        """Answer from the hits, or decline.

        The best unit is taken first, then others that rank nearly as well and
        say something of the question that is not said yet. A question for a list
        gets the whole list; one for a total, an average or an extreme is worked out
        over the rows of a table, where one fits. The answer's support is that of its
        first unit; below ``min_support`` it is declined.
        """
        judged = self.judge(findings)
        if (reckoned := reckon(findings)) is not None:
            return self._reckoned(findings, reckoned)
        best = judged[0].support if judged else 0.0
        if not judged or best < self._settings.min_support:
            return self.decline(findings, judged)
        chosen = self._choose(judged, findings)
        if _wanted(findings) is Wanted.LIST:
            chosen = whole_list(chosen, judged)
        chosen = _in_order(chosen)
        units = [one.unit for one in chosen]
        statements = tuple(
            Statement(
                one.unit.text, one.unit.kind, one.unit.document.language, (number,), one.support
            )
            for number, one in enumerate(chosen, 1)
        )
        return self._answer(findings, units, statements, write(units), best)

    def _reckoned(self, findings: Findings, reckoned: Reckoned) -> Answer:
        """What was worked out, with the rows it rests on."""
        units = [row.unit for row in reckoned.rows]
        numbers = tuple(range(1, len(units) + 1))
        marks = "".join(f"[{number}]" for number in numbers)
        document = units[0].document
        statements = (
            Statement(
                reckoned.text,
                BlockKind.ROW,
                document.language,
                numbers,
                reckoned.fits,
                reckoned.formula,
            ),
        )
        text = f"{reckoned.text} {marks}\n\n{write(units)}"
        return self._answer(findings, units, statements, text, reckoned.fits)

    def _answer(
        self,
        findings: Findings,
        units: Sequence[Unit],
        statements: tuple[Statement, ...],
        text: str,
        support: float,
    ) -> Answer:
        return Answer(
            question=findings.asked.question,
            text=text,
            statements=statements,
            citations=tuple(citation_of(number, unit) for number, unit in enumerate(units, 1)),
            declined=False,
            support=support,
            looked_for=tuple(findings.words),
            missing=self.missing(findings),
        )

    def decline(self, findings: Findings, judged: Sequence[Judged]) -> Answer:
        """An answer that says there is none, in the desk's own words.

        Parameters
        ----------
        findings : Findings
        judged : sequence of Judged
            What came closest, best first.
        """
        looked_for, missing = tuple(findings.words), self.missing(findings)
        nearest = _nearest(judged)
        values = {
            "question": findings.asked.question,
            "sought": looked_for,
            "missing": missing,
            "nearest": [
                {"title": one.title, "place": one.place.within(one.document)} for one in nearest
            ],
        }
        return Answer(
            question=findings.asked.question,
            text=self._templates.filled("declined.j2", values),
            statements=(),
            citations=(),
            declined=True,
            support=judged[0].support if judged else 0.0,
            looked_for=looked_for,
            missing=missing,
            nearest=nearest,
        )

    @staticmethod
    def missing(findings: Findings) -> tuple[str, ...]:
        """The question's words that stand nowhere in what the caller may see."""
        return tuple(
            word
            for word, terms in findings.words.items()
            if not any(map(findings.known.get, terms))
        )

    def judge(self, findings: Findings) -> list[Judged]:
        """All units of the hits, best first."""
        judge = Judge(findings, _wanted(findings), self._embedding)
        units = [unit for unit in units_of(findings, analyser) if unit.terms]
        judge.learn(units)
        judged = []
        for unit in units:
            features = judge.features(unit)
            judged.append(Judged(unit, features, ranking(features), support(features)))
        judged.sort(key=lambda one: (-one.rank, one.unit.document.id, one.unit.start))
        return judged

    def _choose(self, judged: Sequence[Judged], findings: Findings) -> list[Judged]:
        asked = findings.terms.keys()
        chosen = [judged[0]]
        said = asked & frozenset(judged[0].unit.terms)
        for one in judged[1:]:
            if len(chosen) >= self._settings.statements:
                break
            if one.rank < judged[0].rank - _GAP:
                break
            if any(_alike(one.unit, other.unit) for other in chosen):
                continue
            new = (asked & frozenset(one.unit.terms)) - said
            sibling = any(_siblings(one.unit, other.unit) for other in chosen)
            if new or sibling:
                chosen.append(one)
                said |= new
        return chosen


def whole_list(chosen: list[Judged], judged: Sequence[Judged]) -> list[Judged]:
    """The whole list that the best item stands in."""
    first = next((one for one in chosen if one.unit.kind is BlockKind.ITEM), None)
    if first is None:
        return chosen
    document, at = first.unit.document, first.unit.block
    low = high = at
    while low > 0 and _same_list(document, low - 1, at):
        low -= 1
    while high + 1 < len(document.blocks) and _same_list(document, high + 1, at):
        high += 1
    if high - low >= _LONGEST_LIST:
        return chosen
    known = {(one.unit.document.id, one.unit.start): one for one in judged}
    found = []
    for unit in document_units(
        document, analyser(document.language), range(low, high + 1), first.unit.rank
    ):
        own = known.get((document.id, unit.start))
        found.append(own or replace(first, unit=unit))
    return found


def _wanted(findings: Findings) -> Wanted:
    """What the question asks for, or what the one it leans on did."""
    own = wanted(findings.asked.question)
    return own if own is not Wanted.ANYTHING else wanted(findings.asked.background)


def _alike(one: Unit, other: Unit) -> bool:
    """Whether two units say the same, with the same figures."""
    a, b = frozenset(one.terms), frozenset(other.terms)
    if not a or not b:
        return False
    figures_a = {term for term in a if any(c.isdigit() for c in term)}
    figures_b = {term for term in b if any(c.isdigit() for c in term)}
    return figures_a == figures_b and len(a & b) >= _ALIKE * min(len(a), len(b))


def _same_list(document: Document, number: int, other: int) -> bool:
    block, own = document.blocks[number], document.blocks[other]
    return block.kind is BlockKind.ITEM and block.under == own.under


def _siblings(one: Unit, other: Unit) -> bool:
    """Whether two units are neighbouring items of one list."""
    return (
        one.document.id == other.document.id
        and one.kind is BlockKind.ITEM
        and other.kind is BlockKind.ITEM
        and abs(one.block - other.block) == 1
    )


def _in_order(chosen: list[Judged]) -> list[Judged]:
    """Documents by their best unit, units within one as they stand there."""
    first: dict[str, int] = {}
    for number, one in enumerate(chosen):
        first.setdefault(one.unit.document.id, number)
    return sorted(chosen, key=lambda one: (first[one.unit.document.id], one.unit.start))


def citation_of(number: int, unit: Unit) -> Citation:
    """A unit as a citation."""
    document = unit.document
    return Citation(
        number=number,
        document=document.id,
        version=document.version,
        title=document.title,
        start=unit.start,
        end=unit.end,
        words=unit.text,
        place=place_of(document, unit.start, unit.end),
    )


def _nearest(judged: Sequence[Judged]) -> tuple[Nearest, ...]:
    found: dict[str, Nearest] = {}
    for one in judged:
        document = one.unit.document
        if document.id not in found:
            place = place_of(document, one.unit.start, one.unit.end)
            found[document.id] = Nearest(document.id, document.title, place)
        if len(found) == _NEAREST:
            break
    return tuple(found.values())
