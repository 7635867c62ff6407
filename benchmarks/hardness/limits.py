"""Time what the limits of reading cost a gather of the demo.

    python benchmarks/hardness/limits.py [GATHERS]

Five gathers of each kind by default, in turns: as they are, and with no limit of memory and no
process that ends with its gather.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from common import count_of, end_with

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.ingest.executors import processes

_FAR_OFF = {"gather.max_memory_megabytes": 1_000_000, "gather.seconds_per_item": 10_000}
_MOST = 1.05


def limits(count: int) -> list[str]:
    """The fastest gather with limits, as a ratio to the fastest without."""
    bound = processes.die_with_parent
    took: dict[str, list[float]] = {"with": [], "without": []}
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "desk"
        copy_demo(folder)
        with demo_services(folder):
            Desk.open(folder).gather()
            for _ in range(count):
                for kind, settings in (("with", {}), ("without", _FAR_OFF)):
                    processes.die_with_parent = bound if kind == "with" else lambda _: None
                    began = time.perf_counter()
                    Desk.open(folder, settings=settings).gather(rebuild=True)
                    took[kind].append(time.perf_counter() - began)
    ratio = min(took["with"]) / min(took["without"])
    print(f"a gather of the demo: {min(took['with']):.2f} s with limits, ×{ratio:.3f} of without")
    return [f"×{ratio:.3f} is more than ×{_MOST}"] if ratio > _MOST else []


if __name__ == "__main__":
    end_with(limits(count_of(5)))
