"""The manifest: the one file that says what the index consists of."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from ..core import IndexStateError
from ..platform.storage import REBUILD, replace_bytes, sealed, unsealed

FORMAT = 5
MANIFEST = "manifest.json"


@dataclass(slots=True)
class SegmentEntry:
    """A segment of a generation."""

    name: str
    documents: int
    passages: int
    deletions: str = ""
    rows: str = ""  # the file that says where its documents are kept now, if that changed


@dataclass(slots=True)
class EmbeddingEntry:
    """The embedding of a generation, and what it was learned from.

    ``spec`` is what the settings asked for; a small corpus gives fewer dimensions,
    and a label that no document carries is replaced by the one most of them do.
    ``changed_since`` counts passages since it was learned or last measured to do.
    ``recall`` is that of the approximate index, by segment.
    """

    method: str
    hash: str
    dimensions: int
    metric: str
    dtype: str
    spec: dict[str, Any]
    learned_from: str
    learn_from: str
    passages: int
    approximate_from: int
    changed_since: int = 0
    recall: dict[str, float] = field(default_factory=dict)

    @property
    def key(self) -> str:
        """What the files of its vectors are named by, besides their segment."""
        return f"{self.hash}.{self.dtype}.{self.approximate_from}"


@dataclass(slots=True)
class TopicsEntry:
    """The topics of a generation, and how many passages have changed since they were learned."""

    name: str
    passages: int
    changed_since: int = 0


@dataclass(slots=True)
class Manifest:
    """One generation of the index."""

    generation: int = 0
    written: str = ""
    fingerprint: dict[str, Any] = field(default_factory=dict)
    segments: list[SegmentEntry] = field(default_factory=list)
    next_segment: int = 1
    audiences: list[list[str]] = field(default_factory=list)
    languages: list[str] = field(default_factory=list)
    embedding: EmbeddingEntry | None = None
    topics: TopicsEntry | None = None
    format: int = FORMAT

    def save(self, folder: Path) -> None:
        """Put this manifest in place of the one before, in one step."""
        replace_bytes(folder / MANIFEST, sealed(asdict(self), indent=1))

    @classmethod
    def load(cls, folder: Path) -> Manifest | None:
        """The manifest of an index folder; None when nothing was ever published.

        Raises
        ------
        IndexStateError
            It is damaged, or written by a newer version of this program.
        """
        path = folder / MANIFEST
        try:
            data = path.read_bytes()
            raw = json.loads(data)
        except FileNotFoundError:
            return None
        except PermissionError as error:
            raise IndexStateError(
                "the index may not be read", str(path), "give this user permission to read it"
            ) from error
        except (OSError, ValueError, RecursionError) as error:
            raise IndexStateError("the index's manifest is damaged", str(path), REBUILD) from error
        written_as = raw.get("format") if isinstance(raw, dict) else None
        if isinstance(written_as, int) and written_as > FORMAT:
            raise IndexStateError(
                f"the index is in format {written_as}; this version reads format {FORMAT}",
                str(path),
                "install a newer yonder-lantern, or " + REBUILD,
            )
        if isinstance(written_as, int) and 0 < written_as < FORMAT:
            raise IndexStateError(
                f"the index is in format {written_as}, which this version does not read any more",
                str(path),
                REBUILD,
            )
        try:
            if written_as != FORMAT:
                raise ValueError("no format")
            raw = unsealed(data)
            raw["segments"] = [SegmentEntry(**entry) for entry in raw["segments"]]
            raw["embedding"] = EmbeddingEntry(**raw["embedding"]) if raw["embedding"] else None
            raw["topics"] = TopicsEntry(**raw["topics"]) if raw["topics"] else None
            return cls(**raw)
        except (TypeError, KeyError, ValueError) as error:
            raise IndexStateError("the index's manifest is damaged", str(path), REBUILD) from error
