"""Passages and postings by named columns."""

from __future__ import annotations

from typing import NamedTuple

from ..platform.storage import Array


class PassageColumns(NamedTuple):
    """What an index keeps of passages, column by column; a value a passage.

    Attributes
    ----------
    document : int64 array
        Its number in the generation.
    start, end : int64 array
        Half-open code-point range in the document's canonical text.
    tokens : int64 array
    block : int64 array
        Its first block that is not overlap.
    divided : int64 array
        1 where a line, row or sentence had to be divided.
    asking : int64 array
        Which share of its sentences ask something, in 255ths.
    """

    document: Array
    start: Array
    end: Array
    tokens: Array
    block: Array
    divided: Array
    asking: Array


class Postings(NamedTuple):
    """Where a term stands: passages ascending, how often in each, how often in its header."""

    passages: Array
    counts: Array
    headers: Array
