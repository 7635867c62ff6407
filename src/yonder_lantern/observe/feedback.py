"""What people think of answers: a rating and a remark, kept by the trace of the answer."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal

from ..core import CallError, Purge
from ..platform.storage import (
    append_record,
    check_kept,
    copy_records,
    note_kept,
    read_records,
    rewrite_records,
)
from .trace_store import Traces

Rating = Literal["good", "bad", ""]
_FILE = "feedback.jsonl"
_LONGEST = 2000  # characters of a remark


@dataclass(frozen=True, slots=True)
class Feedback:
    """A judgement of an answer; a later one of the same person takes its place."""

    trace: str
    rating: Rating
    remark: str
    by: str
    at: str


class FeedbackBook:
    """The judgements of a desk.

    Parameters
    ----------
    folder : Path
    traces : Traces
        Those that the caller may see.
    """

    def __init__(self, folder: Path, traces: Traces) -> None:
        self._path = folder / _FILE
        self.traces = traces

    def add(self, trace: str, rating: Rating, remark: str = "", *, by: str = "") -> Feedback:
        """Keep a judgement.

        Parameters
        ----------
        trace : str
            Of the answer that is judged.
        rating : {"good", "bad", ""}
            Empty takes an earlier one back.
        remark : str
        by : str
            Who says so.

        Raises
        ------
        CallError
            There is no such answer, or the remark is too long.
        """
        if len(remark) > _LONGEST:
            raise CallError("the remark is too long", "remark", f"{_LONGEST} characters at most")
        self.traces.get(trace)
        now = datetime.now(UTC).isoformat(timespec="seconds")
        made = Feedback(trace, rating, remark.strip(), by, now)
        append_record(self._path, asdict(made))
        note_kept(self._path)
        return made

    name = "feedback"

    def purge(self, purge: Purge) -> int:
        """Remove a person's judgements, and those of their answers; redact other remarks."""

        def change(kept: dict[str, Any]) -> dict[str, Any] | None:
            if kept["trace"] in purge.traces or purge.is_of(kept["by"]):
                return None
            return {**kept, "remark": purge.redact(kept["remark"])}

        return rewrite_records(self._path, change)

    def expire(self, before: datetime) -> int:
        """Remove judgements that are older than a moment."""
        old = before.astimezone(UTC).isoformat(timespec="seconds")
        return rewrite_records(self._path, lambda kept: None if kept["at"] < old else kept)

    def copy_to(self, folder: Path) -> None:
        """Copy the file."""
        if self._path.exists():
            copy_records(self._path, folder / _FILE)

    def all(self) -> Iterator[Feedback]:
        """The judgements that stand, the latest first."""
        if not self._path.exists():
            check_kept(self._path, "judgements")
            return
        seen = set()
        for kept in read_records(self._path, latest_first=True):
            one = Feedback(**{name: kept[name] for name in Feedback.__dataclass_fields__})
            if (one.trace, one.by) in seen:
                continue
            seen.add((one.trace, one.by))
            if one.rating:
                yield one
