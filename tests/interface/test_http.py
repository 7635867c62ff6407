"""The HTTP interface: resources, streams, who may come in, and what is refused."""

from __future__ import annotations

import asyncio
import json
import re
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

import httpx
import jsonschema
import pytest
from starlette.testclient import TestClient

from conftest import HANGS, Ran
from yonder_lantern import Desk
from yonder_lantern.core import CallError
from yonder_lantern.interface.http import app, shared_turns
from yonder_lantern.interface.http.openapi import document
from yonder_lantern.interface.http.running_turns import RunningTurn, RunningTurns
from yonder_lantern.interface.http.shared_turns import SharedTurns
from yonder_lantern.policy import AccessTokens

MakeDesk = Callable[..., Desk]
FILES = {
    "quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n",
    "safe.md": "---\naudience: [crew]\n---\n# Safe\n\nThe safe opens with the number 4711.\n",
}
HERE = "http://127.0.0.1"
UNDESCRIBED = ("/openapi.json", "/", "/page/{name}", "/docs", "/box.js", "/sign-in/{code}")
ASKED = {"text": "When does the quay close in summer?"}
SECRET = {"text": "What number opens the safe?"}


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, '[[source]]\nname = "documents"\nfolder = "documents"\n'
                     'audience = ["public", "crew"]\n')  # fmt: skip
    made.gather()
    return made


@pytest.fixture
def client(desk: Desk) -> Iterator[TestClient]:
    with visiting(desk) as made:
        yield made


def visiting(desk: Desk) -> TestClient:
    """A page of the desk's own, where visitors are let in."""
    served = app(desk, allow_visitors=True)
    return TestClient(served, HERE, headers={"origin": HERE}, raise_server_exceptions=False)


def bearer(desk: Desk, name: str, *audience: str, **limits: Any) -> dict[str, str]:
    token = AccessTokens(desk.state / "access").make(name, audience or ("public",), **limits)
    return {"authorization": f"Bearer {token}"}


def events(text: str) -> list[tuple[int, str, dict[str, Any]]]:
    found = re.findall(r"id: (\d+)\nevent: (\w+)\ndata: (.*)\n\n", text)
    return [(int(number), name, json.loads(data)) for number, name, data in found]


def test_a_question_is_answered_searched_and_streamed(client: TestClient) -> None:
    answer = client.post("/questions", json=ASKED).json()
    assert "22:00" in answer["text"]
    cited = answer["citations"][0]
    where = f"/documents/{cited['document']}"
    span = {"start": cited["start"], "end": cited["end"], "version": cited["version"]}
    shown = client.get(where, params=span)
    assert shown.json()["quote"] == cited["quote"]
    assert not shown.json()["stale"]
    assert client.get(where, params={**span, "version": "older"}).json()["stale"]
    assert client.post("/search", json=ASKED).json()["hits"][0]["document"] == cited["document"]
    streamed = client.post("/questions", json=ASKED, headers={"accept": "text/event-stream"})
    told = events(streamed.text)
    assert [number for number, _, _ in told] == list(range(1, len(told) + 1))
    assert "".join(data["text"] for _, name, data in told if name == "piece") == answer["text"]
    assert told[-1][1] == "answer"
    assert told[-1][2]["citations"][0]["quote"] == cited["quote"]


def test_a_conversation_from_its_start_to_its_end(client: TestClient) -> None:
    started = client.post("/conversations")
    assert started.status_code == 201
    one = started.headers["location"]
    begun = client.post(f"{one}/turns", json=ASKED)
    assert begun.status_code == 202
    assert "22:00" in client.get(begun.headers["location"]).json()["text"]
    second = client.post(f"{one}/turns", json={"text": "And in winter?"})
    assert "18:00" in client.get(second.headers["location"]).json()["text"]
    found = client.get(one).json()
    assert [turn["rewritten"] for turn in found["turns"]] == [
        ASKED["text"], f"{ASKED['text']} And in winter?"
    ]  # fmt: skip
    assert found["turns"][0]["answer"]["citations"]
    assert client.patch(one, json={"title": "Closing"}).status_code == 204
    assert client.get(one, headers={"accept": "text/markdown"}).text.startswith("# Closing\n")
    (listed,) = client.get("/conversations", params={"search": "WINTER"}).json()["conversations"]
    assert (listed["title"], listed["turns"]) == ("Closing", 2)
    assert client.get("/conversations?search=nothing").json() == {"conversations": []}
    assert client.delete(one).status_code == 204
    assert client.get(one).status_code == 404


def test_a_stream_is_read_on_from_where_it_broke_off(client: TestClient) -> None:
    one = client.post("/conversations").headers["location"]
    where = client.post(f"{one}/turns", json=ASKED).headers["location"]
    whole = events(client.get(where, headers={"accept": "text/event-stream"}).text)
    for seen in range(len(whole)):
        headers = {"accept": "text/event-stream", "last-event-id": str(seen)}
        assert events(client.get(where, headers=headers).text) == whole[seen:]


