"""HTML: the main text, its headings, lists, tables and code, mapped back to the file."""

from __future__ import annotations

import html
import re
from html.parser import HTMLParser
from typing import Any

from ...core import BlockKind, FormatError, Mark, Origin, OriginRun, Parsed
from ...text import decode
from .format import Format
from .outline import Outline

_CHARSET = re.compile(rb"<meta[^>]+charset\s*=\s*[\"']?\s*([\w\-]+)", re.IGNORECASE)
_MAIN = re.compile(r"<main[\s>]|<article[\s>]|role\s*=\s*[\"']main[\"']", re.IGNORECASE)
_LEFT_OUT = frozenset(
    """script style template noscript nav header footer aside form button select option svg math
    iframe object canvas dialog menu""".split()
)
_ROLES_BESIDE = frozenset("navigation banner contentinfo search complementary".split())  # WAI-ARIA
_ENDS_BLOCK = frozenset(
    """p div section article main li dt dd ul ol dl table thead tbody tfoot tr blockquote figure
    figcaption address details summary hr h1 h2 h3 h4 h5 h6 pre body""".split()
)
_OF_TABLES = ("tr", "table", "thead", "tbody", "tfoot")
_VOID = frozenset("area base br col embed hr img input link meta source track wbr".split())
_SELF_LINKS = frozenset("¶ § # 🔗 \uf0c1".split())
_TIGHT = (BlockKind.ROW, BlockKind.ITEM, BlockKind.TERM)
_SPACE = re.compile(r"\s+")
_PIECE = re.compile(r"\s+|\S+")
_UNEVEN = re.compile(r"\s{2}|[^\S \n\t]")  # white space that must be looked at piece by piece
_ONE_SPACE = str.maketrans("\n\t", "  ")


