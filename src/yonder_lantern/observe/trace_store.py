"""Keeping traces: a file a day, a line a trace."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ..core import Caller, CallError, Purge
from ..platform.storage import append_record, copy_records, read_records, rewrite_records


class Traces:
    """The traces of a desk; a `Recorder`.

    Files are named by day (UTC) and readable by their owner only, since a trace
    holds the question and words of documents.
    """

    def __init__(self, folder: Path, caller: Caller | None = None) -> None:
        self._folder = folder
        self._caller = caller or Caller()

    def record(self, trace: dict[str, Any]) -> str:
        """Keep a trace; its id."""
        now = datetime.now(UTC)
        id_ = f"{now:%Y%m%dT%H%M%S}-{secrets.token_hex(8)}"
        whole = {"id": id_, "at": now.isoformat(timespec="milliseconds"), **trace}
        append_record(self._folder / f"{now:%Y-%m-%d}.jsonl", whole)
        return id_

    name = "traces"

    def purge(self, purge: Purge) -> int:
        """Remove traces of a person's questions; redact the others."""

        def change(trace: dict[str, Any]) -> dict[str, Any] | None:
            if trace["id"] in purge.traces or (purge.person and purge.is_of(trace.get("by", ""))):
                return None
            redacted: dict[str, Any] = purge.redact(trace)
            return {**redacted, "id": trace["id"]}

        return sum(rewrite_records(day, change) for day in self._days())

    def expire(self, before: datetime) -> int:
        """Remove the files of days that are wholly before a moment."""
        old = [day for day in self._days() if day.stem < f"{before.astimezone(UTC):%Y-%m-%d}"]
        for day in old:
            day.unlink(missing_ok=True)
        return len(old)

    def copy_to(self, folder: Path) -> None:
        """Copy the files of all days."""
        for day in self._days():
            copy_records(day, folder / self.name / day.name)

    def _days(self) -> list[Path]:
        return sorted(self._folder.glob("*.jsonl")) if self._folder.is_dir() else []

    def newest_first(self) -> Iterator[dict[str, Any]]:
        """The traces, the latest first: those of questions whose caller saw no more than this one.

        Raises
        ------
        StateError
            A trace is damaged.
        """
        for day in reversed(self._days()):
            for trace in read_records(day, latest_first=True):
                if self._caller.sees_all_of(trace.get("audience")):
                    yield trace

    def last(self) -> dict[str, Any]:
        """The latest trace that the caller may see.

        Raises
        ------
        CallError
            Nothing has been asked yet.
        """
        for trace in self.newest_first():
            return trace
        raise CallError("nothing has been asked yet", remedy="ask: yonder ask QUESTION")

    def get(self, id_: str) -> dict[str, Any]:
        """A trace by its id.

        Raises
        ------
        CallError
            There is no such trace, or the caller may not see it.
        """
        for trace in self.newest_first():
            if trace["id"] == id_:
                return trace
        raise CallError(f"there is no trace {id_!r}", remedy="list them: yonder trace")
