"""How fast questions are graded and settings compared.

    python benchmarks/laboratory/speed.py WORK [DOCUMENTS]

Below WORK a desk of generated documents is made (10,000 by default) with a question for every
fortieth. Questions a second of `grade`, with answers, with one process and with one a core; the
time of a comparison of six settings that differ in fusion alone, and of four that differ in the
size of passages, each in units of the time that one setting takes.
"""

from __future__ import annotations

import json
import os
import shutil
import sys
import time
from pathlib import Path

from generate_desk import generated_desk

from yonder_lantern import Desk


def timed(desk: Desk, variants: list[dict[str, object]]) -> float:
    shutil.rmtree(desk.state / "comparisons", ignore_errors=True)
    started = time.perf_counter()
    desk.compare(variants, afresh=True)
    return time.perf_counter() - started


def main() -> None:
    work = Path(sys.argv[1])
    count = int(sys.argv[2]) if len(sys.argv) > 2 else 10_000
    folder = generated_desk(work / f"documents-{count}", count)
    cores = len(os.sched_getaffinity(0))
    asked = len((folder / "questions.jsonl").read_text().splitlines())
    for processes in (1, cores):
        desk = Desk.open(folder, record=False)
        started = time.perf_counter()
        grades = desk.grade(processes=processes)
        seconds = time.perf_counter() - started
        print(
            f"grade, {count:,} documents, {processes} processes: {asked / seconds:.1f} questions a "
            f"second with answers; recall@5 {grades.measure('recall@5').mean:.3f}",
            flush=True,
        )
    desk = Desk.open(folder, record=False)
    one = timed(desk, [{"find.limit": 8}]) / 2  # as it is, and the same once more: warm, and twice
    alone = time.perf_counter()
    Desk.open(folder, record=False).grade()
    alone = time.perf_counter() - alone
    fusion: list[dict[str, object]] = [
        {"find.lexical_weight": weight} for weight in (0.2, 0.35, 0.5, 0.65, 0.8)
    ]
    six = timed(desk, fusion)
    sizes: list[dict[str, object]] = [{"passages.tokens": size} for size in (100, 250, 400)]
    four = timed(desk, sizes)
    told = {
        "one setting graded alone, s": round(alone, 1),
        "one of two in a comparison, s": round(one, 1),
        "six that differ in fusion, s": round(six, 1),
        "six in units of one": round(six / alone, 2),
        "four that differ in the size of passages, s": round(four, 1),
        "four in units of one": round(four / alone, 2),
    }
    print(json.dumps(told, indent=1))


if __name__ == "__main__":
    main()
