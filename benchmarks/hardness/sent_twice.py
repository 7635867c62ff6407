"""Is a request that is sent several times answered once, over three workers?

    python benchmarks/hardness/sent_twice.py [REQUESTS]

Sends so many turns (500) with an ``Idempotency-Key`` five times at once, every tenth again with
another body, and as many messages with one ``webhook-id``. More or fewer turns than requests are
faults, and so is another body that is not refused.
"""

from __future__ import annotations

import json
import os
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx
from common import ASKED, QUAY, count_of, end_with, served

from yonder_lantern import Desk
from yonder_lantern.policy import signed

SETTINGS = """
[serve]
allow_visitors = true
address_per_minute = 0
max_questions = 1000
connections_per_address = 0
[serve.webhook.phone]
secret = "${HOOK}"
"""
_TIMES = 5


def main() -> None:
    number = count_of(500)
    os.environ["HOOK"] = "between the two of us"
    faults: list[str] = []
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        (folder / "documents").mkdir()
        (folder / "documents" / "quay.md").write_text(QUAY)
        (folder / "yonder.toml").write_text(SETTINGS)
        desk = Desk.open(folder)
        desk.gather()
        me = {"yonder-visitor": "the-secret-of-this-very-caller"}
        with served(folder, "--workers", "3") as (address, _), ThreadPoolExecutor(15) as pool:

            def call(method: str, path: str, **more: Any) -> httpx.Response:
                with httpx.Client(base_url=address, timeout=120) as client:  # whichever worker
                    return client.request(method, path, **more)

            for at in range(number):
                place = call("POST", "/conversations", headers=me).headers["location"]
                keyed = {**me, "idempotency-key": f"key-{at}"}
                sent = [pool.submit(call, "POST", f"{place}/turns", json=ASKED, headers=keyed)
                        for _ in range(_TIMES)]  # fmt: skip
                for turn in {one.result().headers.get("location", "") for one in sent}:
                    if not turn or "22:00" not in call("GET", turn, headers=me).text:
                        faults.append(f"request {at}: no answer at {turn!r}")
                kept = call("GET", place, headers=me).json()["turns"]
                if len(kept) != 1:
                    faults.append(f"request {at}: {len(kept)} turns")
                if at % 10 == 0:
                    other = call("POST", f"{place}/turns", json={"text": "Why?"}, headers=keyed)
                    if other.status_code != 422:
                        faults.append(f"request {at}: another body gives {other.status_code}")
                body = json.dumps({"text": ASKED["text"], "sender": f"+{at}"}).encode()
                headers = signed("between the two of us", f"m-{at}", body)
                sent = [pool.submit(call, "POST", "/webhooks/phone", content=body, headers=headers)
                        for _ in range(_TIMES)]  # fmt: skip
                if {one.result().status_code for one in sent} != {200}:
                    faults.append(f"message {at}: {[one.result().status_code for one in sent]}")
        messages = [one for one in desk.conversations.newest() if one.owner == "webhook phone"]
        if [one.turns for one in messages] != [1] * number:
            faults.append(f"{sum(one.turns for one in messages)} turns of {number} messages")
    print(f"{number} requests and {number} messages, each {_TIMES} times over three workers: "
          f"{len(faults)} faults")  # fmt: skip
    end_with(faults)


if __name__ == "__main__":
    main()
