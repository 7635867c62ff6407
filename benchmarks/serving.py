"""How many questions a second a served desk answers, beside a bare route and in process.

    python benchmarks/serving.py DESK [SECONDS]

serves the desk with `yonder serve`, asks POST /search and GET /health over loopback from 1, 16
and 64 clients, each for SECONDS (default 5), and prints rates and 95th percentiles, and the
ratio to `find` in process. Client and server share this machine's cores.
"""

from __future__ import annotations

import re
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import httpx
import numpy as np

from yonder_lantern import Desk

QUESTIONS = [
    "When is the fuel berth open in winter?",
    "Who keeps the key to the chain locker?",
    "What does a yacht of 9 m pay for a summer night?",
    "May dogs come ashore?",
]


def load(clients: int, seconds: float, call: Callable[[httpx.Client, int], None], address: str):
    """Requests a second and the 95th percentile in ms, with so many clients that never pause."""
    times: list[float] = []
    lock = threading.Lock()
    end = time.perf_counter() + seconds

    def ask(number: int) -> None:
        own = []
        with httpx.Client(base_url=address, timeout=60) as client:
            while time.perf_counter() < end:
                began = time.perf_counter()
                call(client, number + len(own))
                own.append(time.perf_counter() - began)
        with lock:
            times.extend(own)

    threads = [threading.Thread(target=ask, args=(number,)) for number in range(clients)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return len(times) / seconds, float(np.percentile(times, 95)) * 1000


def search(client: httpx.Client, number: int) -> None:
    asked = {"text": QUESTIONS[number % len(QUESTIONS)]}
    client.post("/search", json=asked).raise_for_status()


def health(client: httpx.Client, number: int) -> None:  # noqa: ARG001
    client.get("/health").raise_for_status()


def in_process(folder: Path, seconds: float) -> float:
    desk = Desk.open(folder, record=False).as_caller(["public"])
    count = 0
    desk.find(QUESTIONS[0])
    end = time.perf_counter() + seconds
    while time.perf_counter() < end:
        desk.find(QUESTIONS[count % len(QUESTIONS)])
        count += 1
    return count / seconds


def main() -> None:
    folder = Path(sys.argv[1])
    seconds = float(sys.argv[2]) if len(sys.argv) > 2 else 5.0
    alone = in_process(folder, seconds)
    server = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "serve", "--port", "0"],
        cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        address = ""
        assert server.stderr
        while not address:
            address = "".join(re.findall(r"http://127\.0\.0\.1:\d+", server.stderr.readline()))
        threading.Thread(target=server.stderr.read, daemon=True).start()
        print(f"find in process: {alone:.0f} a second\n")
        print("| clients | /search a second | of in process | 95 % within | /health a second |")
        print("|---|---|---|---|---|")
        for clients in (1, 16, 64):
            rate, p95 = load(clients, seconds, search, address)
            bare, _ = load(clients, seconds, health, address)
            print(f"| {clients} | {rate:.0f} | {rate / alone:.2f} | {p95:.0f} ms | {bare:.0f} |")
    finally:
        server.terminate()
        server.wait()


if __name__ == "__main__":
    main()
