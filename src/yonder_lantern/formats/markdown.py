"""Markdown: the canonical text is the file's own text, its outline the CommonMark blocks."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date, datetime
from typing import Any

from ..records import Block, BlockKind, FormatError, Parsed, heading_words
from .decoding import decode
from .outline import Outline

_FRONT = re.compile(r"\A---[ \t]*\n(.*?)(?:^|\n)(?:---|\.\.\.)[ \t]*(?:\n|\Z)", re.DOTALL)
_BULLET = re.compile(r"[ \t>]*(?:[-*+])[ \t]+(?:\[[ xX]\][ \t]+)?")
_QUOTE = re.compile(r"[ \t]*>[ \t]?")


class MarkdownFormat:
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
        blocks = _blocks(text, body_line)
        if not blocks:
            raise FormatError("the file holds no text", remedy="put text in it, or exclude it")
        first = next((b for b in blocks if b.kind is BlockKind.HEADING), None)
        title = str(front.pop("title", "") or "")
        if not title and first is not None:
            title = heading_words(text[first.start : first.end])
        return Parsed(text, tuple(blocks), title or file_name, front)


def _front_matter(text: str) -> tuple[dict[str, Any], int]:
    """The front matter as details, and the line the body begins on."""
    match = _FRONT.match(text)
    if not match:
        return {}, 0
    import yaml

    try:
        loaded = yaml.safe_load(match[1])
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        line = f", line {mark.line + 2}" if mark else ""
        raise FormatError(
            f"the front matter is not valid YAML{line}",
            remedy="mend it; a value with a colon in it needs quotation marks",
        ) from None
    if loaded is None:
        loaded = {}
    if not isinstance(loaded, Mapping):
        raise FormatError("the front matter is not a list of keys and values", remedy="mend it")
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


def _blocks(text: str, body_line: int) -> list[Block]:
    from markdown_it import MarkdownIt

    parser = MarkdownIt("commonmark").enable("table").disable("inline")
    line_starts = [0]
    for match in re.finditer("\n", text):
        line_starts.append(match.end())
    line_starts.append(len(text))
    body_at = line_starts[min(body_line, len(line_starts) - 1)]
    tokens = parser.parse(text[body_at:])
    outline = Outline()

    def span(map_: list[int]) -> tuple[int, int]:
        first, last = map_[0] + body_line, map_[1] + body_line
        start = line_starts[min(first, len(line_starts) - 1)]
        end = line_starts[min(last, len(line_starts) - 1)]
        return _trim(text, start, end)

    depth = 0
    item_map: list[int] | None = None
    header = -1
    in_head = False
    for token in tokens:
        if token.type == "heading_open" and token.map:
            outline.heading(*span(token.map), int(token.tag[1]))
        elif token.type == "list_item_open":
            depth += 1
            item_map = token.map
        elif token.type == "list_item_close":
            depth -= 1
            item_map = None
        elif token.type == "paragraph_open" and token.map:
            start, end = span(token.map)
            if depth and item_map and item_map[0] == token.map[0]:
                start = _skip(_BULLET, text, start, end)
                outline.add(BlockKind.ITEM, start, end, level=depth)
                item_map = None
            else:
                start = _skip(_QUOTE, text, start, end)
                outline.add(BlockKind.PARAGRAPH, start, end, level=depth)
        elif token.type in ("fence", "code_block") and token.map:
            outline.add(BlockKind.CODE, *span(token.map))
        elif token.type == "html_block" and token.map:
            start, end = span(token.map)
            if not text.startswith("<!--", start):
                outline.add(BlockKind.PARAGRAPH, start, end)
        elif token.type in ("thead_open", "tbody_open"):
            in_head = token.type == "thead_open"
        elif token.type == "tr_open" and token.map:
            if in_head:
                header = outline.add(BlockKind.HEADER_ROW, *span(token.map))
            else:
                outline.add(BlockKind.ROW, *span(token.map), header=header)
    return outline.blocks


def _skip(pattern: re.Pattern[str], text: str, start: int, end: int) -> int:
    match = pattern.match(text, start, end)
    return match.end() if match else start


def _trim(text: str, start: int, end: int) -> tuple[int, int]:
    while end > start and text[end - 1].isspace():
        end -= 1
    while start < end and text[start] == "\n":
        start += 1
    return start, end
