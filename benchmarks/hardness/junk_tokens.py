"""Do tokens of nobody's, with an issuer that is slow, hold up those who have good ones?

    python benchmarks/hardness/junk_tokens.py [TOKENS]

Sends so many tokens (1,000) of keys that do not exist while the issuer takes 20 s and fails, and
asks with a good token meanwhile. A good call above 500 ms, or a second fetch of the keys within
the time, is a fault.
"""

from __future__ import annotations

import base64
import json
import tempfile
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
from common import ASKED, QUAY, count_of, end_with, percentile

from yonder_lantern import Desk
from yonder_lantern.core import ServiceError
from yonder_lantern.interface.http import app
from yonder_lantern.policy import AccessTokens, OpenId

SETTINGS = """
[serve.openid]
issuer = "https://id.example"
client = "desk"
keys = "https://id.example/keys"
"""


def main() -> None:
    from serving import running

    number = count_of(1000)
    faults: list[str] = []
    fetched: list[float] = []

    def slow(_: OpenId) -> object:
        fetched.append(time.monotonic())
        time.sleep(20)
        raise ServiceError("no reply", "https://id.example/keys")

    OpenId._read = slow  # type: ignore[method-assign, assignment]
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        (folder / "documents").mkdir()
        (folder / "documents" / "quay.md").write_text(QUAY)
        (folder / "yonder.toml").write_text(SETTINGS)
        desk = Desk.open(folder)
        desk.gather()
        good = {
            "authorization": f"Bearer {AccessTokens(desk.state / 'access').make('g', per_minute=0)}"
        }
        with running(app(desk)) as address, ThreadPoolExecutor(32) as pool:

            def junk(at: int) -> int:
                head = json.dumps({"alg": "RS256", "kid": f"k{at}"}).encode()
                token = f"{base64.urlsafe_b64encode(head).decode().rstrip('=')}.e30.AAAA"
                sent = {"authorization": f"Bearer {token}"}
                return httpx.get(f"{address}caller", headers=sent, timeout=60).status_code

            began = time.monotonic()
            waiting = [pool.submit(junk, at) for at in range(number)]
            took = []
            over = threading.Event()
            while not over.is_set():
                asked = time.monotonic()
                reply = httpx.post(f"{address}search", json=ASKED, headers=good, timeout=60)
                took.append(time.monotonic() - asked)
                if reply.status_code != 200:
                    faults.append(f"a good token: {reply.status_code}")
                if all(one.done() for one in waiting):
                    over.set()
                time.sleep(0.05)
            if {one.result() for one in waiting} != {401}:
                faults.append("a token of nobody's was taken")
            seconds = time.monotonic() - began
    late = sum(one > 0.5 for one in took)
    faults += [f"{late} good calls took more than 500 ms"] if late else []
    faults += (
        [f"keys were fetched {len(fetched)} times in {seconds:.0f} s"]
        if len(fetched) > seconds / 30 + 1
        else []
    )
    print(f"{number} tokens of nobody's in {seconds:.0f} s, keys fetched {len(fetched)} times; "
          f"{len(took)} good calls: median {percentile(took, 0.5) * 1000:.0f} ms, longest "
          f"{max(took) * 1000:.0f} ms; {len(faults)} faults")  # fmt: skip
    end_with(faults)


if __name__ == "__main__":
    main()
