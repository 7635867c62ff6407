"""Workbooks: each sheet a table, with its row numbers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ...core import BlockKind, FormatError, Parsed
from ...platform.archives import open_workbook
from ...text import cell_words
from .format import Format
from .properties import office_metadata
from .writing import TextWriter


class WorkbookFormat(Format):
    """XLSX workbooks, read by openpyxl.

    Each sheet is a section with a table; its first row that holds anything is
    the header row. Formulas count by the value last computed. Hidden sheets are
    left out. Macros are never run.

    References
    ----------
    ISO/IEC 29500, Office Open XML file formats.
    """

    name = "workbook"
    version = 1
    suffixes = (".xlsx", ".xlsm")

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Rows of a workbook's sheets."""
        book, names = open_workbook(data, self.limits)
        writer = TextWriter()
        try:
            for sheet in book.worksheets:
                if sheet.sheet_state != "visible":
                    continue
                rows = [_filled(row) for row in sheet.iter_rows(values_only=True)]
                if any(any(row) for row in rows):
                    writer.outline.close()
                    location: dict[str, Any] = {"part": f"sheet {sheet.title}"}
                    writer.block(BlockKind.HEADING, sheet.title, level=1, **location)
                    writer.table(trimmed(rows), **location)
                    writer.put("\n")
        except Exception as error:
            raise FormatError(f"a sheet is damaged: {error}", remedy="save it anew") from None
        if not writer.outline.blocks:
            raise FormatError("its sheets are empty", remedy="exclude it")
        metadata = office_metadata(book.properties)
        if any(name.endswith("vbaProject.bin") for name in names):
            metadata["macros"] = True
        title = str(metadata.pop("title", "")) or file_name.rpartition(".")[0]
        return writer.parsed(title, metadata)


def _filled(row: Sequence[Any]) -> list[str]:
    """A row's cells up to the last that holds anything: a sheet may be wide and nearly empty."""
    last = next((at for at in range(len(row), 0, -1) if row[at - 1] is not None), 0)
    return [cell_words(value) for value in row[:last]]


def trimmed(rows: list[list[str]]) -> list[list[str]]:
    """Rows without the columns that are empty throughout."""
    width = max((len(row) for row in rows), default=0)
    used = [at for at in range(width) if any(at < len(row) and row[at] for row in rows)]
    return [[row[at] if at < len(row) else "" for at in used] for row in rows]
