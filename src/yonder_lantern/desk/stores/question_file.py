"""The question set of a desk, whose expectations quote its documents."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import Any

from ...core import Purge
from ...platform.storage import private_folder, replace_bytes, write_bytes


class QuestionFile:
    """A file of questions, an object a line.

    Parameters
    ----------
    path : Path
    """

    name = "questions"

    def __init__(self, path: Path) -> None:
        self._path = path

    def purge(self, purge: Purge) -> int:
        """Remove the questions that expect a document that goes, or hold its words."""
        if not self._path.exists():
            return 0
        lines = self._path.read_text(encoding="utf-8").splitlines(keepends=True)
        left = [line for line in lines if _stays(line, purge)]
        if len(left) < len(lines):
            replace_bytes(self._path, "".join(left).encode("utf-8"))
        return len(lines) - len(left)

    def expire(self, before: datetime) -> int:  # noqa: ARG002
        """Nothing: it is the owner's own file."""
        return 0

    def copy_to(self, folder: Path) -> None:
        """Copy it, beside the state."""
        if self._path.exists():
            private_folder(folder.parent)
            write_bytes(folder.parent / self._path.name, self._path.read_bytes())


def _stays(line: str, purge: Purge) -> bool:
    try:
        value: Any = json.loads(line)
    except ValueError:
        return bool(purge.redact(line) == line)
    return bool(purge.redact(value) == value)
