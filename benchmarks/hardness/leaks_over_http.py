"""Does anything restricted get out over HTTP, through any route?

    python benchmarks/hardness/leaks_over_http.py [TRIES]

makes a desk whose restricted documents, replies, look-ups and conversations hold marks that stand
nowhere else, and calls every route as two visitors, at a box, as the bearer of another audience and
as somebody who signed in, with questions made of the restricted words. A mark in any reply, header
or event is a leak. The default is 2,000 tries.
"""

from __future__ import annotations

import random
import sys
import tempfile
from pathlib import Path
from typing import Any

from starlette.testclient import TestClient

from yonder_lantern import Desk
from yonder_lantern.interface.http import app
from yonder_lantern.policy import AccessTokens, SignIns

MARKS = ("zyxbrig47", "quelmast9", "vorndock33", "plimkey88", "tarnchest5")
SETTINGS = """
[serve]
address_per_minute = 0
[[source]]
name = "open"
folder = "open"
[[source]]
name = "crewonly"
folder = "crewonly"
audience = ["crew"]
[[source]]
name = "boardonly"
folder = "boardonly"
audience = ["board"]
[[fixed_reply]]
name = "the key"
phrasings = ["Where is the plimkey88?", "Who has the spare key?"]
text = "The plimkey88 hangs behind the door."
audience = ["crew"]
"""
UNSAID = "hollowquay7"  # said by the crew alone, in a question
WORDS = "quay slip safe code key chest boat number opens where who what when the of is in a".split()


def main() -> None:
    tries = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    chance = random.Random(7)
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        texts = {
            "open/quay.md": "# Quay\n\nThe quay closes at 22:00. The office has its key.",
            "crewonly/safe.md": "# Safe zyxbrig47\n\nThe safe opens with the code quelmast9.",
            "crewonly/vorndock33.md": "# Dock\n\nThe dock key is the vorndock33.",
            "boardonly/chest.md": "# Chest\n\nThe chest is the tarnchest5 of the board.",
        }
        for name, text in texts.items():
            (folder / name).parent.mkdir(exist_ok=True)
            (folder / name).write_text(text)
        (folder / "yonder.toml").write_text(SETTINGS)
        desk = Desk.open(folder)
        desk.gather()
        tokens = AccessTokens(folder / ".yonder" / "access")
        crew = bearer(tokens.make("crew", ["crew", "public"], per_minute=0))
        site = "https://saltgarth.example"
        box = tokens.make("box", sites=[site], per_minute=1_000_000)
        see = ("ask", "see traces")
        callers: dict[str, tuple[dict[str, str], tuple[str, ...]]] = {
            "ann": ({"yonder-visitor": "the-secret-of-visitor-ann"}, MARKS),
            "bob": ({"yonder-visitor": "the-secret-of-visitor-bob"}, MARKS),
            "box": (
                {**bearer(box), "origin": site, "yonder-visitor": "somebody-at-this-very-box"},
                MARKS,
            ),
            "watcher": (
                {"authorization": f"Bearer {tokens.make('w', rights=see, per_minute=0)}"},
                MARKS,
            ),
            "board": (
                {"authorization": f"Bearer {tokens.make('b', ['board'], per_minute=0)}"},
                MARKS[:4],
            ),
        }
        said: dict[str, set[str]] = {name: set() for name in (*callers, "person")}
        leaks: list[str] = []
        with TestClient(
            app(desk, allow_visitors=True), "http://127.0.0.1", raise_server_exceptions=False
        ) as client:
            one = client.post("/conversations", headers=crew).json()["id"]
            asked = {"text": f"What code opens the safe, said {UNSAID}?"}
            turn = client.post(f"/conversations/{one}/turns", json=asked, headers=crew).json()
            answer = client.get(turn["events"], headers=crew).json()
            assert "quelmast9" in answer["text"]
            client.post(f"/sign-in/{SignIns(folder / '.yonder' / 'access').make_link('ann')}")
            cookie = dict(client.cookies)
            client.cookies.clear()
            here = {"cookie": f"yonder={cookie['yonder']}", "origin": "http://127.0.0.1"}
            callers["person"] = (here, MARKS)
            for _ in range(tries):
                name = chance.choice(list(callers))
                headers, marks = callers[name]
                text = " ".join(chance.sample([*WORDS, *MARKS], chance.randint(1, 8)))
                reply = call(client, chance, headers, text, one, turn["id"], answer["trace"])
                sent = reply.text + str(reply.headers)
                said[name].update(text.split())
                listed = reply.request.url.path == "/conversations"
                # What a caller says comes back: now, and in the list of their own conversations.
                for word in said[name] if listed else text.split():
                    sent = sent.replace(word, "")
                found = [mark for mark in (*marks, UNSAID) if mark in sent]
                if found:
                    leaks.append(f"{name}: {reply.request.method} {reply.request.url}: {found}")
        print(f"{tries} tries: {len(leaks)} leaks")
        for line in leaks[:20]:
            print(f"  {line}")
    sys.exit(bool(leaks))


def bearer(token: str) -> dict[str, str]:
    return {"authorization": f"Bearer {token}"}


def call(
    client: TestClient, chance: random.Random, headers: dict[str, str], text: str, one: str,
    turn: str, trace: str,
) -> Any:  # fmt: skip
    """One call of a route that is chosen at random."""
    document = chance.choice(["crewonly/safe.md", "crewonly/vorndock33.md", "boardonly/chest.md"])
    question: dict[str, Any] = {"text": text}
    if chance.random() < 0.3:
        question["where"] = chance.choice(["source = 'crewonly'", "topic LIKE '%safe%'"])
    if chance.random() < 0.2:
        question["sources"] = ["crewonly"]
    if chance.random() < 0.2:
        question["way"] = "replies"
    events = {**headers, "accept": "text/event-stream"}
    routes = [
        lambda: client.post("/questions", json=question, headers=headers),
        lambda: client.post("/questions", json=question, headers=events),
        lambda: client.post("/search", json=question, headers=headers),
        lambda: client.get(f"/documents/{document}", headers=headers),
        lambda: client.get(f"/page-pictures/1/{document}", headers=headers),
        lambda: client.get(f"/conversations/{one}", headers=headers),
        lambda: client.get(f"/conversations/{one}/recap", headers=headers),
        lambda: client.get(f"/conversations/{one}/turns/{turn}", headers=headers),
        lambda: client.delete(f"/conversations/{one}/turns/last", headers=headers),
        lambda: client.post(f"/conversations/{one}/turns", json=question, headers=headers),
        lambda: client.get("/conversations", params={"search": text}, headers=headers),
        lambda: client.get("/sources", headers=headers),
        lambda: client.get(f"/traces/{trace}", headers=headers),
        lambda: client.get("/metrics", headers=headers),
        lambda: client.get("/caller", headers=headers),
        lambda: client.get("/openapi.json", headers=headers),
        lambda: client.post("/feedback", json={"trace": trace, "rating": "good"}, headers=headers),
        lambda: _own_turn(client, headers, question),
    ]
    return chance.choice(routes)()


def _own_turn(client: TestClient, headers: dict[str, str], question: dict[str, Any]) -> Any:
    """A turn of a conversation of the caller's own, read as it is written."""
    own = client.post("/conversations", headers=headers).json()["id"]
    begun = client.post(f"/conversations/{own}/turns", json=question, headers=headers)
    if begun.status_code != 202:  # a source that the caller does not know
        return begun
    return client.get(begun.json()["events"], headers={**headers, "accept": "text/event-stream"})


if __name__ == "__main__":
    main()
