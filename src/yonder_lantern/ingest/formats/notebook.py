"""Notebooks: text cells as Markdown, code cells as code, each cell a place."""

from __future__ import annotations

from ...core import BlockKind, FormatError, Origin, OriginRun, Parsed, heading_words
from ...text import decode
from .code import blocks_of as code_blocks
from .format import Format
from .json_nodes import Node, read_json, string_runs
from .markdown import blocks_of as markdown_blocks
from .writing import TextWriter


class NotebookFormat(Format):
    """Jupyter notebooks of format 4.

    The cells' own text is taken, what running them printed is not.

    References
    ----------
    Jupyter, The Notebook file format, version 4.5.
    """

    name = "notebook"
    version = 1
    suffixes = (".ipynb",)

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a notebook's cells."""
        file_text = decode(data)
        root = read_json(file_text, self.limits.depth)
        cells = root.child("cells")
        if cells is None or cells.kind != "list":
            raise FormatError(
                "it has no list of cells", remedy="save it as a notebook of format 4, or exclude it"
            )
        writer = TextWriter()
        python = _language(root) in ("", "python")
        for number, (_, cell) in enumerate(cells.children, 1):
            kind, source = cell.child("cell_type"), cell.child("source")
            if kind is None or source is None or kind.words not in ("markdown", "code", "raw"):
                continue
            text, origin = _joined(file_text, source)
            if not text.strip():
                continue
            if kind.words == "code":
                blocks = code_blocks(text, python=python)
            else:
                blocks = markdown_blocks(text)
            cell_text = Parsed(text, tuple(blocks), origin=origin)
            writer.graft(cell_text, lined=True, part=f"cell {number}")
        if not writer.outline.blocks:
            raise FormatError("its cells hold no text", remedy="exclude it")
        parsed = writer.parsed(file_name.rpartition(".")[0] or file_name)
        first = next((b for b in parsed.blocks if b.kind is BlockKind.HEADING), None)
        if first is None:
            return parsed
        title = heading_words(parsed.text[first.start : first.end])
        return Parsed(parsed.text, parsed.blocks, title, {}, parsed.origin, parsed.marks)


def _joined(file_text: str, source: Node) -> tuple[str, Origin]:
    """A cell's text, which is a string or a list of strings, and the way back from it."""
    nodes = [source] if source.kind == "scalar" else [node for _, node in source.children]
    runs: list[OriginRun] = []
    at = 0
    for node in nodes:
        if node.kind != "scalar":
            raise FormatError("a cell's source is not text", remedy="save it anew, or exclude it")
        runs += string_runs(file_text, node, at)
        at += len(node.words)
    return "".join(node.words for node in nodes), Origin(tuple(runs))


def _language(root: Node) -> str:
    at: Node | None = root
    for key in ("metadata", "kernelspec", "language"):
        at = at.child(key) if at is not None else None
    return at.words.lower() if at is not None else ""
