"""Kill a gather at a moment drawn by lot, and see what the index says.

    python benchmarks/hardness/kills.py [COUNT]

200 kills: a quarter of them on 2,000 files, the rest on 150. After each, every document is either
as it was or as it is to be, and the index answers.
"""

from __future__ import annotations

import contextlib
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from common import count_of, end_with, make_desk, text_of, write_pages

from yonder_lantern import Desk
from yonder_lantern.core import YonderError


def kills(count: int) -> list[str]:
    """Kill a gather at a moment drawn by lot; what was there still answers, exactly."""
    faults: list[str] = []
    draw = random.Random(1)
    with tempfile.TemporaryDirectory() as scratch:
        for files, trials in ((150, count - count // 4), (2000, count // 4)):
            folder = Path(scratch) / f"desk-{files}"
            make_desk(folder, files)
            began = time.monotonic()
            Desk.open(folder).gather()
            whole = time.monotonic() - began
            edition = dict.fromkeys(range(files), 0)
            published = dict(edition)
            for trial in range(trials):
                chosen = draw.sample(range(files), min(files, 100))
                write_pages(folder, chosen, trial + 1)
                edition.update(dict.fromkeys(chosen, trial + 1))
                process = subprocess.Popen(
                    [sys.executable, "-m", "yonder_lantern", "gather"],
                    cwd=folder,
                    stdout=subprocess.DEVNULL,
                    stderr=subprocess.DEVNULL,
                )
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(draw.uniform(0.15, max(1.2, whole / 3)))
                process.send_signal(signal.SIGKILL)
                process.wait()
                faults += [
                    f"{files} files, trial {trial}: {x}" for x in _odd(folder, published, edition)
                ]
            Desk.open(folder).gather()
            published = dict(edition)
            faults += [f"{files} files, at the end: {x}" for x in _odd(folder, published, edition)]
            faults += [f"{files} files: {line} is left" for line in _left(folder)]
    print(f"{count} kills: {len(faults)} faults")
    return faults


def _left(folder: Path) -> Iterator[str]:
    """The processes of killed gathers that still run in a folder."""
    for process in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            if (process / "cwd").readlink() == folder.resolve():
                yield (process / "cmdline").read_text().replace("\0", " ")


def _odd(folder: Path, published: dict[int, int], edition: dict[int, int]) -> Iterator[str]:
    """What of an index is neither as it was nor as it is to be."""
    try:
        with Desk.open(folder, record=False) as desk:
            documents = {
                one.id: one.text
                for _, one in desk.snapshot().store.each(desk.snapshot().live_rows())
            }
            desk.find("When does berth 7 close?")
    except YonderError as error:
        yield str(error)
        return
    if len(documents) != len(edition):
        yield f"{len(documents)} documents"
    for number, newest in edition.items():
        text = documents.get(f"documents/berth-{number}.md", "")
        if text == text_of(number, newest):
            published[number] = newest
        elif text != text_of(number, published[number]):
            yield f"berth {number} is neither as it was nor as it is"
            return


if __name__ == "__main__":
    end_with(kills(count_of(200)))
