"""Keeping traces: a file a day, a line a trace."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ..core import Caller, CallError
from ..platform.storage import append_record, read_records


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
        id_ = f"{now:%Y%m%dT%H%M%S}-{secrets.token_hex(3)}"
        whole = {"id": id_, "at": now.isoformat(timespec="milliseconds"), **trace}
        append_record(self._folder / f"{now:%Y-%m-%d}.jsonl", whole)
        return id_

    def newest_first(self) -> Iterator[dict[str, Any]]:
        """The traces, the latest first: those of questions whose caller saw no more than this one.

        Raises
        ------
        StateError
            A trace is damaged.
        """
        days = sorted(self._folder.glob("*.jsonl"), reverse=True) if self._folder.is_dir() else []
        for day in days:
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
