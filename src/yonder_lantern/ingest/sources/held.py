"""Documents that a program holds and hands over."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from ...core import CallError, Item, Stamp


@dataclass(frozen=True, slots=True)
class HeldItem:
    """One document of a program.

    Attributes
    ----------
    key : str
        What it is called; with a suffix that says its format, unless ``file_name``
        does. Plain text if neither has one.
    data : str or bytes
        Its contents.
    metadata : mapping
        What else is known of it: ``title``, ``date``, ``valid_until``.
    file_name : str
        A name whose suffix says the format.

    Examples
    --------
    >>> HeldItem("notes/42", "The slip is closed.").format_name
    '42.txt'
    """

    key: str
    data: str | bytes
    metadata: Mapping[str, Any] = field(default_factory=dict)
    file_name: str = ""

    @property
    def format_name(self) -> str:
        """The file name its format goes by."""
        name = self.file_name or self.key.rpartition("/")[2]
        return name if "." in name else f"{name}.txt"


class HeldSource:
    """The documents that a program hands to `Desk.gather`."""

    def __init__(self, name: str, items: Iterable[HeldItem], audience: frozenset[str]) -> None:
        self.name = name
        self.audience = audience
        self._items = {item.key: item for item in items}
        for key in self._items:
            if not key.strip() or key.startswith("/"):
                raise CallError(f"not a key for a document: {key!r}", "items", "give it a name")

    def check(self) -> None:
        """Nothing can be wrong: everything is here."""

    def items(self) -> Iterator[Item]:
        """The documents, ordered by key."""
        for key, held in sorted(self._items.items()):
            data = held.data if isinstance(held.data, bytes) else held.data.encode("utf-8")
            mark = hashlib.sha256(data + repr(sorted(held.metadata.items())).encode()).hexdigest()
            yield Item(
                self.name,
                key,
                partial(bytes, data),
                Stamp(len(data), 0, mark),
                self.audience,
                dict(held.metadata),
                held.format_name,
            )
