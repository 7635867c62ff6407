"""Keeping traces: a file a day, a line a trace."""

from __future__ import annotations

import json
import secrets
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ..records import CallError
from ..storage import append_line


class Traces:
    """The traces of a desk; a `Recorder`.

    Files are named by day (UTC) and readable by their owner only, since a trace
    holds the question and words of documents.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def record(self, trace: dict[str, Any]) -> str:
        """Keep a trace; its id."""
        now = datetime.now(UTC)
        id_ = f"{now:%Y%m%dT%H%M%S}-{secrets.token_hex(3)}"
        whole = {"id": id_, "at": now.isoformat(timespec="milliseconds"), **trace}
        append_line(self._folder / f"{now:%Y-%m-%d}.jsonl", json.dumps(whole, ensure_ascii=False))
        return id_

    def newest_first(self) -> Iterator[dict[str, Any]]:
        """All traces, the latest first."""
        days = sorted(self._folder.glob("*.jsonl"), reverse=True) if self._folder.is_dir() else []
        for day in days:
            for line in reversed(day.read_text(encoding="utf-8").splitlines()):
                try:
                    yield json.loads(line)
                except ValueError:  # cut short by a kill or a full disk
                    continue

    def last(self) -> dict[str, Any]:
        """The latest trace.

        Raises
        ------
        CallError
            Nothing has been asked yet.
        """
        for trace in self.newest_first():
            return trace
        raise CallError("nothing has been asked yet", str(self._folder), "ask: yonder ask QUESTION")

    def get(self, id_: str) -> dict[str, Any]:
        """A trace by its id.

        Raises
        ------
        CallError
            There is no such trace.
        """
        for trace in self.newest_first():
            if trace["id"] == id_:
                return trace
        raise CallError(f"there is no trace {id_!r}", str(self._folder), "list them: yonder trace")
