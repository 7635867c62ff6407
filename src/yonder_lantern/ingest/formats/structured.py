"""JSON and JSON Lines: keys as headings and labels, lists of like objects as tables."""

from __future__ import annotations

import bisect
import re
from textwrap import shorten

from ...core import BlockKind, FormatError, Parsed
from ...text import decode
from .format import Format
from .json_nodes import Node, read_json, read_json_lines
from .writing import TextWriter

_NAMING = ("name", "title", "label", "id", "key", "code", "number")
_LONGEST_NAME = 80
_FEW = 20  # scalars of a list that are written as the values of one key
_SPACES = re.compile(r"\s+")
_UNEVEN = re.compile(r"\s\s|[^\S ]")


class StructuredFormat(Format):
    """JSON documents and JSON Lines.

    A key with a list or an object below it is a heading, any other key stands
    before its value with a colon. A list of objects of scalars is a table, its
    keys the header row; of objects with more inside, each is a section under its
    own name, so that nothing of one is read as the next one's. Lines of the file
    are the places.

    References
    ----------
    RFC 8259, The JavaScript Object Notation (JSON) data interchange format.
    """

    name = "structured"
    version = 2
    suffixes = (".json", ".jsonl", ".ndjson")

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a JSON file."""
        source = decode(data)
        writer = _Writer(source)
        if file_name.lower().endswith(".json"):
            writer.node(read_json(source, self.limits.depth), "", 1)
        else:
            nodes = [node for _, node in read_json_lines(source, self.limits.depth)]
            writer.list_of(tuple(("", node) for node in nodes), "", 1)
        title = file_name.rpartition(".")[0] or file_name
        if not writer.text.outline.blocks:
            raise FormatError("it holds no value", remedy="exclude it")
        return writer.text.parsed(title)


def _plain(node: Node) -> bool:
    """Whether it is a short list of nothing but scalars: values of one key."""
    plain = all(one.kind == "scalar" for _, one in node.children)
    return node.kind == "list" and plain and 0 < len(node.children) <= _FEW


def _name_of(node: Node) -> str:
    """What an object is called: by a key that names, else by its first text."""
    texts = {key.casefold(): one.words for key, one in node.children if one.kind == "scalar"}
    first = next((one.words for _, one in node.children if one.text and one.words.strip()), "")
    named = next((texts[key] for key in _NAMING if texts.get(key, "").strip()), first)
    return shorten(named, _LONGEST_NAME, placeholder=" …")


class _Writer:
    def __init__(self, source: str) -> None:
        self.text = TextWriter()
        self._starts = [0, *(match.end() for match in re.finditer("\n", source))]

    def node(self, node: Node, key: str, level: int) -> None:
        """Write a value that stands under a key."""
        if node.kind == "scalar":
            self._labelled(BlockKind.PARAGRAPH, ((key, node),))
        elif node.kind == "list":
            self.list_of(node.children, key, level)
        else:
            if key:
                self._heading(key, level)
                level += 1
            plain = tuple(pair for pair in node.children if pair[1].kind == "scalar")
            self._labelled(BlockKind.PARAGRAPH, plain)
            for name, child in node.children:
                if child.kind != "scalar":
                    self.node(child, name or "(no name)", level)

    def list_of(self, children: tuple[tuple[str, Node], ...], key: str, level: int) -> None:
        """Write the values of a list."""
        if key:
            self._heading(key, level)
            level += 1
        nodes = [node for _, node in children]
        if nodes and all(node.flat for node in nodes):
            self._table(nodes)
            return
        for node in nodes:
            if node.kind == "scalar":
                self._labelled(BlockKind.ITEM, (("", node),))
            elif node.kind == "object":
                self._record(node, key, level)
            else:
                self.node(node, "", level)

    def _record(self, node: Node, key: str, level: int) -> None:
        """Write an object of a list as a section: its name, its values, and what is inside."""
        self._heading(_name_of(node) or key or "(no name)", level)
        own = tuple(pair for pair in node.children if pair[1].kind == "scalar" or _plain(pair[1]))
        self._labelled(BlockKind.PARAGRAPH, own)
        for name, child in node.children:
            if child.children and not _plain(child):
                self.node(child, name or "(no name)", level + 1)

    def _heading(self, key: str, level: int) -> None:
        self.text.block(BlockKind.HEADING, _SPACES.sub(" ", key) or "(no name)", level=level)

    def _labelled(self, kind: BlockKind, pairs: tuple[tuple[str, Node], ...]) -> None:
        begin = self.text.length
        for key, node in pairs:
            values = [one for _, one in node.children] if node.children else [node]
            if not any(one.words.strip() for one in values):
                continue
            start = self.text.length
            if start > begin:
                self.text.put("\n")
                start += 1
            self.text.put(f"{_SPACES.sub(' ', key)}: " if key else "")
            for number, value in enumerate(values):
                self.text.put(", " if number else "")
                self._value(value)
            self.text.mark(start, lines=self._lines(node))
        self.text.end(kind, begin, level=1 if kind is BlockKind.ITEM else 0)

    def _table(self, nodes: list[Node]) -> None:
        keys = list(dict.fromkeys(key for node in nodes for key, _ in node.children))
        words = " | ".join(_SPACES.sub(" ", key) for key in keys)
        header = self.text.block(BlockKind.HEADER_ROW, words) if words.strip(" |") else -1
        for node in nodes:
            begin = self.text.length
            for number, key in enumerate(keys):
                self.text.put(" | " if number else "")
                child = node.child(key)
                if child is not None:
                    self._value(child)
            self.text.mark(begin, lines=self._lines(node))
            self.text.end(BlockKind.ROW, begin, header=header)

    def _value(self, node: Node) -> None:
        """Write a scalar's words, each run of white space as one space."""
        words = node.words
        if len(words) == node.end - node.start and not _UNEVEN.search(words):
            self._piece(words, node.start)
        elif len(words) == node.end - node.start:
            at = 0
            for match in _SPACES.finditer(words):
                self._piece(words[at : match.start()], node.start + at)
                self.text.put(" ", (node.start + match.start(), node.start + match.end()))
                at = match.end()
            self._piece(words[at:], node.start + at)
        else:
            self.text.put(_SPACES.sub(" ", words), (node.start, node.end))

    def _piece(self, words: str, start: int) -> None:
        self.text.put(words, (start, start + len(words)))

    def _lines(self, node: Node) -> tuple[int, int]:
        first = bisect.bisect_right(self._starts, node.start)
        return first, bisect.bisect_right(self._starts, max(node.start, node.end - 1))
