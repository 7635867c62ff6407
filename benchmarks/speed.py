"""Speed and memory of gather and find on generated documents.

    python benchmarks/speed.py [COUNT]

prints documents and megabytes a second, the time of a gather with nothing changed, the peak
memory, and the median and 95th percentile of a search in process and as a whole process beside
``python -c "import numpy"``; each beside something general in the same run, as a ratio.
"""

from __future__ import annotations

import os
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from generate import questions, write_desk

RUNS = 3
GATHER = (
    "import sys, time, resource\n"
    "from yonder_lantern import Desk\n"
    "began = time.perf_counter(); report = Desk.open(sys.argv[1]).gather()\n"
    "took = time.perf_counter() - began\n"
    "peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024\n"
    "print(took, peak, report.passages, report.nothing_to_do)\n"
)
SCAN = (  # the general peer: the same files read, split into words and counted by scikit-learn
    "import sys, time\n"
    "from pathlib import Path\n"
    "from sklearn.feature_extraction.text import TfidfVectorizer\n"
    "began = time.perf_counter()\n"
    "texts = [p.read_text() for p in sorted(Path(sys.argv[1]).rglob('*.md'))]\n"
    "TfidfVectorizer().fit_transform(texts)\n"
    "print(time.perf_counter() - began)\n"
)


def run(program: str, folder: Path) -> list[str]:
    done = subprocess.run(
        [sys.executable, "-c", program, str(folder)], capture_output=True, text=True, check=True
    )
    return done.stdout.split()


ENVIRONMENT = {
    name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"
}


def process_times(command: list[str], folder: Path, runs: int = 11) -> list[float]:
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        subprocess.run(command, cwd=folder, capture_output=True, check=False, env=ENVIRONMENT)
        times.append((time.perf_counter() - began) * 1000)
    return times[1:]


def rows_unchanged(count: int, folder: Path) -> None:
    """A table of so many rows, each a document: gathered, and again with nothing changed."""
    folder.mkdir()
    settings = '[[source]]\nname = "rows"\ntable = "rows.csv"\nkey = "code"\n'
    (folder / "yonder.toml").write_text(settings)
    lines = [
        f"C-{n},crane number {n} on the quay,{n % 40},2026-01-{n % 28 + 1:02}" for n in range(count)
    ]
    (folder / "rows.csv").write_text("\n".join(["code,what,load,tested", *lines]) + "\n")
    first = run(GATHER, folder)
    again = run(GATHER, folder)
    print(f"{count:,} rows of a table: gather {float(first[0]):.1f} s, ", end="")
    print(f"nothing changed: {float(again[0]):.2f} s, nothing to do: {again[3]}")


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        size = write_desk(folder, count) / 1e6
        gathers = []
        for _ in range(RUNS):
            shutil.rmtree(folder / ".yonder", ignore_errors=True)
            gathers.append(run(GATHER, folder))
        seconds, peak, passages, _ = min(gathers, key=lambda one: float(one[0]))
        print(f"{count:,} documents, {size:.1f} MB of text, {int(passages):,} passages")
        rate = count / float(seconds)
        print(
            f"gather, best of {RUNS}: {float(seconds):.1f} s, {rate:.0f} documents/s, "
            f"{size / float(seconds):.2f} MB/s"
        )
        print(f"gather, peak memory: {float(peak):.0f} MB, {float(peak) / size:.1f} × the text")
        try:
            peer = min(float(run(SCAN, folder / "documents")[0]) for _ in range(RUNS))
            print(
                f"  beside TfidfVectorizer over the same files: {peer:.1f} s, ratio "
                f"{float(seconds) / peer:.1f}"
            )
        except subprocess.CalledProcessError:
            print("  (scikit-learn is not installed: no peer)")
        seconds, peak, _, nothing = run(GATHER, folder)
        print(f"gather, nothing changed: {float(seconds):.2f} s, nothing to do: {nothing}")

        rows_unchanged(count, folder / "table")

        from yonder_lantern import Desk

        desk = Desk.open(folder, record=False)
        asked = questions(300)
        for question in asked[:20]:
            desk.find(question)
        times = []
        for question in asked:
            began = time.perf_counter()
            desk.find(question)
            times.append((time.perf_counter() - began) * 1000)
        cuts = statistics.quantiles(times, n=20)
        print(f"find in process: median {statistics.median(times):.1f} ms, 95th {cuts[-1]:.1f} ms")
        times = []
        for question in asked[:100]:
            began = time.perf_counter()
            desk.ask(question)
            times.append((time.perf_counter() - began) * 1000)
        cuts = statistics.quantiles(times, n=20)
        print(f"ask in process:  median {statistics.median(times):.1f} ms, 95th {cuts[-1]:.1f} ms")
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"this process, peak memory: {memory:.0f} MB")
        command = [str(Path(sys.executable).with_name("yonder")), "find", asked[0]]
        numpy = [sys.executable, "-c", "import numpy"]
        ours, theirs = process_times(command, folder), process_times(numpy, folder)
        a, b = statistics.median(ours), statistics.median(theirs)
        print(
            f"yonder find as a process: median {a:.0f} ms; import numpy: {b:.0f} ms; "
            f"ratio {a / b:.2f}"
        )


if __name__ == "__main__":
    main()
