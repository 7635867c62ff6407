"""Does a caller get another's words, through any route? Is a lawful call refused?

    python benchmarks/hardness/strangers.py [CALLS]

Seven callers (nobody, two visitors, two tokens, somebody who signed in, the owner) each say a word
of their own in a conversation. Then each calls every route with the ids of every other's; a word
of somebody else's in a reply is a fault, and so is a refusal of their own. The default is 500 calls
of each.
"""

from __future__ import annotations

import random
import tempfile
from pathlib import Path
from typing import Any

from common import ASKED, QUAY, count_of, end_with
from starlette.testclient import TestClient

from yonder_lantern import Desk
from yonder_lantern.interface.http import app
from yonder_lantern.policy import AccessTokens, SignIns

HERE = "http://127.0.0.1"
SETTINGS = "[serve]\naddress_per_minute = 0\n"


def main() -> None:
    calls = count_of(500)
    chance = random.Random(3)
    faults: list[str] = []
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        (folder / "documents").mkdir()
        (folder / "documents" / "quay.md").write_text(QUAY)
        (folder / "yonder.toml").write_text(SETTINGS)
        desk = Desk.open(folder)
        desk.gather()
        access = folder / ".yonder" / "access"
        with TestClient(app(desk, allow_visitors=True), HERE) as client:
            callers = _callers(client, access)
            own = {name: _talk(client, headers, name) for name, headers in callers.items()}
            foreign = refused = 0
            for _ in range(calls):
                name = chance.choice([one for one in callers if one != "owner"])  # who may see all
                other = chance.choice([one for one in own if one != name])
                reply = _any(client, chance, callers[name], *own[other])
                foreign += 1
                if f"word-of-{other}" in reply.text:
                    faults.append(f"{name} got {other}'s: {reply.request.method} {reply.url}")
                mine = _lawful(client, chance, callers[name], *own[name])
                refused += mine.status_code >= 400
                if mine.status_code >= 400:
                    faults.append(f"{name} was refused: {mine.request.method} {mine.url}")
        nobody = TestClient(app(desk), HERE)
        for path in ("/", "/search", "/conversations", "/sources", "/metrics", "/openapi.json"):
            if nobody.get(path).status_code != 401:
                faults.append(f"closed, and {path} answers")
    print(f"{foreign} calls for what is another's, {calls} for one's own: "
          f"{len(faults)} faults, {refused} lawful calls refused")  # fmt: skip
    end_with(faults)


def _callers(client: TestClient, access: Path) -> dict[str, dict[str, str]]:
    tokens = AccessTokens(access)
    callers = {f"visitor-{n}": {"yonder-visitor": f"the-secret-of-visitor-{n}"} for n in "ab"}
    for name in ("token-a", "token-b"):
        secret = tokens.make(name, per_minute=0)
        callers[name] = {"authorization": f"Bearer {secret}"}
    for name, audience in (("person", ("public",)), ("owner", None)):
        client.post(f"/sign-in/{SignIns(access).make_link(name, audience)}")
        callers[name] = {"cookie": f"yonder={client.cookies['yonder']}", "origin": HERE}
        client.cookies.clear()
    return callers


def _talk(client: TestClient, headers: dict[str, str], name: str) -> tuple[str, str, str]:
    """A conversation in which a caller says a word of their own."""
    place = client.post("/conversations", headers=headers).headers["location"]
    said = {"text": f"I am word-of-{name}. {ASKED['text']}"}
    turn = client.post(f"{place}/turns", json=said, headers=headers).headers["location"]
    trace = client.get(turn, headers=headers).json()["trace"]
    return place, turn, trace


def _any(client: TestClient, chance: random.Random, headers: dict[str, str], place: str,
         turn: str, trace: str) -> Any:  # fmt: skip
    """A call for what is somebody else's."""
    method, path, body = chance.choice([
        ("GET", place, None), ("GET", f"{place}/recap", None), ("GET", turn, None),
        ("GET", f"{place}/turns/1", None), ("DELETE", place, None), ("DELETE", turn, None),
        ("DELETE", f"{place}/turns/last", None), ("PATCH", place, {"title": "taken"}),
        ("POST", f"{place}/turns", {"text": "What did I say?"}),
        ("GET", "/conversations?search=word", None), ("GET", f"/traces/{trace}", None),
        ("POST", "/feedback", {"trace": trace, "rating": "bad"}), ("GET", "/metrics", None),
        ("POST", "/questions", {"text": "word-of"}), ("GET", "/entities?search=word", None),
    ])  # fmt: skip
    return client.request(method, path, json=body, headers=headers)


def _lawful(client: TestClient, chance: random.Random, headers: dict[str, str], place: str,
            turn: str, trace: str) -> Any:  # fmt: skip
    """A call for one's own."""
    method, path, body = chance.choice([
        ("GET", place, None), ("GET", f"{place}/recap", None), ("GET", turn, None),
        ("PATCH", place, {"title": "mine"}), ("GET", "/conversations", None),
        ("POST", "/feedback", {"trace": trace, "rating": "good"}), ("GET", "/caller", None),
        ("POST", "/questions", ASKED), ("POST", "/search", ASKED), ("GET", "/sources", None),
    ])  # fmt: skip
    return client.request(method, path, json=body, headers=headers)


if __name__ == "__main__":
    main()