def test_the_same_key_is_the_same_turn_and_two_at_once_follow_each_other(
    client: TestClient,
) -> None:
    one = client.post("/conversations").headers["location"]
    key = {"idempotency-key": "k1"}

    def ask(number: int) -> str:
        headers = key if number < 4 else {}
        return client.post(f"{one}/turns", json=ASKED, headers=headers).headers["location"]

    with ThreadPoolExecutor(8) as pool:
        places = list(pool.map(ask, range(8)))
    assert len(set(places[:4])) == 1
    assert len(set(places)) == 5
    for place in places:
        assert client.get(place).status_code == 200
    assert len(client.get(one).json()["turns"]) == 5


def test_a_token_opens_what_its_audience_may_see_and_no_more(
    desk: Desk, client: TestClient
) -> None:
    crew, guest = bearer(desk, "ann", "crew"), bearer(desk, "bob", "public")
    assert "4711" in client.post("/questions", json=SECRET, headers=crew).json()["text"]
    for headers in (guest, {}):
        told = client.post("/questions", json=SECRET, headers=headers)
        assert "4711" not in told.text
        assert "4711" not in client.post("/search", json=SECRET, headers=headers).text
        assert client.get("/documents/documents/safe.md", headers=headers).status_code == 404
    one = client.post("/conversations", headers=crew).headers["location"]
    turn = client.post(f"{one}/turns", json=SECRET, headers=crew).headers["location"]
    assert "4711" in client.get(turn, headers=crew).text
    for headers in (guest, {}, bearer(desk, "carl", "crew")):
        for place in (one, turn, f"{one}/recap"):
            assert client.get(place, headers=headers).status_code == 404
        for place in (one, f"{one}/turns/last"):
            assert client.delete(place, headers=headers).status_code == 404
        assert client.post(f"{one}/turns", json=ASKED, headers=headers).status_code == 404
        assert client.get("/conversations", headers=headers).json() == {"conversations": []}
    assert len(client.get(one, headers=crew).json()["turns"]) == 1


def test_a_token_that_is_wrong_expired_or_revoked_opens_nothing(
    desk: Desk, client: TestClient
) -> None:
    tokens = AccessTokens(desk.state / "access")
    good = bearer(desk, "ann", "crew", days=1)
    assert client.get("/conversations", headers=good).status_code == 200
    (kept,) = tokens.all()
    assert good["authorization"].split()[1] not in (desk.state / "access/tokens.json").read_text()
    assert kept.is_over(datetime.now(UTC) + timedelta(days=2))
    tokens._keep([replace(kept, expires="2020-01-01T00:00:00+00:00")])
    replies = [client.get("/conversations", headers=good)]
    tokens.revoke("ann")
    replies.append(client.get("/conversations", headers=good))
    for wrong in ("Bearer x", "Basic YW5uOng=", "Bearer", "bearer " + "y" * 5000):
        replies.append(client.get("/conversations", headers={"authorization": wrong}))
    assert {(one.status_code, one.text) for one in replies} == {(401, replies[0].text)}
    assert replies[0].headers["www-authenticate"].startswith("Bearer")
    with pytest.raises(CallError, match="no token 'ann'"):
        tokens.revoke("ann")
    with TestClient(app(desk, allow_visitors=False), HERE) as closed:
        assert closed.get("/conversations").status_code == 401
        assert closed.get("/health").status_code == 200


def test_who_asks_too_often_is_told_when_to_come_back(desk: Desk, client: TestClient) -> None:
    headers = bearer(desk, "ann", per_minute=2)
    told = [client.post("/search", json=ASKED, headers=headers) for _ in range(3)]
    assert [one.status_code for one in told] == [200, 200, 429]
    assert 0 < int(told[2].headers["retry-after"]) <= 60
    assert client.post("/search", json=ASKED, headers=bearer(desk, "bob")).status_code == 200


