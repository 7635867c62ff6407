"""Markdown: the canonical text is the file's own text, its outline the CommonMark blocks."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date, datetime
from functools import cache
from typing import TYPE_CHECKING, Any

from ...core import Block, BlockKind, FormatError, Parsed, heading_words
from ...text import decode
from .format import Format
from .outline import Outline

if TYPE_CHECKING:
    from markdown_it import MarkdownIt
    from markdown_it.token import Token

_FRONT = re.compile(r"\A---[ \t]*\n(.*?)(?:^|\n)(?:---|\.\.\.)[ \t]*(?:\n|\Z)", re.DOTALL)
_BULLET = re.compile(r"[ \t>]*(?:[-*+])[ \t]+(?:\[[ xX]\][ \t]+)?")
_QUOTE = re.compile(r"[ \t]*>[ \t]?")


class MarkdownFormat(Format):
    """CommonMark with tables and front matter (YAML between ``---`` lines).

    References
    ----------
    CommonMark specification 0.31; GitHub Flavored Markdown specification, tables.
    """

    name = "markdown"
    version = 1
    suffixes = (".md", ".markdown")

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text, blocks and front matter of a Markdown file."""
        text = decode(data)
        front, body_line = _front_matter(text)
        blocks = blocks_of(text, body_line)
        if not blocks:
            raise FormatError("the file holds no text", remedy="put text in it, or exclude it")
        first = next((b for b in blocks if b.kind is BlockKind.HEADING), None)
        title = str(front.pop("title", "") or "")
        if not title and first is not None:
            title = heading_words(text[first.start : first.end])
        return Parsed(text, tuple(blocks), title or file_name, front)


def _front_matter(text: str) -> tuple[dict[str, Any], int]:
    """The front matter as metadata, and the line the body begins on."""
    match = _FRONT.match(text)
    if not match:
        return {}, 0
    import yaml

    try:
        loaded = yaml.safe_load(match[1])
    except (yaml.YAMLError, ValueError) as error:  # a date that there is not, too
        mark = getattr(error, "problem_mark", None)
        line = f", line {mark.line + 2}" if mark else ""
        raise FormatError(
            f"the front matter is not valid YAML{line}",
            remedy="fix it; a value with a colon in it needs quotation marks",
        ) from None
    if loaded is None:
        loaded = {}
    if not isinstance(loaded, Mapping):
        raise FormatError("the front matter is not a list of keys and values", remedy="fix it")
    return {str(key): _plain(value) for key, value in loaded.items()}, match[0].count("\n")


def _plain(value: Any) -> Any:
    """A YAML value as JSON can hold it; dates as ISO 8601."""
    if isinstance(value, datetime | date):
        return value.isoformat()
    if isinstance(value, list):
        return [_plain(inner) for inner in value]
    if isinstance(value, Mapping):
        return {str(key): _plain(inner) for key, inner in value.items()}
    return value


def blocks_of(text: str, body_line: int = 0) -> list[Block]:
    """The blocks of a CommonMark text, from a line on."""
    reader = _Reader(text, body_line)
    for token in _parser().parse(text[reader.line_starts[body_line] :]):
        reader.take(token)
    return reader.outline.blocks


@cache
def _parser() -> MarkdownIt:
    from markdown_it import MarkdownIt

    return MarkdownIt("commonmark").enable("table").disable("inline")


class _Reader:
    """Makes blocks of the parser's tokens, which know only their lines."""

    def __init__(self, text: str, body_line: int) -> None:
        self.outline = Outline()
        self.line_starts = [0, *(match.end() for match in re.finditer("\n", text)), len(text)]
        self._text = text
        self._body_line = body_line
        self._depth = 0
        self._item_line = -1  # where the list item begins whose first paragraph is to come
        self._in_head = False
        self._header = -1

    def take(self, token: Token) -> None:
        """Take the next token."""
        if token.type == "list_item_open":
            self._depth += 1
            self._item_line = token.map[0] if token.map else -1
        elif token.type == "list_item_close":
            self._depth -= 1
            self._item_line = -1
        elif token.type in ("thead_open", "tbody_open"):
            self._in_head = token.type == "thead_open"
        elif token.map:
            self._block(token.type, token.tag, token.map[0], *self._span(token.map))

    def _block(self, type_: str, tag: str, line: int, start: int, end: int) -> None:
        if type_ == "heading_open":
            self.outline.heading(start, end, int(tag[1]))
        elif type_ == "paragraph_open" and line == self._item_line:
            start = _skip(_BULLET, self._text, start, end)
            self.outline.add(BlockKind.ITEM, start, end, level=self._depth)
            self._item_line = -1
        elif type_ == "paragraph_open":
            start = _skip(_QUOTE, self._text, start, end)
            self.outline.add(BlockKind.PARAGRAPH, start, end, level=self._depth)
        elif type_ in ("fence", "code_block"):
            self.outline.add(BlockKind.CODE, start, end)
        elif type_ == "html_block" and not self._text.startswith("<!--", start):
            self.outline.add(BlockKind.PARAGRAPH, start, end)
        elif type_ == "tr_open" and self._in_head:
            self._header = self.outline.add(BlockKind.HEADER_ROW, start, end)
        elif type_ == "tr_open":
            self.outline.add(BlockKind.ROW, start, end, header=self._header)

    def _span(self, lines: list[int]) -> tuple[int, int]:
        last = len(self.line_starts) - 1
        start = self.line_starts[min(lines[0] + self._body_line, last)]
        end = self.line_starts[min(lines[1] + self._body_line, last)]
        return _trim(self._text, start, end)


def _skip(pattern: re.Pattern[str], text: str, start: int, end: int) -> int:
    match = pattern.match(text, start, end)
    return match.end() if match else start


def _trim(text: str, start: int, end: int) -> tuple[int, int]:
    while end > start and text[end - 1].isspace():
        end -= 1
    while start < end and text[start] == "\n":
        start += 1
    return start, end
