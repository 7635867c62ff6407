"""What fitting needs of a desk."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from ...core import Document, Query, ResolvedQuery
from ...index import Snapshot
from ...settings import Settings


class Fittable(Protocol):
    """A desk that is open: its folder, settings and index."""

    @property
    def folder(self) -> Path:
        """Where its settings are."""

    @property
    def state(self) -> Path:
        """Where its index is."""

    @property
    def settings(self) -> Settings:
        """Its settings."""

    def resolve(self, query: Query) -> ResolvedQuery:
        """A query ready to be searched for."""

    def snapshot(self) -> Snapshot:
        """The newest generation of its index."""

    def document(self, id_: str) -> Document | None:
        """A document, if there is one of that id."""

    def is_unread(self, id_: str) -> bool:
        """Whether a document should be there and could not be read."""
