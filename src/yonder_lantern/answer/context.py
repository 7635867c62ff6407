"""The brief: the passages that are put before a model, numbered and fenced."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..core import Document, Hit, LimitError, SearchResult, heading_trail
from ..text import one_line

_FENCE = "====="


@dataclass(frozen=True, slots=True)
class ContextPassage:
    """A passage of the brief.

    ``above`` is what stands over it and explains it: its headings, a table's header row.
    """

    number: int
    title: str
    location: str
    date: str
    above: str
    text: str
    hit: Hit


@dataclass(frozen=True, slots=True)
class AnswerContext:
    """What a model is given to answer from.

    ``fence`` begins the lines around each passage and stands in none of them, nor in their
    titles, places, dates and headings: a document cannot end its own passage. ``left_out``
    counts the passages there was no room for.
    """

    passages: tuple[ContextPassage, ...]
    fence: str
    left_out: int


def context_of(result: SearchResult, tokens_of: Callable[[str], int], room: int) -> AnswerContext:
    """The passages found that fit into some tokens, the best first, none cut.

    Parameters
    ----------
    result : SearchResult
    tokens_of : callable
        About how many tokens a text is.
    room : int
        How many there may be.

    Raises
    ------
    LimitError
        Not one passage fits.
    """
    chosen: list[ContextPassage] = []
    left = room
    for hit in result.hits:
        passage = _passage(len(chosen) + 1, hit, result.documents[hit.document])
        needed = _needed(passage, tokens_of)
        if needed <= left:
            chosen.append(passage)
            left -= needed
    if result.hits and not chosen:
        raise LimitError(
            f"no passage fits into the {max(0, room)} tokens that the prompt leaves",
            "context, in the model's profile",
            "raise it, lower answer_tokens, or cut smaller passages",
        )
    return AnswerContext(tuple(chosen), _fence(chosen, result), len(result.hits) - len(chosen))


def fits(result: SearchResult, tokens_of: Callable[[str], int], room: int) -> bool:
    """Whether all passages of a result fit into some tokens."""
    passages = (_passage(1, hit, result.documents[hit.document]) for hit in result.hits)
    return sum(_needed(passage, tokens_of) for passage in passages) <= room


def _needed(passage: ContextPassage, tokens_of: Callable[[str], int]) -> int:
    return tokens_of(" ".join((passage.title, passage.location, passage.above, passage.text)))


def _passage(number: int, hit: Hit, document: Document) -> ContextPassage:
    date = str(document.metadata.get("date", ""))
    return ContextPassage(
        number=number,
        title=one_line(document.title),
        location=one_line(hit.location.within(document.id)),
        date=one_line(date),
        above=_above(hit, document),
        text=hit.text,
        hit=hit,
    )


def _above(hit: Hit, document: Document) -> str:
    """The headings over a passage, and the header row of a table that it begins inside."""
    first = next((b for b in document.blocks if b.end > hit.start), None)
    if first is None:
        return ""
    trail = heading_trail(document.text, document.blocks, first.under)
    parts = [" › ".join(trail)] if trail else []
    if first.header >= 0:
        header = document.blocks[first.header]
        if header.start < hit.start:
            parts.append(document.text[header.start : header.end])
    return "\n".join(parts)


def _fence(passages: Sequence[ContextPassage], result: SearchResult) -> str:
    """Marks that stand nowhere in what goes between or beside them."""
    asked = result.query
    asked_texts = [asked.question, asked.background]
    for one in passages:
        asked_texts += [one.title, one.location, one.date, one.above, one.text]
    texts = "\n".join(asked_texts)
    fence = _FENCE
    while fence in texts:
        digest = hashlib.sha256((fence + texts).encode("utf-8", "surrogatepass"))
        fence = f"{_FENCE}{digest.hexdigest()[:12]}"
    return fence
