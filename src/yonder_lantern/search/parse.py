"""Understanding a question: its language, its terms, and what it puts in quotes."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Protocol

from ..core import CallError, LimitError
from ..text import UNKNOWN, Analyser, detect_language, words, written_dates

# Words that ask rather than say what is asked about; they count little.
ASKING = frozenset(
    """mean means meant meaning stand stands called tell tells explain describe happen happens need
    know say says soon often quickly bedeutet heißt lange oft signifie fois temps""".split()
)
ASKED = 0.3  # how much such a word counts
PART = 0.3  # how much a part of a code counts beside the code itself: V-3 is not any V
BACKGROUND = 0.5  # how much a word of the turn before counts beside one of the question
OTHER_WORDS = 0.5  # how much a word counts that stands for one of the question
_QUOTED = re.compile(r"\"([^\"\n]+)\"|“([^“”\n]+)”|«([^«»\n]+)»|„([^„“”\n]+)[“”]")
_LONGEST_FORM = 6  # words of a long form that are looked for


class Lexicon(Protocol):
    """What the documents that a caller may see tell about words."""

    def other_forms(self, texts: Sequence[str]) -> Mapping[str, Sequence[str]]:
        """The long forms of short ones, the short forms of long ones, for those with any."""
        ...

    def has(self, terms: Sequence[str]) -> bool:
        """Whether any of some terms is there."""
        ...

    def repaired(self, word: str, terms: Sequence[str], language: str) -> str:
        """A word of the documents that an unknown one was probably meant to be; or nothing.

        ``terms`` are the word's in ``language``, then in any other that it may be in.
        """
        ...


@dataclass(frozen=True, slots=True)
class ParsedQuery:
    """A question's terms, how much each counts, and the words they are of.

    Attributes
    ----------
    language : str
    terms : mapping of str to float
    words : mapping of str to tuple of str
        The words as they were written, and the terms of each.
    order : tuple of str
        The terms of the question itself, in its order.
    phrases : tuple of str
        What it puts in quotation marks.
    read_as : mapping of str to str
        Words that no document has, and what they were read as.
    other_forms : mapping of str to tuple of str
        Abbreviations and what they stand for, or the other way round.
    spoken : str
        The language it shows itself to be in; ``language`` is one of the documents'.
    """

    language: str
    terms: Mapping[str, float]
    words: Mapping[str, tuple[str, ...]]
    order: tuple[str, ...] = ()
    phrases: tuple[str, ...] = ()
    read_as: Mapping[str, str] = field(default_factory=dict)
    other_forms: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    spoken: str = UNKNOWN


@lru_cache(maxsize=32)
def analyser_for(language: str) -> Analyser:
    """The analyser of a language, kept between questions."""
    return Analyser(language)


def parse_query(
    question: str,
    languages: Sequence[str],
    *,
    most: int,
    background: str = "",
    lexicon: Lexicon | None = None,
) -> ParsedQuery:
    """Find a question's language and terms.

    Where the question does not show which of the index's languages it is in, it
    is analysed in each of them. An abbreviation that is explained somewhere also
    looks for its long form, and a long form for its abbreviation. A word that no
    document has is read as one that they have, if it is nearly the same.

    Parameters
    ----------
    question : str
    languages : sequence of str
        The languages of the documents.
    most : int
        The longest question allowed, in characters.
    background : str, optional
        What was asked before; its terms count half.
    lexicon : Lexicon, optional
        Knows abbreviations and repairs spelling.

    Raises
    ------
    CallError
        The question is empty.
    LimitError
        The question is longer than ``most``.

    Examples
    --------
    >>> parse_query("Where are the moorings?", ["en"], most=100).terms
    {'moor': 1.0}
    >>> parse_query('Who wrote "clear of the fairway"?', ["en"], most=100).phrases
    ('clear of the fairway',)
    """
    if not question.strip():
        raise CallError("the question is empty", remedy="ask something")
    if len(question) > most:
        raise LimitError(
            f"the question has {len(question):,} characters; at most {most:,} are allowed",
            "find.question_characters",
            "ask something shorter, or raise the limit in yonder.toml",
        )
    spoken = detect_language(question)
    used = [spoken] if spoken in languages or not languages else list(languages)
    reading = _Reading(lexicon, used)
    for language in used:
        for text, share in ((background, BACKGROUND), (question, 1.0)):
            ordered = text is question and language == used[0]
            reading.read(text, share, language, spoken, ordered=ordered)
    terms, written = reading.terms, reading.written
    other_forms = _other_forms(f"{background} {question}", lexicon)
    for form in (form for forms in other_forms.values() for form in forms):
        form_terms = [
            term for word in words(form) for term in analyser_for(used[0]).word_terms(word)
        ]
        for term in form_terms:  # all of a form's words together count as one
            terms[term] = max(OTHER_WORDS / len(form_terms) ** 0.5, terms.get(term, 0.0))
        if form_terms:
            written.setdefault(form, tuple(dict.fromkeys(form_terms)))
    quoted = ("".join(groups).strip() for groups in _QUOTED.findall(question))
    phrases = tuple(phrase for phrase in quoted if words(phrase))
    order = tuple(dict.fromkeys(reading.order))
    read_as = reading.read_as
    return ParsedQuery(used[0], terms, written, order, phrases, read_as, other_forms, spoken)


class _Reading:
    """Collects the terms of a question, language by language."""

    def __init__(self, lexicon: Lexicon | None, languages: Sequence[str]) -> None:
        self._lexicon = lexicon
        self._languages = languages
        self.terms: dict[str, float] = {}
        self.written: dict[str, tuple[str, ...]] = {}
        self.order: list[str] = []
        self.read_as: dict[str, str] = {}

    def read(self, text: str, share: float, language: str, spoken: str, *, ordered: bool) -> None:
        """Take up the words of a text, which is in the language ``spoken``, in another one."""
        counts: dict[str, float] = {}
        for word in words(text):
            if spoken != language and not analyser_for(spoken).word_terms(word):
                continue  # a function word of the question's own language
            found = self._terms_of(word, language)
            if not found:
                continue
            asked = ASKED if word.casefold() in ASKING else 1.0
            if asked < 1 and self._lexicon is not None and not self._lexicon.has(found):
                continue  # it only asks
            whole_first = found[0] == word.casefold()  # a code, and then its parts
            for number, term in enumerate(found):
                weight = PART if number and whole_first else asked
                counts[term] = counts.get(term, 0.0) + weight
            self.written[word] = tuple(dict.fromkeys((*self.written.get(word, ()), *found)))
            if ordered:
                self.order.extend(found)
        for _, moment in written_dates(text):
            counts[moment] = 1.0
        for term, count in counts.items():
            self.terms[term] = max(share * count, self.terms.get(term, 0.0))

    def _terms_of(self, word: str, language: str) -> tuple[str, ...]:
        found = analyser_for(language).word_terms(word)
        if self._lexicon is None or not found or word.casefold() in ASKING:
            return found
        others = [
            term
            for other in self._languages
            if other != language
            for term in analyser_for(other).word_terms(word)
        ]
        meant = self._lexicon.repaired(word, (*found, *others), language)
        if not meant:
            return found
        self.read_as[word] = meant
        return analyser_for(language).word_terms(meant)


def _other_forms(text: str, lexicon: Lexicon | None) -> dict[str, tuple[str, ...]]:
    """The other forms of every word and run of words that has any."""
    if lexicon is None:
        return {}
    text_words = words(text)
    runs = dict.fromkeys(
        " ".join(text_words[at : at + size])
        for size in range(1, _LONGEST_FORM + 1)
        for at in range(len(text_words) - size + 1)
    )
    forms = lexicon.other_forms(list(runs))
    return {run: tuple(forms[run]) for run in runs if run in forms}
