"""Measure the library as it is on the collections of real documents.

    python benchmarks/real_documents/measure.py WORK STATE [COLLECTION ...] [--why TEXT]
        [--against BEFORE]

asks every question of every collection, as it ships and with nothing declined, and writes what
became of each to WORK/results/STATE/COLLECTION.jsonl; STATE names the state of the code ("today",
a commit). Goes on where it was interrupted, unless the code has changed since: a state is of one
code. Then prints the tables, of all collections that have been measured. With --against, the state
is held against another: exit status 1 where it finds worse on any collection (`losses.py`); no fit
ships that does. Every measurement looks at collections that something may be fitted on elsewhere:
it is noted in looks.jsonl, with TEXT.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from asking import Asked, read_asked
from catalogue import COLLECTIONS
from fingerprint import code
from judging import as_record, judge
from losses import print_losses
from results import read_results
from tables import print_tables

from yonder_lantern import Desk, __version__

LOOKS = Path(__file__).parent / "looks.jsonl"
DECLINE_NOTHING = {"answer.min_support": 0.0}


def desks(work: Path, chosen: list[str]) -> Iterator[tuple[str, Path]]:
    """The desks that there are, a collection's own and the one without answers after it.

    Without names: of the collections that something may be fitted on. With names, just these.
    """
    kinds = ("", "-without", "-masked")
    for own in chosen or [f"{one.name}{kind}" for one in COLLECTIONS for kind in kinds]:
        if (work / own / "asked.jsonl").exists():
            yield own, work / own


def measure(name: str, folder: Path, target: Path) -> int:
    """Ask what has not been asked yet; how many questions that were.

    Raises
    ------
    SystemExit
        If other answers of the state were given by other code.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    asked = read_asked(folder / "asked.jsonl")
    lines = target.read_text("utf-8").splitlines() if target.exists() else []
    done = {json.loads(line)["id"] for line in lines if line.endswith("}")}
    left = [one for one in asked if one.id not in done]
    if not left:
        return 0
    mark_code(target.parent, started=bool(lines))
    unsure = Desk.open(folder, settings=DECLINE_NOTHING, record=False)
    shipped = Desk.open(folder, record=False)
    target.write_text("".join(f"{line}\n" for line in lines if line.endswith("}")), "utf-8")
    started = time.perf_counter()
    with target.open("a", encoding="utf-8") as file:
        for number, one in enumerate(left, 1):
            file.write(line_of(one, unsure, shipped))
            file.flush()
            if sys.stderr.isatty():
                print(f"\r{name}: {number} of {len(left)}", end="", file=sys.stderr)
    print(f"{name}: {len(left)} questions, {time.perf_counter() - started:.0f} s", flush=True)
    return len(left)


def mark_code(state: Path, *, started: bool) -> None:
    """Note with which code a state is measured; refuse to go on with another."""
    mark, now = state / "code.txt", code()
    before = mark.read_text("utf-8").strip() if mark.exists() else ""
    if before != now and (before or started):
        raise SystemExit(f"{state.name}: the code has changed since; give this state another name")
    mark.write_text(f"{now}\n", "utf-8")


def line_of(asked: Asked, unsure: Desk, shipped: Desk) -> str:
    return json.dumps(as_record(judge(asked, unsure, shipped)), ensure_ascii=False) + "\n"


def note_look(names: list[str], state: str, why: str, path: Path = LOOKS) -> None:
    """Write down that collections were looked at."""
    look = {
        "at": datetime.now(UTC).strftime("%Y-%m-%dT%H:%MZ"),
        "version": __version__,
        "state": state,
        "collections": names,
        "why": why,
    }
    with path.open("a", encoding="utf-8") as file:
        file.write(json.dumps(look, ensure_ascii=False) + "\n")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("work", type=Path)
    parser.add_argument("state")
    parser.add_argument("collections", nargs="*")
    parser.add_argument("--against", metavar="BEFORE")
    parser.add_argument("--why", default="to read the figures")
    given = parser.parse_args()
    results = given.work / "results" / given.state
    looked = []
    for name, folder in desks(given.work, given.collections):
        if measure(name, folder, results / f"{name}.jsonl"):
            looked.append(name)
    if looked:
        note_look(looked, given.state, given.why)
    print_tables(results)
    if given.against:
        before = read_results(given.work / "results" / given.against)
        raise SystemExit(print_losses(before, read_results(results)))


if __name__ == "__main__":
    main()
