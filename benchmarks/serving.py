"""What a served desk takes: rates, waits, memory, and what a kill leaves.

    python benchmarks/serving.py DESK [SECONDS]

serves a copy of the desk with `yonder serve` and prints

- POST /search and GET /health a second from 1, 16 and 64 clients, with 95th percentiles, by the
  load generator `ab` (Apache), beside `find` in process; the load generator shares the cores;
- the time to the first piece of an answer, for 16 clients that ask every 2 seconds;
- memory for each of 1,000 idle streams, and over 10,000 conversations;
- what 100 kills in the middle of conversations lose or double.
"""

from __future__ import annotations

import asyncio
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
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


@contextmanager
def served(folder: Path, *options: str, warm: bool = True) -> Iterator[tuple[str, int]]:
    """A server's address and process id."""
    server = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "serve", "--port", "0", *options],
        cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
        start_new_session=True,
    )  # fmt: skip
    try:
        assert server.stdout
        address = server.stdout.readline().split()[-1].rstrip("/")
        with httpx.Client(base_url=address, timeout=60) as client:
            for _ in range(200):
                with suppress(httpx.HTTPError):
                    if client.get("/ready").status_code == 200:
                        break
                time.sleep(0.05)
            if warm:
                client.post("/questions", json={"text": QUESTIONS[0]})
        yield address, server.pid
    finally:
        with suppress(ProcessLookupError):
            os.killpg(server.pid, signal.SIGKILL)  # its further processes too
        server.wait()


