"""The built-in answerer's choice: what of the units found answers a question, or that none does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from textwrap import shorten

from ..core import (
    Answer,
    AnswerStatus,
    BlockKind,
    Document,
    Nearest,
    SearchResult,
    heading_trail,
    location_of,
)
from ..embedding import Embedding
from ..search import analyser_for
from ..settings import AnswerSettings
from ..text import one_line
from .aggregate_rows import aggregate
from .ambiguity import contradicting, equal_rows, labels_of
from .answer_type import AnswerType, defined_term, defines, described_thing
from .choosing import choose
from .comparing import comparison_of
from .confirming import asks_to_confirm
from .draft import Draft, written
from .excerpts import best_of, closest_passages, excerpt_of
from .judged import Judged, alike, wanted_by
from .lead_in import with_lead_ins
from .named_things import is_about, named_in
from .navigation import Navigation
from .opposing import Opposing
from .prompt_templates import Templates
from .support import excerpt_support, rankings, signs_of, support
from .unit_features import Judge
from .units import Unit, document_units, units_of
from .wide_units import wide_units

_REQUESTING = frozenset(  # words that carry a request: nobody looks for them in the documents
    """give gives pick picks list lists recommend recommends recommended suggest suggests want wants
    make makes tell tells show shows find help please explain name names compare summarise summarize
    nenne zeige liste empfiehl erkläre bitte donne montre cite recommande""".split()
)
_GAP = 1.0  # a further unit may rank this much below the best one
_AS_GOOD = 1.0  # and this much, to be shown though it says nothing new of the question
_AS_SURE = 0.4  # of the first one's support, in that case; that counts how far it leads, too
_SHOWN_OF_NEAREST = 160  # characters
_NEAREST = 3
_LONGEST_LIST = 20  # items; of a longer list only those that fit are given


class Composer:
    """Answers in the words of the sources, without any model.

    Parameters
    ----------
    settings : AnswerSettings
    embedding : Embedding or None
        The embedding of the generation that was searched.
    templates : Templates, optional
        The words that decline a question; those that ship without.
    organisation : str, optional
        Whose documents they are: they need not name it.
    """

    def __init__(
        self,
        settings: AnswerSettings,
        embedding: Embedding | None,
        templates: Templates | None = None,
        organisation: str = "",
    ) -> None:
        self._organisation = organisation
        self._settings = settings
        self._embedding = embedding
        self._templates = templates or Templates()

    def draft(
        self, result: SearchResult, judged: Sequence[Judged], most: int | None = None
    ) -> Draft | None:
        """What answers a question; None where nothing bears an answer out.

        The best unit is taken first, then others that rank about as well, and those
        that rank nearly as well and say something of the question that is not said
        yet. A question for a list gets the whole list; one for a total, an average or an
        extreme, or for what keeps to limits, is worked out over the rows of a table,
        where one fits. Rows that fit equally well are all shown, and it is asked back
        which is meant; units that contradict each other are shown as such.

        Parameters
        ----------
        result : SearchResult
        judged : sequence of Judged
            All units, best first, see `judge`.
        most : int, optional
            How many statements at most, lists and rows apart; `answer.statements` without.
        """
        if (chosen := choose(result)) is not None:
            return chosen
        compares = comparison_of(result.query.question) is not None  # two things, not all rows
        if not compares and (worked_out := aggregate(result)) is not None:
            units = tuple(row.unit for row in worked_out.rows)
            supports = (worked_out.fits,) * len(units)
            return Draft(units, supports, worked_out.fits, worked_out.text, worked_out.formula)
        judged = self._about_what_is_named(judged, result)
        if not judged or judged[0].support < self._settings.min_support:
            return None
        if (line := _defining_line(judged, result.query.question)) is not None:
            return _drafted([line], support=max(line.support, judged[0].support))
        if equals := equal_rows(judged, result):
            return _drafted(
                equals, head=self.words("which"), choices=labels_of([one.unit for one in equals])
            )
        if others := contradicting(judged, result):
            sides = with_lead_ins([judged[0], *others])
            return _drafted(sides, head=self.words("differ"), disagree=True)
        chosen_units = self._choose(judged, result, most or self._settings.statements)
        if wanted_by(result) is AnswerType.LIST:
            chosen_units = whole_list(chosen_units, judged)
        best = judged[0]
        shown = _in_order(chosen_units)
        if asks_to_confirm(result.query.question):  # the sentence that decides is said first
            shown = [best, *(one for one in shown if not one.unit.overlaps(best.unit))]
        return _drafted(with_lead_ins(shown), support=best.support)

    def _about_what_is_named(
        self, judged: Sequence[Judged], result: SearchResult
    ) -> Sequence[Judged]:
        """The units in whose passage, title or headings all stands that the question names."""
        ours = self._organisation.casefold()
        named = named_in(result.query.question, result.language)
        names = [one for one in named if one.casefold() not in ours and one not in result.read_as]
        if not names:
            return judged
        hits = {hit.rank: f"{hit.context_header}\n{hit.text}" for hit in result.hits}
        return [
            one
            for one in judged
            if is_about(names, one.unit.text, one.unit.context_header, hits[one.unit.rank])
        ]

    def answered(
        self,
        result: SearchResult,
        drafts: Sequence[Draft],
        unanswered: Sequence[str] = (),
        before: str = "",
    ) -> Answer:
        """The answer that some drafts make together.

        Parameters
        ----------
        result : SearchResult
            Of the whole question.
        drafts : sequence of Draft
        unanswered : sequence of str
            Parts of the question that the documents do not answer.
        before : str
            What is said first.
        """
        whole = written(drafts)
        told = [self.words("not said", part) for part in unanswered]
        return Answer(
            question=result.query.question,
            text="\n\n".join(filter(None, (before, whole.text, *told))),
            statements=whole.statements,
            citations=whole.citations,
            status=AnswerStatus.ANSWER,
            support=min(draft.support for draft in drafts),
            looked_for=tuple(result.words),
            missing=self.missing(result),
            choices=tuple(choice for draft in drafts for choice in draft.choices),
            disagree=any(draft.disagree for draft in drafts),
        )

    def closest(self, result: SearchResult, judged: Sequence[Judged]) -> Answer:
        """The passages that come closest, if they are likely enough to hold it; else declined.

        Parameters
        ----------
        result : SearchResult
        judged : sequence of Judged
            All units, best first.
        """
        support = excerpt_support(judged[0].signs) if judged else 0.0
        found = closest_passages(judged, result)
        if not found or support < self._settings.min_excerpt_support:
            return self.decline(result, judged)
        shown, others, citations = excerpt_of(found, result)
        also = (self.words("also close"), others) if others else ()
        return Answer(
            question=result.query.question,
            text="\n\n".join(filter(None, (self.words("closest"), shown, *also))),
            statements=(),
            citations=citations,
            status=AnswerStatus.EXCERPT,
            support=support,
            looked_for=tuple(result.words),
            missing=self.missing(result),
        )

    def closest_sentences(self, result: SearchResult, head: str) -> str:
        """The best sentences of the documents that come closest, a line each, below some words."""
        lines = [
            f"- {one_line(one.title)} ({one_line(one.location.within(one.document))}): "
            f"“{shorten(one.quote, _SHOWN_OF_NEAREST, placeholder=' …')}”"
            for one in _nearest(self.judge(result))
        ]
        return "\n\n".join(filter(None, (head, "\n".join(lines))))

    def decline(self, result: SearchResult, judged: Sequence[Judged], request: str = "") -> Answer:
        """An answer that says there is none, in the desk's own wording.

        Parameters
        ----------
        result : SearchResult
        judged : sequence of Judged
            What came closest, best first.
        request : str
            What was asked to be done, where it was no question: "write a letter".
        """
        looked_for, missing = tuple(result.words), self.missing(result)
        nearest, suggestions = _nearest(judged), _suggestions(judged)
        values = {
            "question": result.query.question,
            "sought": looked_for,
            "missing": missing,
            "request": request,
            "suggestions": tuple(map(one_line, suggestions)),
            "values": result.query.values,
            "nearest": [
                {
                    "title": one_line(one.title),
                    "location": one_line(one.location.within(one.document)),
                    "quote": shorten(one.quote, _SHOWN_OF_NEAREST, placeholder=" …"),
                }
                for one in nearest
            ],
        }
        return Answer(
            question=result.query.question,
            text=self._templates.filled("declined.j2", values),
            statements=(),
            citations=(),
            status=AnswerStatus.DECLINED,
            support=judged[0].support if judged else 0.0,
            looked_for=looked_for,
            missing=missing,
            nearest=nearest,
            suggestions=suggestions,
        )

    def words(self, what: str, about: str = "") -> str:
        """The desk's own words that lead on to what is quoted."""
        return self._templates.filled("words.j2", {"what": what, "about": about})

    @staticmethod
    def missing(result: SearchResult) -> tuple[str, ...]:
        """The question's words that stand nowhere in what the caller may see."""
        return tuple(
            word
            for word, terms in result.words.items()
            if word.casefold() not in _REQUESTING and not any(map(result.known.get, terms))
        )

    def judge(self, result: SearchResult) -> list[Judged]:
        """All units of the hits, best first, but those that say the opposite of what is asked."""
        judge = Judge(result, wanted_by(result), self._embedding)
        navigation = Navigation(result.query.question, asks_code=judge.asks_code)
        small = [unit for unit in units_of(result, analyser_for) if not _only_leads_in(unit)]
        units = [
            unit
            for unit in (*small, *wide_units(result, analyser_for))
            if unit.terms and not navigation.holds(unit)
        ]
        opposing = Opposing(result.query.question, analyser_for(result.language))
        if opposing:
            units = [unit for unit in units if not opposing.is_opposite(unit.text)]
        features = judge.features(units)
        scores = rankings(features)
        signs = signs_of(units, features, scores, result)
        judged = [
            Judged(unit, own, score, support(sign), sign)
            for unit, own, score, sign in zip(units, features, scores, signs, strict=True)
        ]
        judged.sort(key=lambda one: (-one.rank, one.unit.document.id, one.unit.start))
        return judged

    def _choose(self, judged: Sequence[Judged], result: SearchResult, most: int) -> list[Judged]:
        asked = result.terms.keys()
        chosen = [judged[0]]
        said = asked & frozenset(judged[0].unit.terms)
        for one in judged[1:]:
            if len(chosen) >= most:
                break
            if one.rank < judged[0].rank - _GAP:
                break
            if any(
                one.unit.overlaps(other.unit) or alike(one.unit, other.unit) for other in chosen
            ):
                continue
            new = (asked & frozenset(one.unit.terms)) - said
            sibling = any(_siblings(one.unit, other.unit) for other in chosen)
            sure = one.support >= _AS_SURE * judged[0].support
            as_good = sure and one.rank >= judged[0].rank - _AS_GOOD
            if new or sibling or as_good:
                chosen.append(one)
                said |= new
        return chosen


