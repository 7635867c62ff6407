"""Understanding a question: its language and its terms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from ..records import CallError, LimitError
from ..text import Analyser, detect_language, words

# Words that ask rather than say what is asked about; they count little.
ASKING = frozenset(
    """mean means meant meaning stand stands called tell tells explain describe happen happens need
    know say says bedeutet heißt signifie""".split()
)
ASKED = 0.3  # how much such a word counts
PART = 0.3  # how much a part of a code counts beside the code itself: V-3 is not any V
BACKGROUND = 0.5  # how much a word of the turn before counts beside one of the question


@dataclass(frozen=True, slots=True)
class Understood:
    """A question's terms, how much each counts, and the words they are of."""

    language: str
    terms: Mapping[str, float]
    words: Mapping[str, tuple[str, ...]]


@lru_cache(maxsize=32)
def analyser(language: str) -> Analyser:
    """The analyser of a language, kept between questions."""
    return Analyser(language)


def understand(
    question: str, languages: Sequence[str], *, most: int, background: str = ""
) -> Understood:
    """Find a question's language and terms.

    Where the question does not show which of the index's languages it is in, it
    is analysed in each of them.

    Parameters
    ----------
    question : str
    languages : sequence of str
        The languages of the documents.
    most : int
        The longest question allowed, in characters.
    background : str, optional
        What was asked before; its terms count half.

    Raises
    ------
    CallError
        The question is empty.
    LimitError
        The question is longer than ``most``.

    Examples
    --------
    >>> understand("Where are the moorings?", ["en"], most=100).terms
    {'moor': 1.0}
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
    terms: dict[str, float] = {}
    written: dict[str, tuple[str, ...]] = {}
    for language in used:
        for text, share in ((background, BACKGROUND), (question, 1.0)):
            counts: dict[str, float] = {}
            for word in words(text):
                if spoken != language and not analyser(spoken).word_terms(word):
                    continue  # a function word of the question's own language
                if found := analyser(language).word_terms(word):
                    asked = ASKED if word.casefold() in ASKING else 1.0
                    whole_first = found[0] == word.casefold()  # a code, and then its parts
                    for number, term in enumerate(found):
                        weight = PART if number and whole_first else asked
                        counts[term] = counts.get(term, 0.0) + weight
                    written[word] = tuple(dict.fromkeys((*written.get(word, ()), *found)))
            for term, count in counts.items():
                terms[term] = max(share * count, terms.get(term, 0.0))
    return Understood(used[0], terms, written)
