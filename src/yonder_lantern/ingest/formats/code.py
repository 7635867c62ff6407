"""Source code: cut between functions and classes, never inside a line."""

from __future__ import annotations

import ast
import re
import warnings

from ...core import Block, BlockKind, Parsed
from ...text import decode
from .format import Format
from .outline import Outline

_TRIES = 5
_CLOSES = re.compile(r"^[ \t]*[)}\]]")


class CodeFormat(Format):
    """Source code of any language.

    Python is divided by its own parser: a class is a heading, each function or
    method a block with its decorators, and what stands between them another.
    Other languages are divided at blank lines before a line that is not indented.

    References
    ----------
    Python Language Reference, Abstract syntax trees.
    """

    name = "code"
    version = 1
    suffixes = tuple(
        """.py .pyi .js .ts .jsx .tsx .c .h .cc .cpp .hpp .java .go .rs .rb .php .sh .sql .lua
        .swift .kt .scala .r .pl .toml .ini .cfg .yaml .yml""".split()
    )

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a source file."""
        text = decode(data)
        blocks = blocks_of(text, python=file_name.endswith((".py", ".pyi")))
        return Parsed(text, tuple(blocks), file_name)


def blocks_of(text: str, *, python: bool) -> list[Block]:
    """The blocks of a source text."""
    starts = [0, *(match.end() for match in re.finditer("\n", text))]
    if starts[-1] != len(text):
        starts.append(len(text))
    outline = Outline()
    tree = _parsed(text) if python else None
    if tree is not None:
        _python(text, starts, tree, outline)
    else:
        _by_blank_lines(text, starts, 0, len(starts) - 1, outline)
    return outline.blocks


def _parsed(text: str) -> ast.Module | None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # about the code that is read, not about ours
        for _ in range(_TRIES):
            try:
                return ast.parse(text)
            except (SyntaxError, ValueError, RecursionError, MemoryError):
                return None
            except SystemError:  # CPython 3.11, when another thread parses at the same moment
                continue
    return None


def _python(text: str, starts: list[int], tree: ast.Module, outline: Outline) -> None:
    """Blocks of a module: what stands between definitions, functions, and classes' parts."""
    last = len(starts) - 1
    at = 0
    for node in tree.body:
        if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            continue
        first = _first_line(node)
        _by_blank_lines(text, starts, at, first, outline)
        at = min(node.end_lineno or first + 1, last)
        if isinstance(node, ast.ClassDef):
            _class(text, starts, node, first, at, outline)
        else:
            _block(text, starts, first, at, outline)
    _by_blank_lines(text, starts, at, last, outline)


def _class(
    text: str, starts: list[int], node: ast.ClassDef, first: int, last: int, outline: Outline
) -> None:
    body = node.body[0]
    head = min(_first_line(body), last)
    if head <= first:  # all on one line
        _block(text, starts, first, last, outline)
        return
    start, end = _trimmed(text, starts[node.lineno - 1], starts[head])
    signature = text.find("\n", start, end)
    outline.heading(start, end if signature < 0 else signature, 1)
    at = head if signature < 0 else node.lineno
    for part in node.body:
        if isinstance(part, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            begin = _first_line(part)
            _block(text, starts, at, begin, outline)
            at = min(part.end_lineno or begin + 1, last)
            _block(text, starts, begin, at, outline)
    _block(text, starts, at, last, outline)
    outline.close()


def _first_line(node: ast.stmt) -> int:
    """The line a statement begins on, its decorators included, from 0."""
    decorators = getattr(node, "decorator_list", [])
    return int(min([node.lineno, *(one.lineno for one in decorators)])) - 1


def _by_blank_lines(text: str, starts: list[int], first: int, last: int, outline: Outline) -> None:
    """Blocks of lines between blank lines, where the next line is not indented."""
    begin = first
    for line in range(first + 1, last):
        line_text = text[starts[line] : starts[line + 1]]
        before = text[starts[line - 1] : starts[line]]
        if not before.strip() and line_text[:1].strip() and not _CLOSES.match(line_text):
            _block(text, starts, begin, line, outline)
            begin = line
    _block(text, starts, begin, last, outline)


def _block(text: str, starts: list[int], first: int, last: int, outline: Outline) -> None:
    if first < last:
        outline.add(BlockKind.CODE, *_trimmed(text, starts[first], starts[last]))


def _trimmed(text: str, start: int, end: int) -> tuple[int, int]:
    """A range without the blank lines and white space at its ends, whole lines at its start."""
    while end > start and text[end - 1].isspace():
        end -= 1
    while start < end:
        stop = text.find("\n", start, end)
        if stop < 0 or text[start:stop].strip():
            break
        start = stop + 1
    return start, end