def load(url: str, clients: int, seconds: float, body: Path | None) -> tuple[float, float]:
    """Requests a second, and the milliseconds that 95 of 100 take at most."""
    sent = ["-p", str(body), "-T", "application/json"] if body else []
    done = subprocess.run(
        ["ab", "-q", "-c", str(clients), "-t", f"{seconds:.0f}", "-n", "1000000", *sent, url],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    rate = re.search(r"Requests per second:\s+([\d.]+)", done.stdout)
    within = re.search(r"\n\s+95%\s+(\d+)", done.stdout)
    failed = re.search(r"Non-2xx responses:\s+(\d+)", done.stdout)
    assert rate, done.stdout
    assert within, done.stdout
    assert not failed, done.stdout
    return float(rate[1]), float(within[1])


def in_process(folder: Path, seconds: float) -> float:
    desk = Desk.open(folder, record=False).as_caller(["public"])
    desk.find(QUESTIONS[0])
    count, end = 0, time.perf_counter() + seconds
    while time.perf_counter() < end:
        desk.find(QUESTIONS[0])
        count += 1
    return count / seconds


async def first_pieces(address: str, clients: int, every: float, rounds: int) -> list[float]:
    """Seconds to the first piece of each answer."""
    times: list[float] = []

    async def person(number: int) -> None:
        async with httpx.AsyncClient(base_url=address, timeout=60) as client:
            await asyncio.sleep(every * number / clients)
            one = (await client.post("/conversations")).headers["location"]
            for at in range(rounds):
                began = time.perf_counter()
                asked = {"text": QUESTIONS[(number + at) % len(QUESTIONS)]}
                turn = (await client.post(f"{one}/turns", json=asked)).headers["location"]
                headers = {"accept": "text/event-stream"}
                async with client.stream("GET", turn, headers=headers) as reply:
                    async for line in reply.aiter_lines():
                        if line.startswith("event: piece"):
                            times.append(time.perf_counter() - began)
                            break
                await asyncio.sleep(max(0.0, every - (time.perf_counter() - began)))

    await asyncio.gather(*(person(number) for number in range(clients)))
    return times


def resident(pid: int) -> int:
    """Kilobytes of memory that a process holds."""
    text = Path(f"/proc/{pid}/status").read_text()
    found = re.search(r"VmRSS:\s+(\d+)", text)
    assert found
    return int(found[1])


async def idle_streams(address: str, pid: int, count: int) -> tuple[float, int]:
    """Kilobytes for each of so many streams of a turn that waits for a silent model."""
    async with httpx.AsyncClient(base_url=address, timeout=60) as client:
        one = (await client.post("/conversations")).headers["location"]
        asked = {"text": QUESTIONS[0]}
        turn = (await client.post(f"{one}/turns", json=asked)).headers["location"]
        await asyncio.sleep(1)
        host, port = address.removeprefix("http://").split(":")
        before = resident(pid)
        opened = []
        head = f"GET {turn} HTTP/1.1\r\nhost: {host}\r\naccept: text/event-stream\r\n\r\n"
        for _ in range(count):
            reader, writer = await asyncio.open_connection(host, int(port))
            writer.write(head.encode())
            opened.append((reader, writer))
        heads = [await reader.readline() for reader, _ in opened]
        began = time.perf_counter()
        health = await client.get("/health")
        assert health.status_code == 200
        print(f"/health beside them: {(time.perf_counter() - began) * 1000:.0f} ms")
        grown = resident(pid) - before
        for _, writer in opened:
            writer.close()
    return grown / count, sum(b"200" in one for one in heads)


@contextmanager
def silent_server() -> Iterator[int]:
    """A server that takes connections and never says anything; its port."""
    with socket.create_server(("127.0.0.1", 0), backlog=64) as listening:
        yield listening.getsockname()[1]


def many_conversations(address: str, pid: int, count: int) -> tuple[float, float]:
    """Megabytes of memory before and after so many conversations of one turn."""
    before = resident(pid) / 1024
    numbers = iter(range(count))
    lock = threading.Lock()

    def hold() -> None:
        with httpx.Client(base_url=address, timeout=60) as client:
            while True:
                with lock:
                    if next(numbers, None) is None:
                        return
                one = client.post("/conversations").headers["location"]
                turn = client.post(f"{one}/turns", json={"text": "Hello"}).headers["location"]
                client.get(turn)

    threads = [threading.Thread(target=hold) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return before, resident(pid) / 1024


def kills(folder: Path, count: int) -> str:
    """What is lost or doubled when the server is killed while conversations go on."""
    lost = doubled = answered = 0
    for number in range(count):
        confirmed: dict[str, int] = {}
        with served(folder) as (address, pid), httpx.Client(base_url=address, timeout=30) as client:
            killer = threading.Timer(0.05 + 0.01 * (number % 20), lambda p=pid: _kill(p))
            killer.start()
            with suppress(httpx.HTTPError):
                while True:
                    one = client.post("/conversations").json()["id"]
                    confirmed[one] = 0
                    for text in ("Hello", "Thanks"):
                        turn = client.post(f"/conversations/{one}/turns", json={"text": text})
                        client.get(turn.headers["location"]).raise_for_status()
                        confirmed[one] += 1
                        answered += 1
            killer.join()
        kept = Desk.open(folder).as_caller(["public"]).conversations
        for one, turns in confirmed.items():
            if not kept.exists(one):
                lost += turns
                continue
            found = len(kept.resume(one, owner="public").turns)
            lost += max(0, turns - found)
            doubled += max(0, found - turns - 1)  # one may be kept and its answer not heard
    return f"{count} kills, {answered} turns heard: {lost} lost, {doubled} doubled"


def _kill(pid: int) -> None:
    with suppress(ProcessLookupError):
        os.kill(pid, signal.SIGKILL)


def main() -> None:
    seconds = float(sys.argv[2]) if len(sys.argv) > 2 else 5.0
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made) / "desk"
        shutil.copytree(sys.argv[1], folder)
        shutil.rmtree(folder / ".yonder" / "conversations", ignore_errors=True)
        body = Path(made) / "asked.json"
        body.write_text(f'{{"text": "{QUESTIONS[0]}"}}')
        with served(folder) as (address, pid):
            times = asyncio.run(first_pieces(address, 16, 2.0, 8))
            told = np.percentile(np.array(times) * 1000, [50, 95]).round()
            print(f"\nfirst piece, 16 clients every 2 s: median {told[0]:.0f} ms, "
                  f"95 % within {told[1]:.0f} ms, of {len(times)}")  # fmt: skip
        alone = in_process(folder, seconds)
        print(f"find in process: {alone:.0f} a second\n")
        print("| processes | clients | /search a second | of in process | 95 % | /health | 95 % |")
        print("|---|---|---|---|---|---|---|")
        for workers in (1, 2):
            with served(folder, "--workers", str(workers)) as (address, _):
                for clients in (1, 16, 64):
                    rate, p95 = load(f"{address}/search", clients, seconds, body)
                    bare, bare_p95 = load(f"{address}/health", clients, seconds, None)
                    print(f"| {workers} | {clients} | {rate:.0f} | {rate / alone:.2f} "
                          f"| {p95:.0f} ms | {bare:.0f} | {bare_p95:.0f} ms |")  # fmt: skip
        with silent_server() as port:
            model = f'answer.model={{address = "http://127.0.0.1:{port}/", shape = "roles"}}'
            with served(folder, "--set", model, warm=False) as (address, pid):
                each, open_ = asyncio.run(idle_streams(address, pid, 1000))
                print(f"{open_} idle streams: {each:.0f} kB each")
        with served(folder) as (address, pid):
            before, after = many_conversations(address, pid, 10_000)
            print(f"10,000 conversations: {before:.0f} MB before, {after:.0f} MB after")
        print(kills(folder, 100))


if __name__ == "__main__":
    main()
