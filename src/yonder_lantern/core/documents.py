"""Documents: canonical text, its outline, and the way back to the original."""

from __future__ import annotations

import bisect
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import IntEnum
from typing import Any

from .money import Money
from .visibility import OPEN_END, OPEN_START, Caller, microseconds, visible


class BlockKind(IntEnum):
    """What a block of a document is."""

    HEADING = 1
    PARAGRAPH = 2
    ITEM = 3
    HEADER_ROW = 4
    ROW = 5
    CODE = 6
    TERM = 7


@dataclass(frozen=True, slots=True)
class Block:
    """A stretch of canonical text that belongs together.

    Attributes
    ----------
    kind : BlockKind
    start, end : int
        Half-open code-point range in the canonical text.
    level : int
        Heading level from 1, or the depth of a list item from 1; else 0.
    under : int
        Index of the heading block this one stands under, -1 for none.
    header : int
        The index of the block that says what this one is: of a table's header row for its
        rows, of a term (an option, an entry's name) for what defines it; -1 for none.
    """

    kind: BlockKind
    start: int
    end: int
    level: int = 0
    under: int = -1
    header: int = -1


@dataclass(frozen=True, slots=True)
class OriginRun:
    """A range of canonical text and the range of the original it came from."""

    start: int
    end: int
    original_start: int
    original_end: int


@dataclass(frozen=True, slots=True)
class Difference:
    """A range of canonical text whose words are not those of the original.

    ``words`` are the original's: a word divided at the end of a line, or one that
    was heard wrongly and corrected.
    """

    start: int
    end: int
    words: str


@dataclass(frozen=True, slots=True)
class Origin:
    """The way from canonical text back to the original file.

    With no runs the two are the same but for the form of line ends, and a
    line of the one is the same line of the other. A format whose original is
    not text has no runs either; its marks say where everything is.

    Examples
    --------
    >>> Origin((OriginRun(0, 4, 10, 14), OriginRun(4, 5, 14, 20))).original(1, 5)
    (11, 20)
    """

    runs: Sequence[OriginRun] = ()
    differences: tuple[Difference, ...] = ()

    def original(self, start: int, end: int) -> tuple[int, int]:
        """The range of the decoded original behind a canonical range."""
        if not self.runs or start >= end:
            return start, end
        return self._point(start, opening=True), self._point(end - 1, opening=False)

    def _point(self, position: int, *, opening: bool) -> int:
        at = bisect.bisect_right(self.runs, position, key=lambda run: run.start) - 1
        run = self.runs[max(at, 0)]
        if position >= run.end:  # between runs: a separator the format put in
            return (
                self.runs[min(at + 1, len(self.runs) - 1)].original_start
                if opening
                else (run.original_end)
            )
        if run.end - run.start != run.original_end - run.original_start:
            return run.original_start if opening else run.original_end
        return run.original_start + position - run.start + (0 if opening else 1)


@dataclass(frozen=True, slots=True)
class Mark:
    """A range of canonical text and where it is in the original, as a person counts.

    Attributes
    ----------
    start, end : int
        Half-open code-point range in the canonical text.
    row : int, optional
        Row of a table, the header row being 1.
    seconds : pair of float, optional
        From and to, in a recording.
    page : int, optional
        Page, the first being 1.
    part : str
        What else the original is made of, as a person calls it: ``slide 3``.
    lines : pair of int, optional
        First and last line of the original, or of the part of it.
    anchor : str
        The name by which a page's address leads to it, without ``#``.
    """

    start: int
    end: int
    row: int | None = None
    seconds: tuple[float, float] | None = None
    page: int | None = None
    part: str = ""
    lines: tuple[int, int] | None = None
    anchor: str = ""


@dataclass(frozen=True, slots=True)
class Location:
    """Where a span is, for a person.

    Examples
    --------
    >>> str(Location(("Berths", "Pontoons"), (10, 12)))
    'Berths > Pontoons, lines 10-12'
    >>> str(Location(seconds=(190.0, 195.5))), str(Location(pages=(3, 3), parts=("sheet Cranes",)))
    ('00:03:10-00:03:15', 'sheet Cranes, page 3')
    """

    heading: tuple[str, ...] = ()
    lines: tuple[int, int] | None = None
    rows: tuple[int, int] | None = None
    seconds: tuple[float, float] | None = None
    pages: tuple[int, int] | None = None
    parts: tuple[str, ...] = ()
    anchor: str = ""

    def within(self, document: str) -> str:
        """The document and, where there is more to say, the place in it."""
        return ", ".join(part for part in (document, str(self)) if part)

    def __str__(self) -> str:
        parts = [" > ".join(self.heading)] if self.heading else []
        if self.parts:
            parts.append(" to ".join(self.parts))
        for name, counted in (("page", self.pages), ("line", self.lines), ("row", self.rows)):
            if counted:
                first, last = counted
                parts.append(f"{name} {first}" if first == last else f"{name}s {first}-{last}")
        if self.seconds:
            parts.append("-".join(_clock(moment) for moment in self.seconds))
        if self.anchor:
            parts.append(f"#{self.anchor}")
        return ", ".join(parts)


def _clock(seconds: float) -> str:
    minutes, rest = divmod(int(seconds), 60)
    return f"{minutes // 60:02d}:{minutes % 60:02d}:{rest:02d}"


@dataclass(frozen=True, slots=True)
class Stamp:
    """What can be known of an item without reading it.

    ``mark`` is a hash or version that its place keeps for it: the same mark means
    the same contents, whatever the time. A file has none; its size and time are
    trusted instead, once it is old enough.
    """

    size: int
    modified_ns: int
    mark: str = ""


