"""What the scripts of this folder share: made-up pages, and how faults are reported."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
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


QUAY = "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n"
ASKED = {"text": "When does the quay close in summer?"}


@contextmanager
def served(folder: Path, *options: str) -> Iterator[tuple[str, subprocess.Popen[str]]]:
    """``yonder serve`` as a process of its own, on a free port: its address."""
    child = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "serve", "--port", "0", *options],
        cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    try:
        assert child.stdout
        address = child.stdout.readline().split()[-1].rstrip("/")
        for _ in range(600):
            with suppress(OSError):
                urllib.request.urlopen(f"{address}/health", timeout=5).read()
                break
            time.sleep(0.1)
        yield address, child
    finally:
        child.send_signal(signal.SIGTERM)
        child.wait(120)


def percentile(values: list[float], share: float) -> float:
    """The value that a share of all is not above."""
    return sorted(values)[min(len(values) - 1, int(share * len(values)))]
