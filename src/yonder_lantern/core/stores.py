"""What a desk keeps, so that it can be purged, aged and copied whatever it is kept in."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, Protocol

PURGED = "[purged]"


def hashed_name(name: str) -> str:
    """What a record keeps of a name: enough to find it by, and no more.

    Examples
    --------
    >>> hashed_name("person ann")
    'by-8ed281f52bb141ea'
    """
    return "by-" + hashlib.sha256(name.encode("utf-8", "surrogatepass")).hexdigest()[:16]


def _unchanged(value: Any) -> Any:
    return value


@dataclass(frozen=True, slots=True)
class Purge:
    """What is to go for good.

    Attributes
    ----------
    documents : frozenset of str
        Ids of documents whose words go.
    redact : callable
        A text, or a value as JSON has it, without those words: a mark stands for them.
    person : str
        The name that a person's conversations are kept under; empty for none.
    traces : frozenset of str
        Ids of traces of that person's questions.
    """

    documents: frozenset[str] = frozenset()
    redact: Callable[[Any], Any] = _unchanged
    person: str = ""
    traces: frozenset[str] = frozenset()

    def is_of(self, name: str) -> bool:
        """Whether a name is the person's: as it is, or as tokens and sign-ins are called.

        Examples
        --------
        >>> [Purge(person="ann").is_of(one) for one in ("person ann", "token ann", "anna", "")]
        [True, True, False, False]
        """
        wanted = (self.person, f"person {self.person}", f"token {self.person}")
        hashes = map(hashed_name, wanted)
        return bool(self.person) and (
            name in (*wanted, *hashes) or name.startswith(f"{wanted[2]} visitor ")
        )


class Store(Protocol):
    """One thing that a desk keeps. Each process may change it meanwhile: every call is whole."""

    @property
    def name(self) -> str:
        """What it is called in reports, and in the settings of how long it is kept."""

    def purge(self, purge: Purge) -> int:
        """Remove or redact what is to go; how many records that changed."""

    def expire(self, before: datetime) -> int:
        """Remove what is older than a moment; how many records that were."""

    def copy_to(self, folder: Path) -> None:
        """Copy it, as it is at one moment, into another folder of state."""
