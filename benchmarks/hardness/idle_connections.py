"""Do connections that ask for nothing, or drip their headers, hold up the others?

    python benchmarks/hardness/idle_connections.py [CONNECTIONS]

Opens so many connections (5,000) from a hundred addresses of loopback, half of them silent, half
sending a byte of a header now and then; meanwhile ``/health`` and a search are asked every 50 ms
from another address. A reply above 200 ms, or none, is a fault.
"""

from __future__ import annotations

import socket
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path

from common import QUAY, count_of, end_with, percentile, served

from yonder_lantern import Desk


def main() -> None:
    number = count_of(5000)
    faults: list[str] = []
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        (folder / "documents").mkdir()
        (folder / "documents" / "quay.md").write_text(QUAY)
        (folder / "yonder.toml").write_text("")
        Desk.open(folder).gather()
        with served(folder) as (address, _):
            port = int(address.rpartition(":")[2])
            took: list[float] = []
            over = threading.Event()
            asking = threading.Thread(target=_ask, args=(port, took, over, faults))
            asking.start()
            held = [_idle(port, n) for n in range(number)]
            end = time.monotonic() + 15
            while time.monotonic() < end:
                for at, one in enumerate(held):
                    if at % 2:
                        with suppress(OSError):
                            one.send(b"x")
                time.sleep(1)
            over.set()
            asking.join()
            for one in held:
                one.close()
    slow = sum(one > 0.2 for one in took)
    faults += [f"{slow} replies took more than 200 ms"] if slow else []
    print(f"{number} connections; {len(took)} /health: median {percentile(took, 0.5) * 1000:.0f} "
          f"ms, 95 % {percentile(took, 0.95) * 1000:.0f}, longest {max(took) * 1000:.0f}; "
          f"{len(faults)} faults")  # fmt: skip
    end_with(faults)


def _idle(port: int, number: int) -> socket.socket:
    one = socket.socket()
    one.settimeout(5)
    one.bind((f"127.0.{number % 100 // 50 + 1}.{number % 50 + 2}", 0))
    with suppress(OSError):
        one.connect(("127.0.0.1", port))
        if number % 2:
            one.send(b"GET /health HTTP/1.1\r\nx: ")
    return one


def _ask(port: int, took: list[float], over: threading.Event, faults: list[str]) -> None:
    while not over.is_set():
        began = time.monotonic()
        try:
            with socket.create_connection(("127.0.0.1", port), 5, ("127.0.9.9", 0)) as one:
                one.sendall(b"GET /health HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n")
                if not one.recv(100).startswith(b"HTTP/1.1 200"):
                    faults.append("another reply than 200")
        except OSError as error:
            faults.append(f"no reply: {error}")
        took.append(time.monotonic() - began)
        time.sleep(0.05)


if __name__ == "__main__":
    main()
