"""Finding what bears a sentence out among the passages of a brief."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from itertools import combinations

from ..core import BlockKind, Document, SearchResult
from ..embedding import Embedding
from ..platform.storage import Array
from ..search import analyser_for
from ..text import UNKNOWN, detect_language, words
from .check import Evidence, Verdict, check, check_in_other_language
from .context import AnswerContext
from .orders import gives_orders
from .units import Unit, explained_by, units_of

_NUMBERING = re.compile(
    r"^[\W_]*(?:(?:chapter|section|part|appendix|kapitel|teil|chapitre)\s+)?"
    r"(?:[A-Z]?[\d.]+[.):]?\s+)?",
    re.IGNORECASE,
)
_TRIED = 4  # units of a passage that a sentence is compared with
_TOGETHER = 3  # that may bear it out together
_APART = 8  # blocks that these may be apart, in one document


def _headings(document: Document) -> list[str]:
    headings = [block for block in document.blocks if block.kind is BlockKind.HEADING]
    return [document.title, *(document.text[block.start : block.end] for block in headings)]


def _plain(line: str) -> str:
    """A line's words, without what numbers it."""
    return " ".join(words(_NUMBERING.sub("", line))).casefold()


def _letters(text: str) -> str:
    return "".join(filter(str.isalnum, text))


def _belong_together(units: Sequence[Unit]) -> bool:
    """Whether units are of one document, and near each other there."""
    blocks = [unit.block for unit in units]
    same = len({unit.document.id for unit in units}) == 1
    return same and max(blocks) - min(blocks) <= _APART


def near_words(embedding: Embedding | None) -> Callable[[str], Array] | None:
    """What gives the vectors of words, where an embedding has them."""
    look_up = getattr(embedding, "words", None)
    if look_up is None:
        return None
    known: dict[str, Array] = {}

    def near(word: str) -> Array:
        if word not in known:
            known[word] = look_up([word])[0]
        return known[word]

    return near


class ContextUnits:
    """The units of a brief, to check sentences against.

    Parameters
    ----------
    result : SearchResult
    context : AnswerContext
    embedding : Embedding or None
        For words that are near to each other.
    granted : str, default ""
        Words that need no support.
    """

    def __init__(
        self,
        result: SearchResult,
        context: AnswerContext,
        embedding: Embedding | None,
        *,
        granted: str = "",
    ) -> None:
        numbers = {passage.hit.rank: passage.number for passage in context.passages}
        self._headings = {
            _plain(line)
            for passage in context.passages
            for line in _headings(result.documents[passage.hit.document])
        }
        self._units: dict[int, list[Unit]] = {number: [] for number in numbers.values()}
        for unit in units_of(result, analyser_for):
            if unit.rank in numbers and not gives_orders(unit.text):
                self._units[numbers[unit.rank]].append(unit)
        self._analyser = analyser_for(result.language)
        self._granted = granted
        self._near = near_words(embedding)

    def supporting(self, sentence: str, cited: Sequence[int]) -> tuple[list[Unit], Verdict]:
        """The units that bear a sentence out, and the verdict.

        Those of the passages that it cites come first; where these do not, those of
        the others: a citation is moved to what does. None bears it out: no unit, and
        the verdict against what it cites, or against what is nearest to it.
        """
        named = [number for number in cited if number in self._units]
        others = [number for number in self._units if number not in named]
        against = None
        for numbers in (named, others):
            units = [unit for number in numbers for unit in self._units[number]]
            found, verdict = self._best(sentence, units)
            if found and verdict:
                return found, verdict
            against = against or verdict
        return [], against or Verdict((), 0.0)

    def is_heading(self, line: str) -> bool:
        """Whether a line is but the title or a heading of what was put before the model."""
        said = _plain(line)
        return bool(said) and said in self._headings

    def saying(self, asked: str, says: Callable[[Unit], bool]) -> Unit | None:
        """Of the units that say something, the one that shares most words with what is asked."""
        terms = frozenset(self._analyser.terms(asked))
        found = [unit for units in self._units.values() for unit in units if says(unit)]
        return max(
            found, key=lambda unit: len(terms & (frozenset(unit.terms) | unit.above)), default=None
        )

    def _best(self, sentence: str, units: Sequence[Unit]) -> tuple[list[Unit], Verdict | None]:
        """The smallest set of units that bears a sentence out; else none."""
        if verbatim := self._verbatim(sentence, units):
            return verbatim, Verdict((), 1.0)
        spoken = detect_language(sentence)
        if spoken != UNKNOWN:
            foreign = [one for one in units if one.document.language not in (spoken, UNKNOWN, "")]
            if len(foreign) == len(units):
                return self._best_in_other_language(sentence, units)
        terms = frozenset(self._analyser.terms(sentence))
        near = sorted(
            units,
            key=lambda unit: (
                -len(terms & (frozenset(unit.terms) | unit.above)) + 1e-3 * len(unit.terms)
            ),
        )[:_TRIED]
        first: Verdict | None = None
        for count in range(1, _TOGETHER + 1):
            for chosen in combinations(near, count):
                if not _belong_together(chosen):
                    continue
                evidence = [
                    Evidence(unit.text, unit.context_header, explained_by(unit)) for unit in chosen
                ]
                verdict = check(
                    sentence,
                    evidence,
                    self._analyser,
                    near=self._near,
                    granted=self._granted,
                )
                first = first or verdict
                if verdict.supported:
                    return list(chosen), verdict
        return [], first

    @staticmethod
    def _best_in_other_language(
        sentence: str, units: Sequence[Unit]
    ) -> tuple[list[Unit], Verdict | None]:
        """The unit whose figures and names are those of a sentence in another language."""
        first: Verdict | None = None
        for unit in units:
            evidence = [Evidence(unit.text, unit.context_header)]
            verdict = check_in_other_language(sentence, evidence)
            first = first or verdict
            if verdict.supported:
                return [unit], verdict
        return [], first

    @staticmethod
    def _verbatim(sentence: str, units: Sequence[Unit]) -> list[Unit]:
        """The neighbouring units that a sentence was copied from, if it was."""
        said = _letters(sentence)
        for first, unit in enumerate(units):
            letters = _letters(unit.text)
            if not said.startswith(letters) or len(letters) == len(said):
                continue
            for last in range(first + 1, len(units)):
                if units[last].document.id != unit.document.id:
                    break
                letters += _letters(units[last].text)
                if letters == said:
                    return list(units[first : last + 1])
                if not said.startswith(letters):
                    break
        return []

    def code_like(self, lines: Sequence[str]) -> tuple[Unit | None, list[str]]:
        """The code that some lines are from, and those of them that are not in it.

        None where less than half of them stand in any code of the passages, but for white space.
        """
        asked = [plain for line in lines if (plain := " ".join(line.split()))]
        best: tuple[int, Unit | None, list[str]] = (len(asked), None, [])
        for unit in (unit for units in self._units.values() for unit in units):
            if unit.kind is not BlockKind.CODE:
                continue
            there = {" ".join(line.split()) for line in unit.text.splitlines()}
            changed = [line for line in asked if line not in there]
            if len(changed) < best[0] and 2 * len(changed) <= len(asked):
                best = (len(changed), unit, changed)
        return best[1], best[2]
