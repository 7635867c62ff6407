"""How much of one item is taken in."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Limits:
    """What one item may be, so that none can take the machine down.

    Attributes
    ----------
    bytes : int
        Size of the item as it comes.
    expanded_bytes : int
        Size of everything packed inside it, once unpacked.
    pages : int
        Pages, slides or chapters.
    depth : int
        How deep JSON, XML or messages may be nested.
    seconds : float
        How long reading it may take.
    memory : int
        Bytes that a process which reads may use.
    """

    bytes: int = 20_000_000
    expanded_bytes: int = 200_000_000
    pages: int = 2000
    depth: int = 60
    seconds: float = 60.0
    memory: int = 1_000_000_000
