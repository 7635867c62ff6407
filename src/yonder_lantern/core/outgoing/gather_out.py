"""The report of a gather, as it goes out."""

from __future__ import annotations

from dataclasses import asdict

import msgspec

from ..gather_report import GatherReport
from .answer_out import MoneyOut


class CountsOut(msgspec.Struct, frozen=True):
    """What became of the items of one source."""

    added: int
    changed: int
    moved: int
    unchanged: int
    removed: int
    failed: int
    skipped: int
    seconds: float


class ProblemOut(msgspec.Struct, frozen=True):
    """Something that could not be gathered, why, and what to do."""

    item: str
    reason: str
    remedy: str


class GatherOut(msgspec.Struct, frozen=True):
    """What a gather did: ``yonder gather --json``."""

    sources: dict[str, CountsOut]
    problems: list[ProblemOut]
    skipped: dict[str, int]
    notices: list[str]
    documents: int
    passages: int
    read: int
    tokens: int
    price: MoneyOut
    embedding: str
    generation: int
    seconds: float
    dry_run: bool

    @classmethod
    def of(cls, report: GatherReport) -> GatherOut:
        """A report as it goes out."""
        return cls(
            sources={name: CountsOut(**asdict(one)) for name, one in report.sources.items()},
            problems=[ProblemOut(one.item, one.reason, one.remedy) for one in report.problems],
            skipped=dict(report.skipped),
            notices=list(report.notices),
            documents=report.documents,
            passages=report.passages,
            read=report.read,
            tokens=report.tokens,
            price=MoneyOut.of(report.price),
            embedding=report.embedding,
            generation=report.generation,
            seconds=report.seconds,
            dry_run=report.dry_run,
        )
