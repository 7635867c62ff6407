"""The metadata of documents as columns, to filter on."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..platform.storage import Array
from .layout import Layout
from .store import DocumentStore


@dataclass(frozen=True, slots=True)
class Column:
    """One metadata field of all documents; a document with a list has several values.

    Attributes
    ----------
    owners : int64 array, shape (values,)
        The documents' numbers.
    codes : int64 array, shape (values,)
        Which of the distinct values each is.
    strings : list of str
        The distinct values as they are written.
    numbers : float64 array, shape (distinct values,)
        The same as numbers; NaN where one is none.
    """

    owners: Array
    codes: Array
    strings: list[str]
    numbers: Array


class MetadataColumns:
    """The columns of one generation; each is read when it is first asked for."""

    def __init__(
        self,
        store: DocumentStore,
        layout: Layout,
        generation: int,
        made: dict[str, Callable[[], list[tuple[int, Any]]]],
    ) -> None:
        self._store = store
        self._layout = layout
        self._generation = generation
        self._made = made
        self._columns: dict[str, Column] = {}
        self.remembered: dict[tuple[str, bytes], Array] = {}

    def __getitem__(self, name: str) -> Column:
        """A field's column; empty if no document has it."""
        column = self._columns.get(name)
        if column is None:
            column = self._columns[name] = self._read(name)
        return column

    def names(self) -> list[str]:
        """The names of all metadata."""
        return [*self._store.metadata_names(self._generation), *self._made]

    def _read(self, name: str) -> Column:
        if name in self._made:
            pairs = self._made[name]()
        else:
            pairs = self._store.column(name, self._generation)
        distinct: dict[str, int] = {}
        numbers: list[float] = []
        rows: list[int] = []
        codes: list[int] = []
        for row, value in pairs:
            for one in value if isinstance(value, list) else [value]:
                code = distinct.setdefault(str(one), len(distinct))
                if code == len(numbers):
                    numbers.append(_number(one))
                rows.append(row)
                codes.append(code)
        owners = self._layout.numbers_of_rows(np.array(rows, dtype=np.int64))
        here = owners >= 0
        codes_here = np.array(codes, dtype=np.int64)[here]
        return Column(owners[here], codes_here, list(distinct), np.array(numbers, dtype=np.float64))


def _number(value: Any) -> float:
    if isinstance(value, bool | int | float):
        return float(value)
    with contextlib.suppress(ValueError, TypeError):
        return float(value)
    return float("nan")
