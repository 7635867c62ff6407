"""Notes beside an answer: those that fit the question, and what they contradict."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from functools import lru_cache, partial
from itertools import combinations

from ..answer import contradicts
from ..core import Answer, Caller, Citation, FoundNote, ResolvedQuery, SearchResult
from ..index import Snapshot
from ..knowledge import NoteBook, rank_notes
from ..search import analyser_for, begin_search, spans_of
from ..settings import FindSettings

_SHOWN = 3
_QUOTED = 8  # words in a row that a note and a document share, from which it quotes it
_LOOKED_AT = 5  # passages most like a note, in which its words are looked for
_READ = 20_000  # notes whose terms are remembered
_WORD = re.compile(r"\w+")


def notes_beside(
    notes: NoteBook, snapshot: Snapshot, result: SearchResult, answer: Answer
) -> tuple[FoundNote, ...]:
    """The notes that fit a question, the best first, and what each contradicts.

    Parameters
    ----------
    notes : NoteBook
        As the caller sees them.
    snapshot : Snapshot
    result : SearchResult
        What was searched for.
    answer : Answer
        Whose cited words they are held against.
    """
    asked = result.query
    moment = asked.caller.as_of or datetime.now(UTC)
    standing = notes.standing(moment)
    if not standing:
        return ()
    found = rank_notes(
        standing,
        result.terms,
        result.words,
        partial(_terms, result.language),
        getattr(snapshot.embedding, "words", None),
    )[:_SHOWN]
    told = [replace(one, contradicts=_against(one, answer.citations)) for one in found]
    for one, other in combinations(range(len(told)), 2):
        if contradicts(told[one].note.text, told[other].note.text, result.language):
            older, newer = sorted((one, other), key=lambda at: told[at].note.at)
            told[older] = replace(told[older], newer=told[newer].note.id)
    return tuple(sorted(told, key=lambda one: bool(one.newer)))  # the newer one first


@lru_cache(maxsize=_READ)
def _terms(language: str, text: str) -> frozenset[str]:
    return frozenset(analyser_for(language).terms(text))


def _against(found: FoundNote, citations: Sequence[Citation]) -> tuple[str, ...]:
    return tuple(
        f"{one.document}#{one.start}"
        for one in citations
        if not one.live and contradicts(found.note.text, one.quote, "")
    )


def quotes_restricted(
    snapshot: Snapshot, settings: FindSettings, text: str, labels: Sequence[str]
) -> str:
    """Why a text may not be shown to some audience: it quotes what they may not see.

    Parameters
    ----------
    snapshot : Snapshot
    settings : FindSettings
    text : str
    labels : sequence of str

    Returns
    -------
    str
        Empty if nothing speaks against it; the document is not named.
    """
    told = [word.casefold() for word in _WORD.findall(text)]
    runs = {tuple(told[at : at + _QUOTED]) for at in range(len(told) - _QUOTED + 1)}
    if not runs:
        return ""
    question = text[: settings.question_characters]
    search = begin_search(snapshot, settings, ResolvedQuery(question, Caller()))
    for span in spans_of(search, _LOOKED_AT):
        document = snapshot.document(span.document)
        if document is None or set(labels) <= document.audience:
            continue
        there = [word.casefold() for word in _WORD.findall(document.text)]
        if any(tuple(there[at : at + _QUOTED]) in runs for at in range(len(there))):
            return f"it quotes a document that not all of {', '.join(labels)} may see"
    return ""