@dataclass(frozen=True, slots=True)
class Item:
    """One thing a source holds: its key, how to read it, what is known of it.

    Attributes
    ----------
    source, key : str
    read : callable
        Gives its bytes, or a `Parsed` where the source itself makes the text, as
        of a table's row. Raises `OSError` or a `YonderError` when it cannot be had.
    stamp : Stamp
    audience : frozenset of str
    metadata : mapping
        What the source knows of it; the document's own metadata go before these.
    file_name : str
        The name that decides its format, where the key does not.
    unlisted : bool
        It stands for everything whose key begins with its own, which cannot be
        listed now: those documents are not gone.
    made : bool
        Its source makes the text itself: ``read`` gives a `Parsed`.
    price : Money
        What reading it would cost.
    seconds : float
        How long the recording is that would have to be transcribed to read it.
    to_describe : bool
        It is an image that a service would have to describe to read it.
    """

    source: str
    key: str
    read: Callable[[], bytes | Parsed]
    stamp: Stamp
    audience: frozenset[str]
    metadata: Mapping[str, Any] = field(default_factory=dict)
    file_name: str = ""
    unlisted: bool = False
    made: bool = False
    price: Money = Money()
    seconds: float = 0.0
    to_describe: bool = False

    @property
    def format_name(self) -> str:
        """The file name its format goes by."""
        return self.file_name or self.key.rpartition("/")[2]

    @property
    def id(self) -> str:
        """The document id: source name, a slash, the key."""
        return f"{self.source}/{self.key}"


@dataclass(frozen=True, slots=True)
class Parsed:
    """What a format makes of an item's bytes."""

    text: str
    blocks: tuple[Block, ...]
    title: str = ""
    metadata: Mapping[str, Any] = field(default_factory=dict)
    origin: Origin = Origin()
    marks: tuple[Mark, ...] = ()


LIVE = "look-up"  # format of what was looked up just now, which is in no index


@dataclass(frozen=True, slots=True)
class Document:
    """One version of one item of a source, ready to be cut and indexed.

    ``valid_from`` and ``valid_until`` are in UTC and half-open; None is open.
    """

    id: str
    source: str
    key: str
    version: str
    title: str
    language: str
    format: str
    text: str
    blocks: tuple[Block, ...]
    origin: Origin
    metadata: Mapping[str, Any]
    audience: frozenset[str]
    valid_from: datetime | None = None
    valid_until: datetime | None = None
    marks: tuple[Mark, ...] = ()

    def header_of(self, block: int) -> str:
        """The header row, or the term, over one of its blocks; empty where none is."""
        header = self.blocks[block].header
        if header < 0:
            return ""
        return self.text[self.blocks[header].start : self.blocks[header].end]

    def visible_to(self, caller: Caller, moment: int) -> bool:
        """Whether a caller may see it, and it is valid at a moment in microseconds since 1970."""
        start = microseconds(self.valid_from, OPEN_START)
        end = microseconds(self.valid_until, OPEN_END)
        return bool(visible(caller.sees(self.audience), start, end, moment))


def heading_trail(text: str, blocks: tuple[Block, ...], block: int) -> tuple[str, ...]:
    """The headings above a block, outermost first, itself included if it is one."""
    trail: list[str] = []
    at = (
        block
        if block >= 0 and blocks[block].kind is BlockKind.HEADING
        else (blocks[block].under if block >= 0 else -1)
    )
    while at >= 0:
        trail.append(heading_words(text[blocks[at].start : blocks[at].end]))
        at = blocks[at].under
    return tuple(reversed(trail))


def heading_words(raw: str) -> str:
    """A heading without the marks that make it one.

    Examples
    --------
    >>> heading_words("## The *Corriveth* ##")
    'The Corriveth'
    """
    words = raw.strip().strip("#").strip() if raw.lstrip().startswith("#") else raw.strip()
    return " ".join(words.split()).replace("*", "").replace("`", "")


def location_of(document: Document, start: int, end: int) -> Location:
    """The place of a span: its headings below the title, and its lines, rows or times."""
    at = bisect.bisect_right(document.blocks, start, key=lambda block: block.start) - 1
    trail = heading_trail(document.text, document.blocks, at)
    if trail and trail[0].casefold() == document.title.casefold():
        trail = trail[1:]
    if document.marks:
        return _marked_location(document.marks, start, end, trail)
    if document.origin.runs:
        return Location(trail)
    first = document.text.count("\n", 0, start) + 1
    return Location(trail, (first, first + document.text.count("\n", start, max(start, end - 1))))


def _marked_location(
    marks: tuple[Mark, ...], start: int, end: int, trail: tuple[str, ...]
) -> Location:
    """The place that the marks over a span name together."""
    at = bisect.bisect_right(marks, start, key=lambda mark: mark.end)
    over = []
    while at < len(marks) and marks[at].start < end:
        over.append(marks[at])
        at += 1
    if not over:
        return Location(trail)
    first, last = over[0], over[-1]
    parts = tuple(dict.fromkeys(part for part in (first.part, last.part) if part))
    rows = lines = seconds = pages = None
    if first.page is not None and last.page is not None:
        pages = (first.page, last.page)
    if first.row is not None and last.row is not None and len(parts) < 2:
        rows = (first.row, last.row)
    if first.lines and last.lines and len(parts) < 2:
        lines = (first.lines[0], last.lines[1])
    if first.seconds and last.seconds:
        seconds = (first.seconds[0], last.seconds[1])
    return Location(trail, lines, rows, seconds, pages, parts, first.anchor)
