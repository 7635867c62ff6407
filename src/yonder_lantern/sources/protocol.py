"""What a kind of source must be able to do."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Protocol

from ..records import Item
from ..settings import SourceSettings
from .folder import FolderSource


class Source(Protocol):
    """A place documents come from."""

    name: str

    def check(self) -> None:
        """Raise a `SourceError` when the place cannot be read at all."""
        ...

    def items(self) -> Iterator[Item]:
        """Every item the source holds now, in a stable order."""
        ...


def open_source(settings: SourceSettings, desk_folder: Path) -> Source:
    """The source that a ``[[source]]`` section describes."""
    return FolderSource(
        settings.name,
        desk_folder / settings.folder,
        include=settings.include,
        exclude=settings.exclude,
        audience=frozenset(settings.audience),
    )
