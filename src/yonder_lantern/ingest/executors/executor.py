"""What a gather needs of whatever reads documents for it: processes here, others elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from ..formats import ParsedWithImages
from .messages import Read, ReadRequest, ReadWithImages


class PendingRead(Protocol):
    """A document that is being read."""

    def done(self) -> bool:
        """Whether there is a document, or the reason why there is none."""

    def result(self) -> Read | ReadWithImages:
        """Wait for the document, or for the images in it that are to be described first.

        Raises
        ------
        YonderError
            Why there is none.
        """

    def go_on(self, parsed: ParsedWithImages, shown: Mapping[str, str]) -> PendingRead:
        """Read on where it stopped, now that it is known what the images in it show.

        Parameters
        ----------
        parsed : ParsedWithImages
        shown : mapping of str to str
            By the name of each image; empty where that is not known after all.
        """


class Executor(Protocol):
    """Whatever reads, cuts and prepares documents while the gather goes on.

    What it is given and what it gives back can be pickled, so it may be on another machine.
    """

    @property
    def room(self) -> int:
        """How many documents may be under way at once."""

    def read(self, request: ReadRequest) -> PendingRead:
        """Begin to read an item."""
