"""Putting units together as Markdown, in the words of their sources."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..core import BlockKind
from .units import Unit

_NUMBERED = re.compile(r"[ \t]*(?:\(?\w{1,4}[.)]|[-*+])[ \t]")


def write(units: Sequence[Unit], numbers: Sequence[int]) -> str:
    """An answer's text: each unit as it stands in its source, and its number after it.

    Sentences of one document make a paragraph, list items a list, table rows a
    table under their header row; code stands in a fence.
    """
    parts: list[str] = []
    last: Unit | None = None
    for number, unit in zip(numbers, units, strict=True):
        mark = f"[{number}]"
        joined = last is not None and _goes_on(last, unit)
        if unit.kind is BlockKind.ROW:
            row = _marked(unit.text, mark)
            parts.append(("\n" if joined else _gap(parts) + _table_head(unit)) + row)
        elif unit.kind is BlockKind.CODE:
            parts.append(f"{_gap(parts)}{_fenced(unit)}\n{mark}")
        elif unit.kind is BlockKind.ITEM:
            bullet = "" if _NUMBERED.match(unit.text) else "- "
            parts.append(("\n" if joined else _gap(parts)) + f"{bullet}{unit.text} {mark}")
        else:
            parts.append((" " if joined else _gap(parts)) + f"{unit.text} {mark}")
        last = unit
    return "".join(parts)


def _goes_on(last: Unit, unit: Unit) -> bool:
    if last.document.id != unit.document.id or last.kind is not unit.kind:
        return False
    if unit.kind is BlockKind.ROW:
        block, other = unit.document.blocks[unit.block], unit.document.blocks[last.block]
        return block.header == other.header and block.under == other.under
    return True


def _gap(parts: Sequence[str]) -> str:
    return "\n\n" if parts else ""


def _marked(row: str, mark: str) -> str:
    """A row with a number in its last cell; behind the last bar it would not be shown."""
    if row.endswith("|"):
        return f"{row[:-1].rstrip()} {mark} |"
    return f"{row} {mark}"


def _table_head(unit: Unit) -> str:
    """The header row of a row's table, and the line that makes it one in Markdown."""
    block = unit.document.blocks[unit.block]
    if block.header < 0:
        return ""
    header = unit.document.blocks[block.header]
    text = unit.document.text[header.start : header.end]
    cells = text.strip().strip("|").count("|") + 1
    ruled = "|" + "---|" * cells if text.strip().startswith("|") else " | ".join(["---"] * cells)
    return f"{text}\n{ruled}\n"


def _fenced(unit: Unit) -> str:
    text = unit.text.rstrip("\n")
    if text.lstrip().startswith(("```", "~~~")):
        return text
    return f"```\n{text}\n```"
