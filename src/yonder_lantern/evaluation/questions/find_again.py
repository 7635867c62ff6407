"""Quotes that no longer stand where they did, found again in what the document has become."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from difflib import SequenceMatcher

from msgspec.structs import replace

from .question_set import Expected, LostQuote, Question, QuestionSet, expected_at, span_of

_ALIKE = 0.75  # of the words of both, from which a passage is what the quote has become
_WORD = re.compile(r"\S+")
_FIGURE = re.compile(r"\d+(?:[.,:]\d+)*")
_LONGEST = 200_000  # characters of a document that is searched for something alike


@dataclass(frozen=True, slots=True)
class FoundAgain:
    """What has become of an expectation.

    Attributes
    ----------
    lost : LostQuote
    now : Expected or None
        Where it stands now; None if nowhere.
    how : str
        ``spaces`` differ, ``moved`` to another document, ``reworded``, or ``lost``.
    figures_differ : bool
        Whether the new words have other numbers: then the answer has changed, too.
    """

    lost: LostQuote
    now: Expected | None
    how: str
    figures_differ: bool = False


@dataclass(frozen=True, slots=True)
class Checked:
    """A question set held against the documents.

    Attributes
    ----------
    count : int
        Expectations.
    found : tuple of FoundAgain
        Those that do not stand as they are written.
    changed : tuple of str
        Ids of questions whose quotes stand, in documents that have another version by now.
    mended : mapping of str to Question
        The questions with every quote that was found again, and the versions of today.
    """

    count: int
    found: tuple[FoundAgain, ...]
    changed: tuple[str, ...]
    mended: dict[str, Question]


def check_quotes(
    questions: QuestionSet,
    text_of: Callable[[str], str | None],
    version_of: Callable[[str], str],
    documents: Callable[[], Iterable[str]],
) -> Checked:
    """Hold the expectations of a question set against the documents as they are.

    Parameters
    ----------
    questions : QuestionSet
    text_of, version_of : callable
        Of a document, by its id; the text None if there is no such one.
    documents : callable
        The ids of all documents, to look for quotes whose own is gone.
    """
    lost = [one for own in questions.locate(text_of) for one in own.lost]
    gone = {id(one.expected): _find(one, text_of, documents) for one in lost}
    mended: dict[str, Question] = {}
    changed = []
    count = 0
    for question in questions.questions:
        groups = []
        other = False
        for group in question.expected:
            now = []
            for one in group:
                count += 1
                found = gone.get(id(one))
                fresh = found.now if found and found.now else one
                version = "" if found and not found.now else version_of(fresh.document)
                other |= bool(one.version) and not found and version != one.version
                now.append(replace(fresh, version=version or one.version))
            groups.append(tuple(now))
        if other:
            changed.append(question.id)
        fresh_question = replace(question, expected=tuple(groups))
        if fresh_question != question:
            mended[question.id] = fresh_question
    return Checked(count, tuple(gone.values()), tuple(changed), mended)


def _find(
    lost: LostQuote,
    text_of: Callable[[str], str | None],
    documents: Callable[[], Iterable[str]],
) -> FoundAgain:
    one = lost.expected
    text = text_of(one.document)
    if text is not None:
        again = _but_for_spaces(text, one.quote)
        if again:
            return FoundAgain(lost, _moved(one, text, again), "spaces")
        again = most_alike(text, one.quote)
        if again:
            words = text[again[0] : again[1]]
            differ = sorted(_FIGURE.findall(words)) != sorted(_FIGURE.findall(one.quote))
            return FoundAgain(lost, _moved(one, text, again), "reworded", differ)
        return FoundAgain(lost, None, "lost")
    for id_ in documents() if one.quote else ():
        other = text_of(id_)
        moved = replace(one, document=id_, occurrence=1)
        if other is not None and span_of(other, moved):
            return FoundAgain(lost, moved, "moved")
    return FoundAgain(lost, None, "lost")


def _but_for_spaces(text: str, quote: str) -> tuple[int, int] | None:
    pattern = r"\s+".join(map(re.escape, quote.split()))
    found = re.search(pattern, text) if pattern else None
    return found.span() if found else None


def most_alike(text: str, quote: str) -> tuple[int, int] | None:
    """The stretch of a text that is most like a quote, word by word, if it is like it enough.

    Examples
    --------
    >>> text = "The office opens at nine. It closes at six in the evening."
    >>> text[slice(*most_alike(text, "It closes at five in the evening."))]
    'It closes at six in the evening.'
    """
    if len(text) > _LONGEST:
        return None
    spans = [found.span() for found in _WORD.finditer(text)]
    there = [text[start:end].casefold() for start, end in spans]
    wanted = [word.casefold() for word in quote.split()]
    if not there or not wanted:
        return None
    matcher = SequenceMatcher(None, there, wanted, autojunk=False)
    anchor = matcher.find_longest_match()
    if not anchor.size:
        return None
    first = max(0, anchor.a - anchor.b)
    best, score = None, _ALIKE
    for size in {len(wanted) - 1, len(wanted), len(wanted) + 1, len(wanted) + 2} - {0}:
        for start in range(max(0, first - 1), first + 2):
            part = there[start : start + size]
            alike = SequenceMatcher(None, part, wanted, autojunk=False).ratio()
            if part and alike >= score:
                best, score = (start, start + len(part)), alike + 1e-9
    return (spans[best[0]][0], spans[best[1] - 1][1]) if best else None


def _moved(one: Expected, text: str, span: tuple[int, int]) -> Expected:
    """The expectation at a new place of the same document."""
    return expected_at(one.document, text, *span, grade=one.grade, version=one.version)
