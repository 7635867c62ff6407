"""reStructuredText: the canonical text is the file's own text."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from ...core import BlockKind, FormatError, Parsed, optional
from ...text import decode
from .format import Format
from .outline import Outline

if TYPE_CHECKING:
    from docutils import nodes


class RestructuredFormat(Format):
    """reStructuredText, read by docutils; nothing is included and no code is run.

    Sections are headings; a field list at the top gives the metadata.

    References
    ----------
    Docutils, reStructuredText markup specification.
    """

    name = "restructured"
    version = 2
    suffixes = (".rst", ".rest")

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a reStructuredText file."""
        text = decode(data)
        tree = _tree(text)
        reader = _Reader(text)
        reader.walk(tree, 0)
        if not reader.outline.blocks:
            raise FormatError("the file holds no text", remedy="put text in it, or exclude it")
        title = " ".join(str(tree.get("title", "")).split()) or reader.first_heading or file_name
        return Parsed(text, tuple(reader.outline.blocks), title, reader.metadata)


def _tree(text: str) -> nodes.document:
    core = optional("docutils.core", "text", "reading reStructuredText")
    settings = {
        "file_insertion_enabled": False,
        "raw_enabled": False,
        "report_level": 5,
        "halt_level": 5,
        "warning_stream": None,
        "_disable_config": True,
        "doctitle_xform": False,
        "docinfo_xform": False,
        "line_length_limit": 1_000_000,
        "smart_quotes": False,
    }
    try:
        tree: nodes.document = core.publish_doctree(text, settings_overrides=settings)
    except RecursionError:
        raise FormatError("it is nested too deeply", remedy="exclude it") from None
    return tree


class _Reader:
    """Finds each node's own source again, in reading order."""

    def __init__(self, text: str) -> None:
        self.outline = Outline()
        self.metadata: dict[str, Any] = {}
        self.first_heading = ""
        self._text = text
        self._at = 0
        self._term = -1  # the term being defined

    def walk(self, node: nodes.Node, level: int) -> None:
        """Make blocks of a node's children."""
        for child in getattr(node, "children", ()):
            name = type(child).__name__
            if name == "section":
                self.walk(child, level + 1)
            elif name in ("title", "rubric"):
                self._heading(child, max(level, 1))
            elif name == "field_list" and self._only_headings():
                self._fields(child)
            elif name in ("definition_list_item", "option_list_item"):
                self._entry(child, level)
            elif name in ("list_item", "field"):
                self._item(child, level)
            elif name in ("literal_block", "doctest_block"):
                self._block(BlockKind.CODE, child, whole_lines=True)
            elif name == "table":
                self._table(child)
            elif name in ("paragraph", "line"):
                self._block(BlockKind.PARAGRAPH, child)
            elif name not in ("comment", "substitution_definition", "target", "system_message"):
                self.walk(child, level)

    def _only_headings(self) -> bool:
        return all(block.kind is BlockKind.HEADING for block in self.outline.blocks)

    def _heading(self, node: nodes.Node, level: int) -> None:
        span = self._find(node)
        if span:
            self.outline.heading(*span, level)
            self.first_heading = self.first_heading or " ".join(self._text[slice(*span)].split())

    def _entry(self, node: nodes.Node, level: int) -> None:
        """A term or an option, and what says what it is."""
        before = self._term
        for child in node.children:
            name = type(child).__name__
            if name in ("term", "option_group"):
                if (span := self._find(child)) is not None:
                    self._term = self.outline.add(BlockKind.TERM, *span, level=1)
            elif name in ("definition", "description"):
                self.walk(child, level)
        self._term = before

    def _item(self, node: nodes.Node, level: int) -> None:
        first = True
        for child in node.children:
            if type(child).__name__ == "paragraph" and first:
                self._block(BlockKind.ITEM, child)
            elif type(child).__name__ == "field_name":
                continue
            else:
                holder = type(node)()
                holder.children = [child]
                self.walk(holder, level)
            first = False

    def _fields(self, node: nodes.Node) -> None:
        for field in node.children:
            name, body = field.children[0].astext(), field.children[1].astext()
            key = re.sub(r"\W+", "_", name.strip().lower())
            value = " ".join(body.split())
            listed = [one.strip() for one in value.split(",") if one.strip()]
            self.metadata[key] = listed if key in ("audience", "supersedes", "linked") else value
            span = self._find(field.children[1])
            if span:
                self._at = span[1]

    def _table(self, node: nodes.Node) -> None:
        header = -1
        for part in node.findall(lambda one: type(one).__name__ in ("thead", "tbody")):
            for row in part.children:
                span = self._row(row)
                if span is None:
                    continue
                if type(part).__name__ == "thead":
                    header = self.outline.add(BlockKind.HEADER_ROW, *span)
                else:
                    self.outline.add(BlockKind.ROW, *span, header=header)

    def _row(self, row: nodes.Node) -> tuple[int, int] | None:
        """The lines of a table row: those that its cells' words stand on."""
        begin, end, furthest = -1, -1, self._at
        for entry in row.children:
            words = entry.astext().split()
            if not words:
                continue
            found = self._text.find(words[0], self._at)
            if found < 0:
                continue
            begin = found if begin < 0 else min(begin, found)
            for word in words:
                at = self._text.find(word, found)
                found = at + len(word) if at >= 0 else found
            furthest = max(furthest, found)
        if begin < 0:
            return None
        begin = self._text.rfind("\n", 0, begin) + 1
        if self.outline.blocks:
            begin = max(begin, self.outline.blocks[-1].end)
        end = self._text.find("\n", furthest)
        end = len(self._text) if end < 0 else end
        self._at = end
        while begin < end and self._text[begin] in " \t\n":
            begin += 1
        return (begin, end) if begin < end else None

    def _block(self, kind: BlockKind, node: nodes.Node, *, whole_lines: bool = False) -> None:
        span = self._find(node)
        if span:
            start, end = span
            if whole_lines:  # an indented block begins with its first line's own indentation
                start = max(self._text.rfind("\n", 0, start) + 1, self._last_end())
            level = 1 if kind is BlockKind.ITEM else 0
            self.outline.add(kind, start, end, level=level, header=self._term)

    def _last_end(self) -> int:
        return self.outline.blocks[-1].end if self.outline.blocks else 0

    def _find(self, node: nodes.Node) -> tuple[int, int] | None:
        """Where a node stands: its words, with any white space and markup between them."""
        words = node.astext().split()
        if not words:
            return None
        start = at = -1
        cursor = self._at
        for word in words:
            found = self._text.find(word, cursor)
            if found < 0:
                continue
            start = found if start < 0 else start
            at = cursor = found + len(word)
        if start < 0:
            return None
        self._at = at
        while start > self._last_end() and self._text[start - 1] in "*`|_:":
            start -= 1
        while at < len(self._text) and self._text[at] in "*`|_:" and self._text[at] != "\n":
            at += 1
        self._at = at
        return start, at
