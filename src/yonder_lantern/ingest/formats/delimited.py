"""Delimited tables: a header row and rows, each with its number as its place."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...core import BlockKind, FormatError, Mark, Origin, OriginRun, Parsed
from ...text import decode
from .format import Format
from .outline import Outline

_DELIMITERS = ",;\t|"
_JOIN = " | "

Cell = tuple[int, int, bool]  # where its words begin and end, and whether quotes are doubled


class DelimitedFormat(Format):
    """Comma-, semicolon- or tab-separated values with a header row.

    A row is its cells with `` | `` between them. The delimiter is the one that
    divides the first line into the most cells.

    References
    ----------
    RFC 4180, Common format and MIME type for comma-separated values files.
    """

    name = "delimited"
    version = 1
    suffixes = (".csv", ".tsv")

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Rows of a table."""
        source = decode(data)
        first = source.split("\n", 1)[0]
        delimiter = max(_DELIMITERS, key=first.count)
        if not first.count(delimiter):
            delimiter = ","
        out: list[str] = []
        runs: list[OriginRun] = []
        marks: list[Mark] = []
        outline = Outline()
        length = 0
        header = -1
        for number, cells in enumerate(rows(source, delimiter), 1):
            if all(start == end for start, end, _ in cells):
                continue
            start = length
            for location, (begin, stop, doubled) in enumerate(cells):
                words = source[begin:stop].replace('""', '"') if doubled else source[begin:stop]
                words = re.sub(r"\s", " ", words)
                join = _JOIN if location else ""
                out.append(join + words)
                length += len(join)
                if words:
                    runs.append(OriginRun(length, length + len(words), begin, stop))
                length += len(words)
            if header < 0:
                header = outline.add(BlockKind.HEADER_ROW, start, length)
            else:
                outline.add(BlockKind.ROW, start, length, header=header)
            marks.append(Mark(start, length, row=number))
            out.append("\n")
            length += 1
        if len(outline.blocks) < 2:
            raise FormatError("the table holds no row below its header", remedy="exclude it")
        title = file_name.rpartition(".")[0] or file_name
        return Parsed(
            "".join(out),
            tuple(outline.blocks),
            title,
            {},
            Origin(tuple(runs)),
            tuple(marks),
        )


def rows(source: str, delimiter: str) -> Iterator[list[Cell]]:
    """The cells of each row, as ranges of the text without their quotation marks.

    A quotation mark that is never closed ends with the text.
    """
    cells: list[Cell] = []
    at = 0
    while at < len(source):
        if source[at] == '"':
            stop = at + 1
            while stop < len(source):
                stop = source.find('"', stop)
                if stop < 0:
                    stop = len(source)
                elif source[stop : stop + 2] == '""':
                    stop += 2
                    continue
                break
            cells.append((at + 1, stop, '""' in source[at + 1 : stop]))
            at = stop + 1
            while at < len(source) and source[at] not in (delimiter, "\n"):
                at += 1  # what stands behind a closing mark belongs to nothing
        else:
            stop = at
            while stop < len(source) and source[stop] not in (delimiter, "\n"):
                stop += 1
            cells.append((at, stop, False))
            at = stop
        if at >= len(source) or source[at] == "\n":
            yield cells
            cells = []
        elif at + 1 >= len(source) or source[at + 1] == "\n":
            cells.append((at + 1, at + 1, False))  # an empty last cell
            at += 1
            yield cells
            cells = []
        at += 1
