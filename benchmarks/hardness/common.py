"""What the scripts of this folder share: made-up pages, and how faults are reported."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))


def text_of(number: int, edition: int) -> str:
    """A page of a made-up harbour, in one of its editions."""
    return (
        f"# Berth {number}\n\nBerth {number} is {number % 40 + 5} metres long. Edition {edition} "
        f"of this page says that berth {number} closes at {edition % 24}:00.\n"
    )


def write_pages(folder: Path, numbers: Iterable[int], edition: int) -> None:
    """Write pages of an edition."""
    for number in numbers:
        path = folder / "documents" / f"berth-{number}.md"
        path.write_text(text_of(number, edition))


def make_desk(folder: Path, files: int) -> None:
    """A desk of so many pages, not yet gathered."""
    (folder / "documents").mkdir(parents=True)
    (folder / "yonder.toml").write_text("")
    write_pages(folder, range(files), 0)


def end_with(faults: list[str]) -> None:
    """Print the faults; the exit status is 1 when there are any."""
    for fault in faults[:30]:
        print(f"  {fault[:300]}")
    sys.exit(1 if faults else 0)


def count_of(default: int) -> int:
    """The number on the command line."""
    return int(sys.argv[1]) if len(sys.argv) > 1 else default
