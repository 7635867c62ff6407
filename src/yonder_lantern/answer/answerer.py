"""The built-in answerer: questions, questions in one, comparisons and requests, without a model."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..core import Answer, SearchResult
from ..search import analyser_for
from .aggregate_rows import columns_above
from .comparing import compare, comparison_of
from .composer import Composer
from .contrasting import Contrast, contrast_of, tells_of_both
from .draft import Draft
from .judged import Judged
from .parts import parts_of
from .requests import Request, request_of
from .summarize import summary

_OF_A_PART = 2  # statements for each of several questions in one

Search = Callable[[str, Sequence[str]], SearchResult]


class BuiltInAnswerer:
    """Answers in the words of the sources, without any model.

    Parameters
    ----------
    composer : Composer
    search : callable
        What finding gives for another question, after some that it may lean on.
    """

    def __init__(self, composer: Composer, search: Search) -> None:
        self._composer = composer
        self._search = search

    def answer(self, result: SearchResult) -> Answer:
        """Answer from the hits; show the closest passages, or decline.

        Questions asked together are answered one by one; what the documents do not
        say of them is named. A request that is no question is served with what the
        documents say of its subject, or declined with a plain word.
        """
        question = result.query.question
        if (request := request_of(question)) is not None:
            return self._served(request, result)
        parts = parts_of(question)
        if len(parts) > 1 and (answer := self._parts(parts, result)) is not None:
            return answer
        if (comparison := comparison_of(question)) is not None:
            draft = compare(comparison, result, lambda other: self._search(other, ()))
            if draft is not None:
                return self._composer.answered(result, [draft])
        judged = self._composer.judge(result)
        if contrast := contrast_of(question):
            drafts = self._contrasted(contrast, result, judged)
            if drafts is not None:
                return self._composer.answered(result, drafts)
        draft = self._composer.draft(result, judged)
        if draft is None:
            return self._composer.closest(result, judged)
        return self._composer.answered(result, [draft])

    def _parts(self, parts: Sequence[str], result: SearchResult) -> Answer | None:
        """The answers to questions asked together; None where none of them is answered."""
        drafts: list[Draft] = []
        unanswered: list[str] = []
        for at, part in enumerate(parts):
            found = self._search(part, parts[:at])
            if found.query.background and drafts and _already_says(drafts[-1], found):
                continue
            draft = self._composer.draft(found, self._composer.judge(found), _OF_A_PART)
            if draft is None:
                unanswered.append(part)
            else:
                drafts.append(draft)
        return self._composer.answered(result, drafts, unanswered) if drafts else None

    def _contrasted(
        self, contrast: Contrast, result: SearchResult, judged: Sequence[Judged]
    ) -> list[Draft] | None:
        """What each of two things is; None where one unit tells of both, or one is not found."""
        analyser = analyser_for(result.language)
        if judged and tells_of_both(judged[0].unit, contrast, analyser):
            return None
        drafts = []
        for thing in contrast:
            found = self._search(f"What is {thing}?", ())
            draft = self._composer.draft(found, self._composer.judge(found), _OF_A_PART)
            if draft is None:
                return None
            drafts.append(draft)
        return drafts

    def _served(self, request: Request, result: SearchResult) -> Answer:
        if request.topic:
            found = self._search(request.topic, ())
            judged = self._composer.judge(found)
            if request.kind == "summary" and (draft := summary(judged, found)):
                title = draft.units[0].document.title
                before = self._composer.words("summary", title)
                return self._composer.answered(result, [draft], before=before)
            draft = self._composer.draft(found, judged)
            if draft is not None:
                before = ""
                if request.kind == "writing":
                    before = self._composer.words("written", request.deed)
                return self._composer.answered(result, [draft], before=before)
        judged = self._composer.judge(result) if request.topic else []
        return self._composer.decline(result, judged, request.deed)


def _already_says(draft: Draft, result: SearchResult) -> bool:
    """Whether rows that were chosen have a column for what is asked of them as well."""
    asked_terms = frozenset(result.terms)
    return bool(draft.formula) and any(asked_terms & columns_above(unit) for unit in draft.units)