def _defining_line(judged: Sequence[Judged], question: str) -> Judged | None:
    """The best sentence, item or row that says what a thing is, where just that is asked."""
    if not (thing := defined_term(question) or described_thing(question)):
        return None
    small = (one for one in judged if not one.unit.wide)
    return next((one for one in small if defines(one.unit.text, thing)), None)


def _only_leads_in(unit: Unit) -> bool:
    """Whether a unit only introduces what follows it."""
    return unit.kind is not BlockKind.CODE and unit.text.rstrip().endswith(":")


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
    known = {(one.unit.document.id, one.unit.start): one for one in judged if not one.unit.wide}
    found = []
    for unit in document_units(
        document, analyser_for(document.language), range(low, high + 1), first.unit.rank
    ):
        known_unit = known.get((document.id, unit.start))
        found.append(known_unit or replace(first, unit=unit))
    return found


def _same_list(document: Document, number: int, other: int) -> bool:
    block, other_block = document.blocks[number], document.blocks[other]
    return block.kind is BlockKind.ITEM and block.under == other_block.under


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


def _drafted(
    chosen: Sequence[Judged],
    *,
    support: float | None = None,
    head: str = "",
    choices: tuple[str, ...] = (),
    disagree: bool = False,
) -> Draft:
    supports = tuple(one.support for one in chosen)
    whole = supports[0] if support is None else support
    return Draft(
        tuple(one.unit for one in chosen), supports, whole, head, choices=choices, disagree=disagree
    )


def _nearest(judged: Sequence[Judged]) -> tuple[Nearest, ...]:
    """The best sentence of each of the best documents."""
    found: dict[str, Nearest] = {}
    for one in judged:
        document = one.unit.document
        if document.id not in found:
            best = best_of(judged, one)
            location = location_of(document, best.start, best.end)
            found[document.id] = Nearest(document.id, document.title, location, best.text)
        if len(found) == _NEAREST:
            break
    return tuple(found.values())


def _suggestions(judged: Sequence[Judged]) -> tuple[str, ...]:
    """What the nearest sections are called, with their documents' titles, each once."""
    found: dict[str, None] = {}
    for one in judged:
        block = one.unit.document.blocks[one.unit.block]
        trail = heading_trail(one.unit.document.text, one.unit.document.blocks, block.under)
        title = one.unit.document.title
        if trail and trail[-1] != title:
            found.setdefault(f"{title}: {trail[-1]}")
        if len(found) == _NEAREST:
            break
    return tuple(found)
