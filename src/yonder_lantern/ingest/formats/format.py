"""What a format must be able to do."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import ClassVar

from ...core import Limits, Parsed
from .image_text import ImagesWithin


class Format(ABC):
    """Reads one kind of file.

    ``version`` goes up whenever the canonical text of an unchanged file would
    come out differently; its documents are then read again. ``heard`` says that
    its words were made out by a machine, so that a source's corrections apply;
    ``imaged`` that its files may hold images, which `read_with` tells of.

    Parameters
    ----------
    limits : Limits
        How much of one file may be taken in.
    """

    name: ClassVar[str]
    version: ClassVar[int]
    suffixes: ClassVar[tuple[str, ...]]
    heard: ClassVar[bool] = False
    imaged: ClassVar[bool] = False

    def __init__(self, limits: Limits | None = None) -> None:
        self.limits = limits or Limits()

    @abstractmethod
    def read(self, data: bytes, file_name: str) -> Parsed:
        """Make text and outline of a file's bytes; `FormatError` when it cannot."""

    def read_with(self, data: bytes, file_name: str, within: ImagesWithin | None) -> Parsed:  # noqa: ARG002
        """The same, with what the images in it show; None if nothing can tell that."""
        return self.read(data, file_name)
