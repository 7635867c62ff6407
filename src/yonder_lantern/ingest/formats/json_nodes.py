"""JSON read into nodes that know where they stand in the text."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from json import JSONDecodeError
from json.decoder import scanstring  # type: ignore[attr-defined]
from typing import Any

from ...core import FormatError, LimitError, OriginRun

_SPACE = re.compile(r"[ \t\n\r]*")
_LITERAL = re.compile(r"-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null|-?Infinity|NaN")
_SHOWN = {"null": "", "true": "true", "false": "false"}


@dataclass(frozen=True, slots=True)
class Node:
    """A value of a JSON text.

    ``start`` and ``end`` are the range of its words, without a string's quotation
    marks. ``children`` holds a list's values, or an object's by key.
    """

    start: int
    end: int
    words: str = ""
    children: tuple[tuple[str, Node], ...] = ()
    kind: str = "scalar"  # or "list", "object"
    text: bool = False  # a string, not a number or a literal

    def child(self, key: str) -> Node | None:
        """The value of an object's key."""
        return next((node for name, node in self.children if name == key), None)

    @property
    def flat(self) -> bool:
        """Whether it is an object of nothing but scalars."""
        return self.kind == "object" and all(n.kind == "scalar" for _, n in self.children)


def read_json(text: str, depth: int) -> Node:
    """The one value that a JSON text holds.

    Raises
    ------
    FormatError
        It is not JSON; names the line.
    LimitError
        It is nested more deeply than ``depth``.
    """
    reader = _Reader(text, depth)
    node, at = reader.value(reader.skip(0), 0)
    if reader.skip(at) != len(text):
        raise reader.wrong(at, "something follows the value")
    return node


def read_json_lines(text: str, depth: int) -> Iterator[tuple[int, Node]]:
    """The value on each line that holds one, with the number of the line."""
    reader = _Reader(text, depth)
    at = 0
    for number, line in enumerate(text.split("\n"), 1):
        if line.strip():
            node, end = reader.value(reader.skip(at), 0)
            if reader.skip(end) < at + len(line):
                raise reader.wrong(end, "something follows the value on its line")
            yield number, node
        at += len(line) + 1


class _Reader:
    def __init__(self, text: str, depth: int) -> None:
        self._text = text
        self._depth = depth

    def wrong(self, at: int, what: str) -> FormatError:
        line = self._text.count("\n", 0, at) + 1
        return FormatError(f"it is not valid JSON (line {line}): {what}", remedy="fix it")

    def skip(self, at: int) -> int:
        match = _SPACE.match(self._text, at)
        return match.end() if match else at

    def value(self, at: int, depth: int) -> tuple[Node, int]:
        if depth > self._depth:
            raise LimitError(
                f"it is nested more than {self._depth} deep",
                remedy="raise gather.max_depth, or exclude it",
            )
        first = self._text[at : at + 1]
        if first in ("{", "["):
            return self._container(at, depth)
        if first == '"':
            words, end = self._string(at)
            return Node(at + 1, end - 1, words, text=True), end
        match = _LITERAL.match(self._text, at)
        if not match:
            raise self.wrong(at, "a value is missing")
        return Node(at, match.end(), _SHOWN.get(match[0], match[0])), match.end()

    def _string(self, at: int) -> tuple[str, int]:
        try:
            words: tuple[str, int] = scanstring(self._text, at + 1, False)
        except JSONDecodeError as error:
            raise self.wrong(error.pos, error.msg) from None
        return words

    def _container(self, at: int, depth: int) -> tuple[Node, int]:
        closing = "}" if self._text[at] == "{" else "]"
        children: list[tuple[str, Node]] = []
        begin = at
        at = self.skip(at + 1)
        while self._text[at : at + 1] != closing:
            if children:
                if self._text[at : at + 1] != ",":
                    raise self.wrong(at, f"a comma or {closing} is missing")
                at = self.skip(at + 1)
            key = ""
            if closing == "}":
                if self._text[at : at + 1] != '"':
                    raise self.wrong(at, "a key is missing")
                key, at = self._string(at)
                at = self.skip(at)
                if self._text[at : at + 1] != ":":
                    raise self.wrong(at, "a colon is missing")
                at = self.skip(at + 1)
            node, at = self.value(at, depth + 1)
            children.append((key, node))
            at = self.skip(at)
        kind = "object" if closing == "}" else "list"
        return Node(begin, at + 1, children=tuple(children), kind=kind), at + 1


_PIECE = re.compile(
    r"\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}|\\u[0-9a-fA-F]{4}|\\.|[^\\]+"
)


def string_runs(source: str, node: Node, at: int) -> list[OriginRun]:
    """The way back from a string's words, standing at ``at``, to what is written for them."""
    runs = []
    for match in _PIECE.finditer(source, node.start, node.end):
        size = 1 if match[0].startswith("\\") else len(match[0])
        runs.append(OriginRun(at, at + size, *match.span()))
        at += size
    return runs


def plain(node: Node) -> Any:
    """A scalar node as a value: text, number, true, false or None."""
    if node.text:
        return node.words
    if node.words in ("true", "false", ""):
        return {"true": True, "false": False, "": None}[node.words]
    return float(node.words) if re.search(r"[.eEIN]", node.words) else int(node.words)