class HtmlFormat(Format):
    """HTML pages without their menus, scripts and forms.

    The text is taken from ``main`` or ``article`` where the page has one, else
    from the body. White space is folded as a browser does, ``pre`` is kept as it
    is, and a table row is its cells with `` | `` between them. ``meta`` elements
    give the metadata. A place names the anchor that leads to it; the sign of a link to
    a heading itself is left out.

    References
    ----------
    WHATWG, HTML Living Standard.
    """

    name = "html"
    version = 4
    suffixes = (".html", ".htm", ".xhtml")

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text, blocks and metadata of a page."""
        declared = _CHARSET.search(data[:2048])
        text = decode(data, declared[1].decode("ascii") if declared else "")
        reader = _Reader(text, main_only=bool(_MAIN.search(text)))
        try:
            reader.feed(text)
            reader.close()
        except AssertionError as error:  # how the parser says that a declaration is malformed
            raise FormatError(f"the page is damaged: {error}", remedy="fix the page") from None
        reader.end_block()
        if not reader.outline.blocks:
            raise FormatError("the page holds no text", remedy="exclude it, or fix the page")
        metadata = dict(reader.metadata)
        title = str(metadata.pop("title", "")) or reader.page_title.strip() or file_name
        return Parsed(
            "".join(reader.out),
            tuple(reader.outline.blocks),
            title,
            metadata,
            Origin(tuple(reader.runs)),
            reader.marks(),
        )


class _Reader(HTMLParser):
    """Writes canonical text, blocks and runs while the parser walks the page."""

    def __init__(self, source: str, *, main_only: bool) -> None:
        super().__init__(convert_charrefs=False)
        self.out: list[str] = []
        self.runs: list[OriginRun] = []
        self.outline = Outline()
        self.metadata: dict[str, Any] = {}
        self.page_title = ""
        self._source = source
        self._line_starts = [0, *(match.end() for match in re.finditer("\n", source))]
        self._length = 0
        self._main_only = main_only
        self._in_main = 0
        self._left_out: list[str] = []
        self._in_title = False
        self._in_pre = 0
        self._lists = 0
        self._block: tuple[BlockKind, int, int] | None = None  # kind, level, start
        self._next = (BlockKind.PARAGRAPH, 0)
        self._space_at: tuple[int, int] | None = None
        self._row: _Row | None = None
        self._in_head = 0
        self._header = -1
        self._anchor = ""  # the last one met before what it leads to
        self._anchors: list[tuple[int, str]] = []  # where each begins to lead to
        self._self_link = False
        self._terms: list[int] = []  # of each open definition list, the term being defined

    # -- what the parser calls

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = dict(attrs)
        if tag == "html" and given.get("lang"):
            self.metadata["language"] = str(given["lang"]).split("-")[0].lower()
        elif tag == "meta" and given.get("name") and given.get("content") is not None:
            self._meta(str(given["name"]).strip().lower(), str(given["content"]).strip())
        if tag == "title":
            self._in_title = True
        if self._left_out:
            if tag == self._left_out[-1]:
                self._left_out.append(tag)
            return
        beside = tag not in _VOID and given.get("role") in _ROLES_BESIDE
        if beside or (tag in _LEFT_OUT and not (self._in_main and tag == "header")):
            self._left_out.append(tag)
            return
        if tag in ("main", "article") or given.get("role") == "main":
            self._in_main += 1
        if name := given.get("id") or (given.get("name") if tag == "a" else ""):
            self._meet_anchor(name, begins=self._ends_block(tag))
        self._self_link = tag == "a" and str(given.get("href", "")).startswith("#")
        if tag == "br" and self._block:
            self._write("\n" if self._in_pre else " ", *self._here())
        if tag == "img" and given.get("alt"):
            self._data(f" {given['alt']} ", *self._here(), exact=False)
        if tag in _ENDS_BLOCK:
            self._start_block(tag)
        if tag in ("td", "th") and self._row is not None:
            self._row.cell(tag == "th")
            self._space_at = None

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.handle_starttag(tag, attrs)
        if tag not in _VOID:
            self.handle_endtag(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag == "title":
            self._in_title = False
        if self._left_out:
            if tag in self._left_out:
                while self._left_out.pop() != tag:
                    pass
            return
        if tag == "a":
            self._self_link = False
        if tag in _ENDS_BLOCK:
            self._close_block(tag)
        if tag in ("main", "article"):
            self._in_main = max(0, self._in_main - 1)

    def handle_data(self, data: str) -> None:
        start = self._offset()
        if self._in_title and not self._block:
            self.page_title += _SPACE.sub(" ", data)
        elif self._wanted():
            self._data(data, start, start + len(data), exact=True)

    def handle_entityref(self, name: str) -> None:
        self._reference(f"&{name};")

    def handle_charref(self, name: str) -> None:
        self._reference(f"&#{name};")

    # -- blocks

    def _ends_block(self, tag: str) -> bool:
        """Whether a tag begins another block; inside a cell most do not."""
        inside_row = self._row is not None and tag not in _OF_TABLES
        return tag in _ENDS_BLOCK and not inside_row

    def _meet_anchor(self, name: str, *, begins: bool) -> None:
        """Note an anchor: it leads to what comes next, or to the heading or term it stands in."""
        if not self._wanted():
            return
        if begins or self._block is None:
            self._anchor = name
        else:
            kind, _, start = self._block
            whole = kind in (BlockKind.HEADING, BlockKind.TERM)
            self._anchors.append((start if whole else self._length, name))

    def marks(self) -> tuple[Mark, ...]:
        """The stretches of text that the page's anchors lead to; none where it has none.

        Each goes up to the next one: what stands there has that anchor nearest, at or before it.
        """
        if not self._anchors:
            return ()
        found = dict([(0, ""), *self._anchors])
        bounds = [*found, self._length]
        return tuple(
            Mark(start, end, anchor=name)
            for (start, name), end in zip(found.items(), bounds[1:], strict=True)
            if start < end
        )

    def end_block(self) -> None:
        """Close the block that is open, if one is."""
        self._space_at = None
        if self._block is None:
            return
        kind, level, start = self._block
        self._block = None
        if kind is BlockKind.HEADING:
            self.outline.heading(start, self._length, level)
            self._terms = [-1] * len(self._terms)  # of a list that was not closed
        elif kind is BlockKind.ROW and self._row is not None:
            if self._row.is_header or (self._in_head and self._header < 0):
                self._header = self.outline.add(BlockKind.HEADER_ROW, start, self._length)
            else:
                self.outline.add(BlockKind.ROW, start, self._length, header=self._header)
        elif kind is BlockKind.TERM:
            self._add_term(start, level)
        else:
            term = self._terms[-1] if self._terms else -1
            self.outline.add(kind, start, self._length, level=level, header=term)
        self._put("\n" if kind in _TIGHT else "\n\n")

    def _add_term(self, start: int, level: int) -> None:
        """Add a term; one that follows another at once is a further name for the same."""
        last = len(self.outline.blocks) - 1
        same = last >= 0 and self.outline.blocks[last].kind is BlockKind.TERM
        first = self._terms[-1] if same and self._terms else -1
        added = self.outline.add(BlockKind.TERM, start, self._length, level=level, header=first)
        if not self._terms:
            self._terms.append(-1)
        self._terms[-1] = added if first < 0 else first

    def _start_block(self, tag: str) -> None:
        if self._row is not None and tag not in _OF_TABLES:
            self._space_at = self._space_at or self._here()  # blocks inside a cell are its words
            return
        self.end_block()
        if tag in ("ul", "ol"):
            self._lists += 1
        elif tag == "dl":
            self._terms.append(-1)
        elif tag == "dt":
            self._next = (BlockKind.TERM, max(1, len(self._terms)))
        elif tag in ("li", "dd"):
            self._next = (BlockKind.ITEM, max(1, self._lists))
        elif tag[0] == "h" and tag[1:].isdigit():
            self._next = (BlockKind.HEADING, int(tag[1:]))
        elif tag == "pre":
            self._in_pre += 1
            self._next = (BlockKind.CODE, 0)
        elif tag == "table":
            self._header = -1
        elif tag == "thead":
            self._in_head += 1
        elif tag == "tr":
            self._row = _Row()
            self._next = (BlockKind.ROW, 0)

    def _close_block(self, tag: str) -> None:
        if self._row is not None and tag not in _OF_TABLES:
            self._space_at = self._space_at or self._here()
            return
        self.end_block()
        self._next = (BlockKind.PARAGRAPH, 0)
        if tag in ("tr", "table"):
            self._row = None
        if tag in ("ul", "ol"):
            self._lists = max(0, self._lists - 1)
        elif tag == "dl" and self._terms:
            self._terms.pop()
        elif tag == "pre":
            self._in_pre = max(0, self._in_pre - 1)
        elif tag == "thead":
            self._in_head = max(0, self._in_head - 1)

    # -- text

    def _wanted(self) -> bool:
        return not self._left_out and (self._in_main > 0 or not self._main_only)

    def _reference(self, raw: str) -> None:
        start = self._offset()
        end = start + len(raw) - (0 if self._source.startswith(raw, start) else 1)
        if self._in_title:
            self.page_title += html.unescape(raw)
        elif self._wanted():
            self._data(html.unescape(raw), start, end, exact=False)

    def _data(self, data: str, start: int, end: int, *, exact: bool) -> None:
        if not self._wanted() or (self._self_link and data.strip() in _SELF_LINKS):
            return
        if self._in_pre:
            if self._block is None:
                skip = len(data) - len(data.lstrip("\n"))
                data, start = data[skip:], start + skip
            if data:
                self._write(data, start, end)
            return
        if exact and not _UNEVEN.search(data) and not self._space_between_cells():
            self._even(data, start)
            return
        at = start
        for piece in _PIECE.findall(data):
            stop = at + len(piece) if exact else end
            if piece.isspace() and "\u00a0" not in piece:
                if self._block is not None:
                    self._space_at = self._space_at or (at, stop)
            else:
                self._write(piece, at, stop)
            at = stop if exact else at

    def _space_between_cells(self) -> bool:
        return self._row is not None and self._row.separator_due

    def _even(self, data: str, start: int) -> None:
        """Take text with no more than one mark of white space between its words: all in one."""
        words = data.strip()
        before = len(data) - len(data.lstrip())
        if before and self._block is not None:
            self._space_at = self._space_at or (start, start + before)
        if words:
            at = start + before
            self._write(words.translate(_ONE_SPACE), at, at + len(words))
            if len(words) + before < len(data):
                end = start + len(data)
                self._space_at = (end - 1, end)

    def _write(self, piece: str, start: int, end: int) -> None:
        if self._block is None:
            kind, level = self._next
            self._block = (kind, level, self._length)
            if self._anchor:
                self._anchors.append((self._length, self._anchor))
                self._anchor = ""
            self._next = (BlockKind.PARAGRAPH, 0) if kind is not BlockKind.ROW else self._next
        if self._row is not None and self._row.separator_due:
            self._put(self._row.separator())
            self._space_at = None
        if self._space_at is not None:
            self._run(" ", *self._space_at)
            self._space_at = None
        self._run(piece, start, end)

    def _run(self, piece: str, start: int, end: int) -> None:
        begin = self._length
        self._put(piece)
        last = self.runs[-1] if self.runs else None
        if (
            last is not None
            and last.end == begin
            and last.original_end == start
            and last.end - last.start == last.original_end - last.original_start
            and len(piece) == end - start
        ):
            self.runs[-1] = OriginRun(last.start, self._length, last.original_start, end)
        else:
            self.runs.append(OriginRun(begin, self._length, start, end))

    def _put(self, piece: str) -> None:
        self.out.append(piece)
        self._length += len(piece)

    def _offset(self) -> int:
        line, column = self.getpos()
        return self._line_starts[line - 1] + column

    def _here(self) -> tuple[int, int]:
        start = self._offset()
        tag = self.get_starttag_text() or ""
        end = start + len(tag) if self._source.startswith(tag, start) else start
        return start, end

    def _meta(self, name: str, content: str) -> None:
        key = name.replace("-", "_")
        self.metadata[key] = (
            [part.strip() for part in content.split(",") if part.strip()]
            if key == "audience"
            else content
        )


class _Row:
    """The cells of the table row that is being read."""

    def __init__(self) -> None:
        self._cells = 0
        self._headings = 0
        self._written = 0

    def cell(self, heading: bool) -> None:
        self._cells += 1
        self._headings += heading

    @property
    def separator_due(self) -> bool:
        return self._written < self._cells - 1

    def separator(self) -> str:
        missing = self._cells - 1 - self._written
        self._written = self._cells - 1
        return " | " * missing

    @property
    def is_header(self) -> bool:
        return self._cells > 0 and self._headings == self._cells
