"""How gathering, finding and memory grow with the number of passages.

    python benchmarks/growth.py PASSAGES.TXT [COUNT ...]

For each count, as many lines of the file are gathered as documents, with the defaults, in a process
of its own; scikit-learn's TfidfVectorizer over the same texts stands beside it. Another process
opens the index and asks 40 questions. Memory is what the operating system says that each used.
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

COUNTS = (10_000, 100_000, 800_000)
READ = "texts = [line.strip() for line, _ in zip(open(sys.argv[1]), range(int(sys.argv[3])))]\n"
GATHER = (
    "import sys, time, resource\n"
    "from yonder_lantern import Desk\n" + READ + "began = time.perf_counter()\n"
    "items = {f'p{n}.txt': text for n, text in enumerate(texts)}\n"
    "report = Desk.open(sys.argv[2]).gather(items=items)\n"
    "took = time.perf_counter() - began\n"
    "peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024\n"
    "print(took, peak, report.passages, sum(map(len, texts)) / 1e6)\n"
)
PEER = (
    "import sys, time\n"
    "from sklearn.feature_extraction.text import TfidfVectorizer\n" + READ + "began = "
    "time.perf_counter()\nTfidfVectorizer().fit_transform(texts)\n"
    "print(time.perf_counter() - began)\n"
)
ASK = (
    "import sys, time, resource\n"
    "from yonder_lantern import Desk\n" + READ + "desk = Desk.open(sys.argv[2], record=False)\n"
    "asked = [' '.join(text.split()[:8]) for text in texts[:: max(1, len(texts) // 50)]][:50]\n"
    "times = []\n"
    "for question in asked:\n"
    "    began = time.perf_counter(); desk.find(question, limit=10)\n"
    "    times.append((time.perf_counter() - began) * 1000)\n"
    "vectors = desk.snapshot().segments\n"
    "size = sum(len(one.segment.lengths) for one in vectors)\n"
    "own = desk.snapshot().manifest.embedding.dimensions\n"
    "peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024\n"
    "print(peak, size * own * 4 / 1e6, *times[10:])\n"
)


def run(program: str, *arguments: object) -> list[float]:
    done = subprocess.run(
        [sys.executable, "-c", program, *map(str, arguments)],
        capture_output=True,
        text=True,
        check=True,
    )
    return [float(word) for word in done.stdout.split()]


def main() -> None:
    path = Path(sys.argv[1]).resolve()
    counts = [int(one) for one in sys.argv[2:]] or COUNTS
    print(
        "| passages | text | gather | beside TfidfVectorizer | peak | find | resident | vectors |"
    )
    print("|---|---|---|---|---|---|---|---|")
    for count in counts:
        with tempfile.TemporaryDirectory() as made:
            (Path(made) / "yonder.toml").write_text('[desk]\nlanguage = "en"\n')
            (Path(made) / "documents").mkdir()
            began = time.perf_counter()
            took, peak, passages, size = run(GATHER, path, made, count)
            (peer,) = run(PEER, path, made, count)
            resident, vectors, *times = run(ASK, path, made, count)
            print(
                f"| {passages:,.0f} | {size:.0f} MB | {took:.0f} s | {took / peer:.1f} × | "
                f"{peak:,.0f} MB | {statistics.median(times):.1f} ms | {resident:,.0f} MB | "
                f"{vectors:,.0f} MB |",
                flush=True,
            )
            print(f"({time.perf_counter() - began:.0f} s in all)", file=sys.stderr)


if __name__ == "__main__":
    main()
