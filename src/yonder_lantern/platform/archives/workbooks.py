"""Opening workbooks, their values only and within limits."""

from __future__ import annotations

import io
from typing import Any

from ...core import FormatError, Limits, optional
from .archive import Archive


def open_workbook(data: bytes, limits: Limits) -> tuple[Any, list[str]]:
    """A workbook of openpyxl, and the names of what it is packed of.

    Raises
    ------
    FormatError, LimitError
        It is none, is protected, is damaged or is too large inside.
    MissingExtraError
        The package openpyxl is not installed.
    """
    openpyxl = optional("openpyxl", "office", "reading Excel files")
    names = Archive.checked(data, limits, "Excel")
    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    except Exception as error:
        raise FormatError(
            f"it is not a workbook: {error}", remedy="fix its name or save it anew"
        ) from None
    return book, names
