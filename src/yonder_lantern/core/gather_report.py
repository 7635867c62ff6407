"""What a gather reports."""

from __future__ import annotations

from dataclasses import dataclass, field

from .money import Money


@dataclass(frozen=True, slots=True)
class Problem:
    """Something that could not be gathered, why, and what to do."""

    item: str
    reason: str
    remedy: str = ""


@dataclass(slots=True)
class SourceCounts:
    """What became of the items of one source.

    ``moved`` documents are what others were read from before, under another key.
    """

    added: int = 0
    changed: int = 0
    moved: int = 0
    unchanged: int = 0
    removed: int = 0
    failed: int = 0
    skipped: int = 0
    seconds: float = 0.0


@dataclass(slots=True)
class GatherReport:
    """The outcome of a gather.

    Attributes
    ----------
    sources : dict of str to SourceCounts
    problems : list of Problem
        Items that failed; each kept its earlier version, if it had one.
    skipped : dict of str to int
        Files no format reads, by suffix.
    notices : list of str
        What else there is to know: what was paid for, what is written in a
        language the index has little of, what was superseded.
    documents, passages : int
        What the index holds afterwards.
    read : int
        How many of the passages the reading model has read.
    tokens : int
        Words and marks of the passages that had to be embedded.
    price : Money
        What it cost, or would.
    embedding : str
        What was done about the embedding: ``kept``, ``trained`` or ``none``.
    generation : int
        The generation now published.
    seconds : float
    dry_run : bool
        True when nothing was written.
    """

    sources: dict[str, SourceCounts] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    skipped: dict[str, int] = field(default_factory=dict)
    notices: list[str] = field(default_factory=list)
    documents: int = 0
    passages: int = 0
    read: int = 0
    tokens: int = 0
    price: Money = Money()
    embedding: str = "none"
    generation: int = 0
    seconds: float = 0.0
    dry_run: bool = False

    def _sum(self, name: str) -> int:
        return sum(getattr(counts, name) for counts in self.sources.values())

    @property
    def added(self) -> int:
        """Documents that are new."""
        return self._sum("added")

    @property
    def changed(self) -> int:
        """Documents whose text, metadata, audience or validity changed."""
        return self._sum("changed")

    @property
    def moved(self) -> int:
        """Documents that stand under another key than before."""
        return self._sum("moved")

    @property
    def unchanged(self) -> int:
        """Documents left as they were."""
        return self._sum("unchanged")

    @property
    def removed(self) -> int:
        """Documents no longer in their source."""
        return self._sum("removed")

    @property
    def failed(self) -> int:
        """Items that could not be read."""
        return self._sum("failed")

    def __str__(self) -> str:
        figures = ", ".join(
            f"{getattr(self, name)} {name}"
            for name in ("added", "changed", "moved", "unchanged", "removed", "failed")
        )
        return f"{figures}; {self.documents} documents, {self.passages} passages"

    @property
    def nothing_to_do(self) -> bool:
        """Whether the index was up to date already."""
        changed = self.added or self.changed or self.moved or self.removed
        return not (changed or self.embedding == "trained")
