"""Damaged files of every format: none may crash a reader or hang it.

    python benchmarks/fuzz.py [COUNT]

reads COUNT (2000) damaged files of each format, the same each time, and prints how many were read,
how many were refused in words, and the longest that one took. Exit status 1 when anything else
happened.
"""

from __future__ import annotations

import signal
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from mutations import mutated
from yonder_lantern.core import FormatError, LimitError, Limits
from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.ingest.formats import Formats

LONGEST = 20  # seconds
MADE = {
    ".tsv": b"code\twhat\nCR-01\tcrane\n" * 20,
    ".srt": b"1\n00:00:01,000 --> 00:00:02,500\nThe tide turns.\n\n" * 20,
    ".jsonl": b'{"a": "x\\u00e9", "b": [1, 2.5e3]}\n' * 20,
}


def too_long(*_: object) -> None:
    raise TimeoutError


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    signal.signal(signal.SIGALRM, too_long)
    formats = Formats(Limits(seconds=10))
    by_suffix: dict[str, list[bytes]] = {suffix: [data] for suffix, data in MADE.items()}
    for path in sorted(DEMO_FOLDER.rglob("*.*")):
        data = path.read_bytes()
        if formats.for_file(path.name) and len(data) < 40_000:  # a scanned page takes seconds
            by_suffix.setdefault(path.suffix, []).append(data)
    wrong = 0
    print("suffix      read  refused  crashed or hung   longest, s")
    for suffix, originals in sorted(by_suffix.items()):
        own = count if suffix != ".png" else count // 20  # each runs a program of its own
        read = refused = bad = 0
        longest = 0.0
        for number, (name, data) in enumerate(mutated(suffix, originals, own)):
            kind = formats.for_file(name)
            assert kind is not None
            began = time.perf_counter()
            signal.alarm(LONGEST)
            try:
                kind.read(data, name)
                read += 1
            except (FormatError, LimitError):
                refused += 1
            except BaseException as error:
                bad += 1
                print(f"{name} number {number}: {type(error).__name__}: {error}"[:150])
            finally:
                signal.alarm(0)
            longest = max(longest, time.perf_counter() - began)
        wrong += bad
        print(f"{suffix:<10}{read:>6}{refused:>9}{bad:>17}{longest:>13.2f}", flush=True)
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()
