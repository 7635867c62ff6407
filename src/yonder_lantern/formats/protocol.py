"""What a format must be able to do."""

from __future__ import annotations

from typing import Protocol

from ..records import Parsed


class Format(Protocol):
    """Reads one kind of file.

    ``version`` goes up whenever the canonical text of an unchanged file would
    come out differently; its documents are then read again.
    """

    name: str
    version: int
    suffixes: tuple[str, ...]

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Make text and outline of a file's bytes; `FormatError` when it cannot."""
        ...
