"""What the two sides say to each other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ...core import Document

if TYPE_CHECKING:
    from ..preparation import Prepared

HEADER = 8  # bytes that say how long a message is
READY = bytes(HEADER)  # an empty message: the process has started


@dataclass(frozen=True, slots=True)
class Read:
    """A document that was read, prepared for the index where that was asked for."""

    document: Document
    prepared: Prepared | None = None
    images: tuple[bytes, ...] = ()  # those in it that nothing is known of
