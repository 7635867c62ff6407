"""Which code a figure was measured with."""

from __future__ import annotations

from pathlib import Path

from binding import digest

SOURCE = Path(__file__).parents[2] / "src" / "yonder_lantern"


def code(folder: Path = SOURCE, *, leave_out: Path | None = None) -> str:
    """A hash of the library's Python files: the same code, the same hash."""
    files = sorted(path for path in folder.rglob("*.py") if path != leave_out)
    return digest(
        "".join(f"{path.relative_to(folder)}\n{path.read_text('utf-8')}" for path in files)
    )