@pytest.mark.parametrize(
    ("path", "sent", "status"),
    [
        ("/questions", {"json": {"text": ""}}, 422),
        ("/questions", {"json": {"text": 3}}, 422),
        ("/questions", {"json": {"text": "x", "audience": ["crew"]}}, 422),
        ("/questions", {"json": {"text": "x", "where": "no filter"}}, 422),
        ("/questions", {"json": {"text": "x", "limit": -1}}, 422),
        ("/questions", {"json": {"text": "x" * 5000}}, 422),
        ("/questions", {"json": {"text": "x", "earlier": ["y"] * 50}}, 422),
        ("/feedback", {"json": {"trace": "x" * 70_000, "rating": "good"}}, 413),
        ("/questions", {"content": b"[" * 50_000, "headers": {"content-type": "application/json"}},
         422),
        ("/questions", {"content": b"\xff", "headers": {"content-type": "application/json"}}, 422),
        ("/questions", {"data": {"text": "x"}}, 415),
        ("/conversations/x/turns", {"json": ASKED}, 404),
        ("/conversations/x%0d%0a\u2028y/turns", {"json": ASKED}, 404),
        ("/nothing", {"json": ASKED}, 404),
        ("/health", {"json": ASKED}, 405),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_as_problem_details(
    client: TestClient, path: str, sent: dict[str, Any], status: int
) -> None:
    reply = client.post(path, **sent)
    assert reply.status_code == status
    if status == 405:
        assert reply.headers["allow"] == "GET, HEAD"
    assert reply.headers["content-type"] == "application/problem+json"
    jsonschema.validate(reply.json(), _schema("ProblemDetailsOut"))
    assert "Traceback" not in reply.text


@pytest.mark.parametrize(
    "query", ["start=5&end=2", "start=-1", "end=999999", "start=x", "start=²", "end=" + "9" * 5000]
)
def test_a_span_that_is_not_there_is_refused(client: TestClient, query: str) -> None:
    assert client.get(f"/documents/documents/quay.md?{query}").status_code == 422


def test_a_page_from_elsewhere_and_a_name_from_elsewhere_are_refused(client: TestClient) -> None:
    assert client.get("/health", headers={"origin": "http://evil.example"}).status_code == 403
    assert client.get("/health", headers={"host": "evil.example"}).status_code == 400
    fine = client.get("/health", headers={"origin": HERE})
    assert fine.status_code == 200
    assert fine.headers["x-content-type-options"] == "nosniff"


def test_an_index_that_is_not_there_or_is_damaged_is_told(make_desk: MakeDesk) -> None:
    empty = make_desk(FILES)
    with visiting(empty) as client:
        assert client.get("/health").status_code == 200
        for reply in (client.get("/ready"), client.post("/questions", json=ASKED)):
            assert reply.status_code == 503
            assert "gather" in reply.text
        empty.gather()  # while everything runs
        assert client.get("/ready").status_code == 200
        assert "22:00" in client.post("/questions", json=ASKED).text


def test_the_description_names_every_route_and_fits_what_comes_back(client: TestClient) -> None:
    told = client.get("/openapi.json").json()
    assert told == document()
    routes = {
        (re.sub(r":\w+", "", route.path), method.lower())
        for route in client.app.routes  # type: ignore[attr-defined]
        for method in (route.methods or set()) - {"HEAD"}  # the tool protocol describes itself
    } - {(path, method) for path in UNDESCRIBED for method in ("get", "post")}
    described = {
        (path, method)
        for path, item in told["paths"].items()
        for method in item
        if method != "parameters"
    }
    assert described == routes
    for schema in told["components"]["schemas"].values():
        jsonschema.Draft202012Validator.check_schema(schema)
    one = client.post("/conversations")
    turn = client.post(f"{one.headers['location']}/turns", json=ASKED)
    for reply, kind in (
        (one, "StartedOut"),
        (turn, "BegunOut"),
        (client.get(turn.headers["location"]), "AnswerOut"),
        (client.get(one.headers["location"]), "ConversationOut"),
        (client.get("/conversations"), "ListOut"),
        (client.post("/search", json=ASKED), "SearchOut"),
        (client.get("/documents/documents/quay.md"), "DocumentOut"),
        (client.get("/health"), "HealthOut"),
        (client.get("/ready"), "ReadyOut"),
    ):
        jsonschema.validate(reply.json(), _schema(kind))


def _schema(kind: str) -> dict[str, Any]:
    return {**document(), "$ref": f"#/components/schemas/{kind}"}


def test_a_turn_that_fails_ends_its_stream_and_one_can_be_stopped() -> None:
    turns = RunningTurns()
    stopped = threading.Event()

    def fails(_: Any) -> Iterator[Any]:
        raise CallError("there is no conversation 'x'")
        yield

    def waits(cancel: Any) -> Iterator[Any]:
        cancel.wait(HANGS)
        stopped.set()
        yield from ()

    async def told(turn: RunningTurn) -> list[Any]:
        return [event async for event in turn.after(0)]

    ((_, name, data),) = asyncio.run(told(turns.begin("ann", "c1", fails)))
    assert (name, data["status"]) == ("problem", 404)
    turn = turns.begin("ann", "c1", waits)
    turn.cancel.set()
    assert asyncio.run(told(turn)) == []
    assert stopped.is_set()


def test_a_turn_whose_reader_went_away_is_stopped_but_not_one_that_nobody_followed(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr("yonder_lantern.interface.http.running_turns._LEFT", 0.05)
    turns = RunningTurns()
    said: list[Any] = []

    def events(cancel: Any) -> Iterator[Any]:
        for number in range(400):
            if cancel.is_set():
                return
            said.append(number)
            yield "piece", {"text": str(number)}
            time.sleep(0.01)

    async def read_a_little(turn: RunningTurn) -> None:
        async for event in turn.after(0):
            if event is not None and event[0] == 3:
                break

    followed = turns.begin("ann", "c1", events)
    asyncio.run(read_a_little(followed))
    end = time.monotonic() + HANGS
    while not followed.ended and time.monotonic() < end:
        time.sleep(0.01)
    assert 3 <= len(said) < 200
    said.clear()
    alone = turns.begin("ann", "c2", events)
    while not alone.ended and time.monotonic() < end:
        time.sleep(0.01)
    assert len(said) == 400


def test_hundreds_read_one_stream_at_once() -> None:
    turns = RunningTurns()
    goes_on = threading.Event()

    def slow(_: Any) -> Iterator[Any]:
        yield "piece", {"text": "a"}
        goes_on.wait(HANGS)
        yield "piece", {"text": "b"}

    turn = turns.begin("ann", "c1", slow)

    async def read() -> str:
        return "".join([event[2]["text"] async for event in turn.after(0) if event])

    async def all_of_them() -> list[str]:
        readers = [asyncio.create_task(read()) for _ in range(500)]
        await asyncio.sleep(0.2)
        goes_on.set()
        return await asyncio.gather(*readers)

    before = threading.active_count()
    assert asyncio.run(all_of_them()) == ["ab"] * 500
    assert threading.active_count() <= before


@pytest.mark.parametrize("workers", ["1", "2"])
def test_the_verb_serves_until_it_is_told_to_stop(
    desk: Desk, yonder: Callable[..., Ran], workers: str
) -> None:
    made = yonder("serve", "--new-token", "ann", "--audience", "crew", "--days", "2", "--json",
                  cwd=desk.folder)  # fmt: skip
    token = json.loads(made.out)["token"]
    listed = yonder("serve", "--tokens", cwd=desk.folder).out
    assert "ann" in listed
    assert "crew" in listed
    assert token not in listed
    child = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "serve", "--port", "0", "--workers", workers,
         "--allow-visitors"],
        cwd=desk.folder, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    try:
        assert child.stdout
        address = child.stdout.readline().split()[-1].rstrip("/")
        visitor = {"yonder-visitor": "a-secret-of-this-visitor"}
        calls = partial(httpx.Client, base_url=address, timeout=HANGS, headers=visitor)
        for _ in range(4):  # in whichever process: each request is a connection of its own
            with calls() as client:
                one = client.post("/conversations").headers["location"]
            with calls() as client:
                turn = client.post(f"{one}/turns", json=ASKED).headers["location"]
            with calls() as client:
                assert "22:00" in client.get(turn).json()["text"]
        with calls() as client:
            assert "22:00" in client.post("/questions", json=ASKED).json()["text"]
            taken = yonder("serve", "--port", address.rpartition(":")[2], cwd=desk.folder)
            assert taken.status == 2
            assert "0 picks a free one" in taken.err
            headers = {"authorization": f"Bearer {token}"}
            assert "4711" in client.post("/questions", json=SECRET, headers=headers).json()["text"]
            write(desk.folder / "documents/new.md", "# Ferry\n\nThe ferry leaves at noon.\n")
            desk.gather()  # picked up without a restart
            asked = {"text": "When does the ferry leave?"}
            assert "noon" in client.post("/questions", json=asked).json()["text"]
    finally:
        child.send_signal(signal.SIGINT)
        began = time.monotonic()
        child.communicate(timeout=HANGS)
    assert time.monotonic() - began < HANGS / 2
    assert child.returncode == 0
    assert yonder("serve", "--revoke", "ann", cwd=desk.folder).status == 0
    assert yonder("serve", "--tokens", cwd=desk.folder).status == 1
    refused = yonder("serve", "--host", "0.0.0.0", cwd=desk.folder)
    assert refused.status == 2
    assert "no access token" in refused.err


def write(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")


def test_who_follows_a_turn_of_another_process_is_let_go_when_that_process_dies(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shared_turns, "_TICK", 0.1)
    writer: list[SharedTurns] = [SharedTurns(tmp_path)]
    writer[0].begin("turn-one", "c1", "ann")
    writer[0].tell("turn-one", "passages", {"found": 2})
    followed = SharedTurns(tmp_path).find("turn-one")
    assert followed is not None

    async def read() -> list[Any]:
        found = []
        async for event in followed.after(0):
            found.append(event)
            if len(found) == 4:  # alive for a few ticks, and then no more
                writer.clear()
        return found

    found = asyncio.run(asyncio.wait_for(read(), 20))
    assert found[0] == (1, "passages", {"found": 2})
    assert len(found) >= 4
    assert not any(found[1:])
