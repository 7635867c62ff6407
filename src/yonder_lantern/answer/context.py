"""The brief: the passages that are put before a model, numbered and fenced."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..core import Document, Findings, Hit, LimitError, heading_trail
from ..text import one_line

_FENCE = "====="


@dataclass(frozen=True, slots=True)
class BriefPassage:
    """A passage of the brief.

    ``above`` is what stands over it and explains it: its headings, a table's header row.
    """

    number: int
    title: str
    place: str
    date: str
    above: str
    text: str
    hit: Hit


@dataclass(frozen=True, slots=True)
class Brief:
    """What a model is given to answer from.

    ``fence`` begins the lines around each passage and stands in none of them, nor in their
    titles, places, dates and headings: a document cannot end its own passage. ``left_out``
    counts the passages there was no room for.
    """

    passages: tuple[BriefPassage, ...]
    fence: str
    left_out: int


def brief_of(findings: Findings, tokens_of: Callable[[str], int], room: int) -> Brief:
    """The passages found that fit into some tokens, the best first, none cut.

    Parameters
    ----------
    findings : Findings
    tokens_of : callable
        About how many tokens a text is.
    room : int
        How many there may be.

    Raises
    ------
    LimitError
        Not one passage fits.
    """
    chosen: list[BriefPassage] = []
    left = room
    for hit in findings.hits:
        passage = _passage(len(chosen) + 1, hit, findings.documents[hit.document])
        needed = tokens_of(" ".join((passage.title, passage.place, passage.above, passage.text)))
        if needed <= left:
            chosen.append(passage)
            left -= needed
    if findings.hits and not chosen:
        raise LimitError(
            f"no passage fits into the {max(0, room)} tokens that the prompt leaves",
            "context, in the model's profile",
            "raise it, lower answer_tokens, or cut smaller passages",
        )
    return Brief(tuple(chosen), _fence(chosen, findings), len(findings.hits) - len(chosen))


def _passage(number: int, hit: Hit, document: Document) -> BriefPassage:
    date = str(document.details.get("date", ""))
    return BriefPassage(
        number=number,
        title=one_line(document.title),
        place=one_line(hit.place.within(document.id)),
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


def _fence(passages: Sequence[BriefPassage], findings: Findings) -> str:
    """Marks that stand nowhere in what goes between or beside them."""
    asked = findings.asked
    own = [asked.question, asked.background]
    for one in passages:
        own += [one.title, one.place, one.date, one.above, one.text]
    texts = "\n".join(own)
    fence = _FENCE
    while fence in texts:
        digest = hashlib.sha256((fence + texts).encode("utf-8", "surrogatepass"))
        fence = f"{_FENCE}{digest.hexdigest()[:12]}"
    return fence
