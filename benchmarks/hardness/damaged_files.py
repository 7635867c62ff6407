"""Whether damage to any file of a desk is told: 500 flips, zeros and cuts over all of them.

    python benchmarks/hardness/damaged_files.py [COUNT]

gathers the demo, asks it a few things, damages one file of a copy at a time, and compares what
the owner and the public are told with what they were told before. Then it times what the
checksums cost when an index is opened.
"""

from __future__ import annotations

import random
import tempfile
import time
from collections import Counter
from pathlib import Path

from common import count_of, end_with

from damage import kept_files, trials
from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.platform.storage import CheckedArray, checked_array


def damages(count: int) -> list[str]:
    """Damage, count, and print."""
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "desk"
        copy_demo(folder)
        with demo_services(folder):
            desk = Desk.open(folder)
            desk.gather()
        for question in ("When does the quay close?", "How do I report a near miss?"):
            desk.ask(question)
        conversation = desk.conversations.start()
        desk.talk("When is the fuel berth open?", conversation)
        desk.talk("And in winter?", conversation)
        desk.close()
        faults: list[str] = []
        kinds: Counter[str] = Counter()
        for path, kind, fault in trials(folder, Path(scratch), count, random.Random(1)):
            kinds[kind] += 1
            if fault:
                faults.append(f"{kind} {path}: {fault}")
        print(f"{len(kept_files(folder / '.yonder'))} files, {dict(kinds)}: {len(faults)} faults")
        _cost(folder)
    return faults


def _cost(folder: Path) -> None:
    """What opening and a first question take, with the checksums and without them."""
    check = CheckedArray._check_blocks

    def nothing(self: CheckedArray, blocks: object) -> None:  # noqa: ARG001
        self._left = 0

    took: dict[str, list[float]] = {"with": [], "without": []}
    for _ in range(15):
        for name, method in (("with", check), ("without", nothing)):
            CheckedArray._check_blocks = method  # type: ignore[method-assign, assignment]
            began = time.perf_counter()
            with Desk.open(folder, record=False) as desk:
                desk.find("When is the fuel berth open in winter?")
            took[name].append(time.perf_counter() - began)
    CheckedArray._check_blocks = check  # type: ignore[method-assign]
    best = {name: sorted(own)[len(own) // 2] * 1000 for name, own in took.items()}
    print(
        f"opening and a first search: {best['with']:.1f} ms with array checksums, "
        f"{best['without']:.1f} ms without ({best['with'] / best['without'] - 1:+.1%})"
    )
    size = sum(path.stat().st_size for path in (folder / ".yonder" / "index").rglob("*.npy"))
    began = time.perf_counter()
    for path in (folder / ".yonder" / "index").rglob("*.npy"):
        checked_array(path).whole()
    print(f"all arrays, {size / 1e6:.1f} MB: {(time.perf_counter() - began) * 1000:.0f} ms")


if __name__ == "__main__":
    end_with(damages(count_of(500)))
