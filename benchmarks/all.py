"""Every measurement, one after the other, in one table.

    python benchmarks/all.py WORK [SCRIPT ...]

builds what the scripts need below WORK (collections, real passages), runs each script in a process
of its own and writes WORK/measures.md: a row for every figure. Scripts can be named to run only
those. It takes some hours, and Debian's ``apt-get download`` for the texts nobody here wrote.
"""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE / "real_documents"))
from fingerprint import code  # noqa: E402

COLLECTIONS = ("python-faq", "debian-faq-de", "debian-faq-fr")


def commands(work: Path) -> dict[str, list[str]]:
    passages = str(work / "passages.txt")
    perl = [str(work / "perl")] if (work / "perl").exists() else []  # built elsewhere
    judged = [*perl, *(str(work / name) for name in COLLECTIONS)]
    real = str(work / "real")
    return {
        "real_documents/measure": [real, code()],
        "real_documents/fit_answerer": [real],
        "real_documents/fit_finding": [real],
        "real_documents/model_text": [real],
        "real_documents/check_model_text": [real],
        "quality": [],
        "fit_support": [],
        "models": [],
        "retrieval": [str(work / "desks"), *judged],
        "cutting": judged[:-2],
        "embedding": [passages],
        "growth": [passages, "10000", "100000"],
        "vectors": [passages, "1000000"],
        "words": [passages, "100000"],
        "encoder": [passages],
        "speed": ["10000"],
        "formats": [],
        "fuzz": [],
        **{f"hardness/{path.stem}": [] for path in sorted((HERE / "hardness").glob("[!c]*.py"))},
    }


def rows(output: str) -> Iterator[tuple[str, str]]:
    """What was measured and the figures, of Markdown tables and of lines ``what: figure``."""
    head: list[str] = []
    for line in output.splitlines():
        if line.startswith("|"):
            cells = [cell.strip() for cell in line.strip("|").split("|")]
            if all(set(cell) <= set("-: ") for cell in cells):
                continue
            if not head:
                head = cells
                continue
            for name, cell in zip(head[1:], cells[1:], strict=False):
                yield f"{cells[0]}, {name}", cell
        else:
            head = []
            what, colon, figure = line.lstrip("- ").partition(": ")
            if colon and figure:
                yield what, figure


def main() -> None:
    work, chosen = Path(sys.argv[1]), sys.argv[2:]
    work.mkdir(parents=True, exist_ok=True)
    if not (work / COLLECTIONS[0]).exists():
        subprocess.run([sys.executable, HERE / "faq_collections.py", work], check=True)
    if not chosen or any(name.startswith("real_documents") for name in chosen):
        making = [sys.executable, HERE / "real_documents/make.py", work / "real"]
        subprocess.run(making, check=True)
    if not (work / "passages.txt").exists():
        subprocess.run([sys.executable, HERE / "real_passages.py", work], check=True)
    lines = ["| script | what | figure |", "|---|---|---|"]
    failed = []
    for name, arguments in commands(work).items():
        if chosen and name not in chosen:
            continue
        started = time.perf_counter()
        done = subprocess.run(
            [sys.executable, HERE / f"{name}.py", *arguments],
            stdout=subprocess.PIPE,
            text=True,
            check=False,
        )
        print(
            f"{name}: {time.perf_counter() - started:.0f} s, status {done.returncode}", flush=True
        )
        if done.returncode:
            failed.append(name)
        lines += [f"| {name} | {what} | {figure} |" for what, figure in rows(done.stdout)]
        (work / "measures.md").write_text("\n".join(lines) + "\n", encoding="utf-8")
    print(f"{len(lines) - 2} figures in {work / 'measures.md'}")
    if failed:
        raise SystemExit(f"failed: {', '.join(failed)}")


if __name__ == "__main__":
    main()
