"""Find all the time while one gather follows another.

    python benchmarks/hardness/reads.py [GATHERS]

100 gathers by default, every 25th a rebuild; a desk is closed under its questions now and then.
"""

from __future__ import annotations

import re
import tempfile
import threading
from pathlib import Path

from common import count_of, end_with, make_desk, write_pages

from yonder_lantern import Desk
from yonder_lantern.core import YonderError


def reads(gathers: int) -> list[str]:
    """Find all the time while a gather follows another; every answer is of one generation."""
    faults: list[str] = []
    count = 0
    over = threading.Event()
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "desk"
        make_desk(folder, 60)
        Desk.open(folder).gather()

        def read(desk: Desk) -> None:
            nonlocal count
            while not over.is_set():
                number = count % 60
                try:
                    hits = desk.find(f"When does berth {number} close?", limit=3)
                    wanted = f"documents/berth-{number}.md"
                    if wanted not in {hit.document for hit in hits}:
                        faults.append(f"berth {number} is not found")
                    if any(not re.fullmatch(r"# Berth[\s\S]*:00\.", hit.text) for hit in hits):
                        faults.append("a hit is no passage")
                except YonderError as error:
                    faults.append(str(error))
                count += 1

        desks = [Desk.open(folder, record=False) for _ in range(2)]
        threads = [threading.Thread(target=read, args=[desk]) for desk in desks]
        for thread in threads:
            thread.start()
        for number in range(gathers):
            write_pages(folder, [number % 60], number + 1)
            Desk.open(folder).gather(rebuild=number % 25 == 24)
            if number % 10 == 0:
                desks[0].close()
        over.set()
        for thread in threads:
            thread.join()
    print(f"{gathers} gathers, {count} reads beside them: {len(faults)} faults")
    return faults


if __name__ == "__main__":
    end_with(reads(count_of(100)))
