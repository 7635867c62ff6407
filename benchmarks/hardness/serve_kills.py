"""Is a turn lost or doubled when the server is killed while it is answered?

    python benchmarks/hardness/serve_kills.py [KILLS]

Kills ``yonder serve`` so many times (200) with turns in flight, each sent with an
``Idempotency-Key`` and sent again to the next server until it is heard. A conversation with another
number of turns than were heard is a fault.
"""

from __future__ import annotations

import random
import signal
import tempfile
import threading
import time
from pathlib import Path

import httpx
from common import ASKED, QUAY, count_of, end_with, served

from yonder_lantern import Desk

SETTINGS = "[serve]\nallow_visitors = true\naddress_per_minute = 0\n"
_ME = {"yonder-visitor": "the-secret-of-this-very-caller"}
_TALKERS = 3


def main() -> None:
    kills = count_of(200)
    chance = random.Random(9)
    faults: list[str] = []
    heard: dict[str, int] = {}
    address = [""]
    over = threading.Event()
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        (folder / "documents").mkdir()
        (folder / "documents" / "quay.md").write_text(QUAY)
        (folder / "yonder.toml").write_text(SETTINGS)
        Desk.open(folder).gather()
        talkers: list[threading.Thread] = []
        for number in range(kills):
            with served(folder, *(("--workers", "2") if number % 2 else ())) as (at, child):
                address[0] = at
                if not talkers:
                    talkers = [threading.Thread(target=_talk, args=(n, address, heard, over))
                               for n in range(_TALKERS)]  # fmt: skip
                    for one in talkers:
                        one.start()
                time.sleep(chance.uniform(0.3, 1.5))
                child.send_signal(signal.SIGKILL)
                time.sleep(1.2 if number % 2 else 0.0)  # its workers see that it is gone
        with served(folder) as (at, _):
            address[0] = at
            over.set()
            for one in talkers:
                one.join()
            kept = Desk.open(folder).conversations
            for place, count in heard.items():
                turns = len(kept.resume(place.rpartition("/")[2]).turns)
                if turns != count:
                    faults.append(f"{place}: {count} heard, {turns} kept")
    print(f"{kills} kills, {sum(heard.values())} turns heard in {len(heard)} conversations: "
          f"{len(faults)} with turns lost or doubled")  # fmt: skip
    end_with(faults)


def _talk(number: int, address: list[str], heard: dict[str, int], over: threading.Event) -> None:
    """Hold conversations, each request again until it is heard."""
    count = 0
    while not over.is_set():
        place = _until(lambda: _sent("POST", f"{address[0]}/conversations").headers["location"])
        heard[place] = 0
        for turn in range(6):
            key = {"idempotency-key": f"{number}-{count}-{turn}"}

            def asked(key: dict[str, str] = key, place: str = place) -> str:
                begun = _sent("POST", f"{address[0]}{place}/turns", json=ASKED, headers=key)
                told = _sent("GET", f"{address[0]}{begun.headers['location']}")
                assert "22:00" in told.text
                return told.text

            _until(asked)
            heard[place] += 1
        count += 1


def _sent(method: str, url: str, **more: object) -> httpx.Response:
    headers = {**_ME, **dict(more.pop("headers", {}))}  # type: ignore[call-overload]
    reply = httpx.request(method, url, headers=headers, timeout=10, **more)  # type: ignore[arg-type]
    reply.raise_for_status()
    return reply


def _until(work: object) -> str:
    while True:
        try:
            return str(work())  # type: ignore[operator]
        except (httpx.HTTPError, KeyError, AssertionError):
            time.sleep(0.1)


if __name__ == "__main__":
    main()
