"""Notes and statements: what is lost, what leaks, how long a card takes.

    python benchmarks/knowledge/measure.py WORK

1,000 notes written by eight processes at once, over SQLite; the card of an entity among 100,000
statements; 2,000 calls through the tool protocol that try to get at what the caller may not see;
the time that reading statements takes beside gathering.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import random
import shutil
import statistics
import sys
import time
from pathlib import Path

import anyio
from mcp.client import Client
from mcp.client.stdio import StdioServerParameters

from yonder_lantern import Desk
from yonder_lantern.core import Caller
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.knowledge import NoteBook, sqlite_notes

sys.path.insert(0, str(Path(__file__).parents[1]))

WRITERS, EACH = 8, 125
SECRETS = ("zanzibar-7731", "quetzal-0409")


def leave(folder: Path, name: int) -> None:
    book = NoteBook(sqlite_notes(folder), Caller())
    for number in range(EACH):
        book.leave(f"note {number} of writer {name}")


def notes_at_once(work: Path) -> None:
    folder = work / "notes"
    shutil.rmtree(folder, ignore_errors=True)
    started = time.perf_counter()
    writers = [multiprocessing.Process(target=leave, args=(folder, one)) for one in range(WRITERS)]
    for one in writers:
        one.start()
    for one in writers:
        one.join()
    seconds = time.perf_counter() - started
    texts = {one.text for one in NoteBook(sqlite_notes(folder), Caller()).all()}
    wanted = {f"note {n} of writer {w}" for w in range(WRITERS) for n in range(EACH)}
    print(
        f"{WRITERS} processes, {len(wanted):,} notes: {len(wanted - texts)} lost, {seconds:.1f} s"
    )


def card_of_many(work: Path) -> None:
    folder = work / "many"
    if not (folder / ".yonder").exists():
        (folder / "documents").mkdir(parents=True)
        (folder / "yonder.toml").write_text("")
        generator = random.Random(1)
        for number in range(200):
            rows = "".join(
                f"| thing {generator.randrange(20_000)} | kind {row % 7} | place {row % 90} "
                f"| {generator.randrange(9999)} kg |\n"
                for row in range(170)
            )
            head = "| Name | Kind | Place | Weight |\n|---|---|---|---|\n"
            text = f"# Register {number}\n\n{head}{rows}"
            (folder / "documents" / f"r{number:03}.md").write_text(text)
    desk = Desk.open(folder, record=False)
    started = time.perf_counter()
    desk.gather(rebuild=True)
    gathered = time.perf_counter() - started
    shutil.rmtree(folder / ".yonder" / "knowledge", ignore_errors=True)
    started = time.perf_counter()
    with desk.knowledge() as known:
        count = known.update()
    read = time.perf_counter() - started
    times = []
    with desk.knowledge() as known:
        names = [name for name, _ in known.entities()]
    for name in random.Random(2).sample(names, 200):
        started = time.perf_counter()
        desk.entity(name)
        times.append((time.perf_counter() - started) * 1000)
    print(f"{count:,} statements: read in {read:.1f} s, gathered in {gathered:.1f} s "
          f"({1 + read / gathered:.2f} with them)")  # fmt: skip
    print(f"a card: median {statistics.median(times):.1f} ms, most {max(times):.1f} ms")


def demo_reading(work: Path) -> None:
    folder = work / "demo"
    shutil.rmtree(folder, ignore_errors=True)
    copy_demo(folder)
    started = time.perf_counter()
    with demo_services(folder):
        Desk.open(folder).gather()
    gathered = time.perf_counter() - started
    started = time.perf_counter()
    with Desk.open(folder).knowledge() as known:
        count = known.update()
    read = time.perf_counter() - started
    print(f"the demo: {count} statements read in {read:.2f} s, gathered in {gathered:.1f} s")


async def tries(folder: Path, count: int) -> int:
    """How many of so many calls give a secret away."""
    generator = random.Random(4)
    words = ("code", "safe", "key", "board", "crew", "zanzibar", "quetzal", "secret", "minutes")
    server = StdioServerParameters(
        command=sys.executable,
        args=["-m", "yonder_lantern", "serve", "--tools", "--audience", "public"],
        cwd=str(folder),
        env=dict(os.environ),
    )
    leaks = 0
    async with Client(server) as client:
        for _ in range(count):
            asked = " ".join(generator.sample(words, 3))
            name, arguments = generator.choice(
                [
                    ("ask", {"question": asked}),
                    ("ask", {"question": words[0], "earlier": [asked]}),
                    ("find_passages", {"question": asked, "limit": 50}),
                    ("find_passages", {"question": asked, "where": "source = 'crew'"}),
                    ("find_passages", {"question": f'"{generator.choice(SECRETS)[:-4]}"'}),
                    ("read_document", {"document": f"crew/{generator.choice(words)}.md"}),
                    ("list_documents", {"begins_with": "crew"}),
                    ("about_entity", {"name": generator.choice(words)}),
                    ("find_notes", {"question": asked}),
                    ("leave_note", {"text": asked, "about": "crew/safe.md"}),
                    ("withdraw_note", {"note": "2026"}),
                    ("grade", {}),
                ]
            )
            told = str(await client.call_tool(name, arguments))
            leaks += any(secret in told for secret in SECRETS)
    return leaks


def leak_tries(work: Path) -> None:
    folder = work / "leaks"
    shutil.rmtree(folder, ignore_errors=True)
    for name in ("documents", "crew"):
        (folder / name).mkdir(parents=True)
    (folder / "documents" / "quay.md").write_text("# Quay\n\nThe key of the quay gate is brass.\n")
    (folder / "crew" / "safe.md").write_text(
        f"# Safe\n\nThe code is {SECRETS[0]}.\n\n"
        f"| Key | Code |\n|---|---|\n| board | {SECRETS[1]} |\n"
    )
    (folder / "yonder.toml").write_text(
        '[[source]]\nname = "documents"\nfolder = "documents"\n'
        '[[source]]\nname = "crew"\nfolder = "crew"\naudience = ["crew"]\n'
    )
    desk = Desk.open(folder)
    desk.gather()
    desk.notes.leave(f"The code of the safe is {SECRETS[0]} still", audience=["crew"])
    print(f"2,000 calls of the tool protocol as the public: {anyio.run(tries, folder, 2000)} leaks")


def main() -> None:
    work = Path(sys.argv[1])
    work.mkdir(parents=True, exist_ok=True)
    notes_at_once(work)
    demo_reading(work)
    card_of_many(work)
    leak_tries(work)
    print(json.dumps({"processes": WRITERS, "cores": len(os.sched_getaffinity(0))}))


if __name__ == "__main__":
    main()
