"""Who may do what over HTTP: links, rights, budgets, boxes, sign-in elsewhere, signed messages."""

from __future__ import annotations

import base64
import json
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from starlette.testclient import TestClient
from test_http import ASKED, FILES, HERE, SECRET, bearer, events, visiting

from conftest import Ran
from serving import Page, serve
from yonder_lantern import Desk
from yonder_lantern.core import CallError, Money
from yonder_lantern.interface.http import app, app_of_desks
from yonder_lantern.policy import AccessTokens, SignIns, Usage, signed

MakeDesk = Callable[..., Desk]
SOURCE = '[[source]]\nname = "documents"\nfolder = "documents"\naudience = ["public", "crew"]\n'
SITE = "https://saltgarth.example"


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, SOURCE)
    made.gather()
    return made


@pytest.fixture
def client(desk: Desk) -> Iterator[TestClient]:
    with visiting(desk) as made:
        yield made


def signs(desk: Desk) -> SignIns:
    return SignIns(desk.state / "access")


def test_a_link_signs_in_once_and_a_session_can_be_ended(desk: Desk, client: TestClient) -> None:
    code = signs(desk).make_link("ann", ["crew", "public"])
    for _ in range(2):  # looked at, by a mail scanner too, it is not used up
        assert client.head(f"/sign-in/{code}").status_code == 200
        assert "Sign in as ann" in client.get(f"/sign-in/{code}").text
    came = client.post(f"/sign-in/{code}", follow_redirects=False)
    assert (came.status_code, came.headers["location"]) == (303, "/")
    assert "HttpOnly" in came.headers["set-cookie"]
    assert "SameSite=lax" in came.headers["set-cookie"]
    told = client.get("/caller").json()
    assert (told["name"], told["audience"], told["rights"]) == (
        "person ann", ["crew", "public"], ["ask"]
    )  # fmt: skip
    assert "4711" in client.post("/questions", json=SECRET).json()["text"]
    client.cookies.clear()
    for again in (client.get, client.post):
        assert again(f"/sign-in/{code}").status_code == 401  # used up
    again = signs(desk).make_link("ann", minutes=0.0001)
    time.sleep(0.02)
    assert client.get(f"/sign-in/{again}").status_code == 401  # too late
    client.post(f"/sign-in/{signs(desk).make_link('ann')}")
    assert client.get("/caller").json()["signed_in"]
    assert client.post("/sign-out").status_code == 204
    assert not client.get("/caller").json()["signed_in"]
    kept = (desk.state / "access" / "sessions.json").read_text()
    assert code not in kept


def test_the_owner_comes_in_by_a_link_and_may_do_everything(desk: Desk, client: TestClient) -> None:
    assert client.get("/metrics").status_code == 403
    assert client.post("/sources", json={"address": "documents"}).status_code == 403
    client.post(f"/sign-in/{signs(desk).make_link('owner', None)}")
    told = client.get("/caller").json()
    assert told["audience"] is None
    assert told["rights"] == ["ask", "leave notes", "add sources", "see traces", "set up"]
    asked = client.post("/questions", json=SECRET).json()
    assert client.get(f"/traces/{asked['trace']}").json()["question"] == SECRET["text"]
    counted = client.get("/metrics").text
    assert 'yonder_answers_total{desk="/",status="answer",way="documents"} 1.0' in counted
    assert 'route="/questions",status="200"' in counted


def test_a_right_that_a_token_lacks_is_403_and_an_unknown_one_cannot_be_given(desk: Desk) -> None:
    with visiting(desk) as client:
        headers = bearer(desk, "reader", rights=("see traces",))
        assert client.post("/questions", json=ASKED, headers=headers).status_code == 403
        assert client.get("/metrics", headers=headers).status_code == 200
    with pytest.raises(CallError, match="no rights to"):
        bearer(desk, "x", rights=("everything",))


def test_what_is_said_of_things_is_for_those_who_may_read_and_ask(make_desk: MakeDesk) -> None:
    safe = "---\naudience: [crew]\n---\n# Safe\n\n| Safe | Number |\n|---|---|\n| SF-1 | 4711 |\n"
    board = "# Boards\n\n| Board | Place |\n|---|---|\n| BD-1 | quay |\n| SF-1 | hall |\n"
    desk = make_desk({"safe.md": safe, "boards.md": board}, SOURCE)
    desk.gather()
    crew, reader = bearer(desk, "c", "crew", "public"), bearer(desk, "r", rights=("see traces",))
    with visiting(desk) as client:
        listed = client.get("/entities").json()["entities"]
        assert listed == [{"name": "BD-1", "statements": 1}, {"name": "SF-1", "statements": 1}]
        assert [one["name"] for one in client.get("/entities?search=bd").json()["entities"]] == [
            "BD-1"
        ]
        card = client.get("/entities/sf 1").json()
        assert [one["object"] for one in card["says"]] == ["hall"]
        for path in ("/entities/4711", "/entities/Number", f"/entities/{'x' * 3000}"):
            assert client.get(path).status_code == 422
        assert "4711" not in client.post("/articles", json={"text": "the safe SF-1"}).text
        assert "4711" in client.get("/entities/SF-1", headers=crew).text
        assert client.get("/entities", headers=reader).status_code == 403
        assert client.get("/entities/BD-1", headers=reader).status_code == 403
        assert client.post("/articles", json=ASKED, headers=reader).status_code == 403


def test_questions_and_money_are_counted_over_processes(desk: Desk, tmp_path: Path) -> None:
    with visiting(desk) as one, visiting(desk) as other:
        headers = bearer(desk, "busy", per_minute=3)
        got = [client.post("/search", json=ASKED, headers=headers).status_code
               for client in (one, other, one, other)]  # fmt: skip
        assert got == [200, 200, 200, 429]
        poor = bearer(desk, "poor", per_day="0.10")
        usage = Usage(desk.state / "access")
        usage.spend("token poor", Money(Decimal("0.06"), "EUR"))
        assert one.post("/questions", json=ASKED, headers=poor).status_code == 200
        usage.spend("token poor", Money(Decimal("0.05"), "EUR"))
        assert other.post("/questions", json=ASKED, headers=poor).status_code == 429
    counted = Usage(tmp_path / "usage")
    assert [counted.ask("a", 2) for _ in range(2)] == [0.0, 0.0]
    assert 0 < counted.ask("a", 2) <= 60
    assert counted.ask("b", 2) == 0.0


def test_a_box_is_for_its_sites_the_public_and_nobodys_list(desk: Desk, client: TestClient) -> None:
    headers = bearer(desk, "box", sites=[SITE])
    preflight = client.options("/conversations", headers={"origin": SITE})
    assert preflight.status_code == 204
    assert preflight.headers["access-control-allow-origin"] == SITE
    assert (
        client.options("/questions", headers={"origin": "https://evil.example"}).status_code == 403
    )
    there = {**headers, "origin": SITE}
    asked = client.post("/questions", json=ASKED, headers=there)
    assert asked.headers["access-control-allow-origin"] == SITE
    assert "22:00" in asked.json()["text"]
    assert "4711" not in client.post("/questions", json=SECRET, headers=there).text
    bearer(desk, "second", sites=["https://other.example"])
    elsewhere = {**headers, "origin": "https://other.example"}
    assert client.post("/questions", json=ASKED, headers=elsewhere).status_code == 403
    assert client.get("/conversations", headers=there).status_code == 403
    for wrong in ({"audience": ("crew",)}, {"rights": ("ask", "see traces")}, {"per_minute": 0}):
        with pytest.raises(CallError, match="a box's token is no secret"):
            AccessTokens(desk.state / "access").make("b", **{"sites": [SITE], **wrong})  # type: ignore[arg-type]


def test_feedback_is_kept_for_an_answer_that_the_caller_may_see(
    desk: Desk, client: TestClient, yonder: Callable[..., Ran]
) -> None:
    from yonder_lantern.observe import FeedbackBook

    trace = client.post("/questions", json=ASKED).json()["trace"]
    for rating, remark in (("good", ""), ("bad", "It says nothing of autumn.")):
        sent = {"trace": trace, "rating": rating, "remark": remark}
        assert client.post("/feedback", json=sent).status_code == 204
    (kept,) = FeedbackBook(desk.state, desk.traces).all()
    assert (kept.rating, kept.remark) == ("bad", "It says nothing of autumn.")
    assert kept.by.startswith("visitor ")
    crew = client.post("/questions", json=SECRET, headers=bearer(desk, "crew", "crew")).json()
    listed = yonder("trace", "--feedback", cwd=desk.folder)
    assert ASKED["text"] in listed.out
    assert "“It says nothing of autumn.”  visitor " in listed.out
    hidden = {"trace": crew["trace"], "rating": "good"}
    assert client.post("/feedback", json=hidden).status_code == 404
    assert client.post("/feedback", json={**hidden, "rating": "best"}).status_code == 422


def test_a_source_is_added_and_asked_while_everything_runs(
    make_desk: MakeDesk, tmp_path: Path
) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "tug.md").write_text("# Tug\n\nThe tug is called Bess and pulls 12 tonnes.\n")
    desk = make_desk(FILES, SOURCE)
    desk.gather()
    allowed = bearer(desk, "adder", rights=("ask", "add sources"))
    with visiting(desk) as client:
        refused = client.post("/sources", json={"address": str(outside)}, headers=allowed)
        assert refused.status_code == 403
        assert "source_roots" in refused.json()["remedy"]
        inner = {"address": str(desk.state)}
        assert client.post("/sources", json=inner, headers=allowed).status_code == 403
    (desk.folder / "yonder.toml").write_text(f'{SOURCE}\n[serve]\nsource_roots = ["{tmp_path}"]\n')
    with visiting(Desk.open(desk.folder)) as client:
        other = {"address": str(outside), "audience": ["board"]}
        assert client.post("/sources", json=other, headers=allowed).status_code == 403
        begun = client.post("/sources", json={"address": str(outside)}, headers=allowed)
        assert begun.status_code == 202
        accept = {**allowed, "accept": "text/event-stream"}
        told = events(client.get(begun.headers["location"], headers=accept).text)
        assert told[-1][1] == "gathered"
        assert told[-1][2]["sources"]["outside"]["added"] == 1
        assert any(name == "progress" for _, name, _ in told)
        answer = client.post("/questions", json={"text": "What is the tug called?"})
        assert "Bess" in answer.json()["text"]
        listed = client.get("/sources").json()["sources"]
        assert [one["name"] for one in listed] == ["documents", "outside"]
        only = {"text": "What is the tug called?", "sources": ["documents"]}
        assert "Bess" not in client.post("/questions", json=only).json()["text"]


def test_what_a_person_says_of_themselves_is_shown_forgotten_and_a_turn_taken_back(
    client: TestClient,
) -> None:
    one = client.post("/conversations").headers["location"]
    for text in ("My boat is 11 m.", ASKED["text"], "And in winter?"):
        client.get(client.post(f"{one}/turns", json={"text": text}).headers["location"])
    found = client.get(one).json()
    assert found["preferences"] == ["My boat is 11 m"]
    assert found["turns"][0]["answer"]["route"]["way"] == "noted"
    assert "18:00" in client.get(f"{one}/recap").json()["recap"]
    gone = client.request("DELETE", f"{one}/preferences", json={"text": "My boat is 11 m"})
    assert gone.status_code == 204
    assert client.delete(f"{one}/turns/last").status_code == 204
    left = client.get(one).json()
    assert (left["preferences"], len(left["turns"])) == ([], 2)
    alone = {"text": "And in winter?", "standalone": True}
    client.get(client.post(f"{one}/turns", json=alone).headers["location"])
    assert client.get(one).json()["turns"][-1]["rewritten"] == "And in winter?"


def signing_keys() -> tuple[Any, dict[str, Any]]:
    from cryptography.hazmat.primitives.asymmetric.ec import SECP256R1, generate_private_key
    from jwt.algorithms import ECAlgorithm

    private = generate_private_key(SECP256R1())
    public = json.loads(ECAlgorithm.to_jwk(private.public_key()))
    return private, {"keys": [{**public, "kid": "k1", "alg": "ES256", "use": "sig"}]}


def test_callers_sign_in_elsewhere_and_only_as_what_they_are(make_desk: MakeDesk) -> None:
    import jwt

    private, keys = signing_keys()
    other, _ = signing_keys()
    desk = make_desk(FILES, SOURCE + """
[serve.openid]
issuer = "https://id.saltgarth.example"
client = "desk"
keys = "keys.json"
""")  # fmt: skip
    (desk.folder / "keys.json").write_text(json.dumps(keys))
    desk.gather()
    good = {
        "iss": "https://id.saltgarth.example", "aud": "desk", "sub": "u1",
        "exp": datetime.now(UTC) + timedelta(hours=1), "groups": ["crew", "no such label"],
    }  # fmt: skip

    def token(key: Any = private, kid: str = "k1", **changed: Any) -> dict[str, str]:
        claims = {name: value for name, value in {**good, **changed}.items() if value is not None}
        made = jwt.encode(claims, key, algorithm="ES256", headers={"kid": kid})
        return {"authorization": f"Bearer {made}"}

    with TestClient(app(desk, allow_visitors=False), HERE) as client:
        assert "4711" in client.post("/questions", json=SECRET, headers=token()).json()["text"]
        told = client.get("/caller", headers=token()).json()
        assert told["audience"] == ["crew", "public"]
        guest = client.post("/questions", json=SECRET, headers=token(groups=None))
        assert "4711" not in guest.text
        unsigned = jwt.encode(good, "", algorithm="none")
        for wrong in (
            token(other), token(kid="k2"), token(aud="another"), token(iss="https://evil.example"),
            token(exp=datetime.now(UTC) - timedelta(hours=1)), token(exp=None), token(sub=None),
            {"authorization": f"Bearer {unsigned}"},
        ):  # fmt: skip
            assert client.get("/caller", headers=wrong).status_code == 401


def test_a_signed_message_is_answered_once_in_the_senders_own_conversation(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    secret = "whsec_" + base64.b64encode(b"a shared secret").decode()
    monkeypatch.setenv("HOOK", secret)
    desk = make_desk(FILES, SOURCE + '[serve.webhook.phone]\nsecret = "${HOOK}"\n')
    desk.gather()
    with visiting(desk) as client:

        def send(text: str, id_: str, sender: str = "+100", **headers: str) -> Any:
            body = json.dumps({"text": text, "sender": sender, "of the messenger": 1}).encode()
            return client.post(
                "/webhooks/phone", content=body, headers={**signed(secret, id_, body), **headers}
            )

        first = send(ASKED["text"], "m1").json()
        assert "22:00" in first["text"]
        assert first["citations"][0]["title"] == "Quay"
        assert "18:00" in send("And in winter?", "m2").json()["text"]
        assert send("And in winter?", "m2").json() == send("And in winter?", "m2").json()
        send("And in winter?", "m3", "+200")
        assert sorted(one.turns for one in desk.conversations.newest()) == [1, 2]
        late = str(int(time.time()) - 600)
        for wrong in (
            {"webhook-signature": "v1,AAAA"}, {"webhook-timestamp": late}, {"webhook-id": "other"},
        ):  # fmt: skip
            assert send("x", "m4", **wrong).status_code == 401
        assert client.post("/webhooks/none", content=b"{}").status_code == 401
    assert secret not in (
        desk.state / "conversations" / "conversations.sqlite"
    ).read_bytes().decode("latin-1")


def test_several_desks_are_served_each_below_its_name(make_desk: MakeDesk) -> None:
    desks = {}
    for name, time_ in (("quay", "22:00"), ("slip", "20:00")):
        made = make_desk({"a.md": f"# Gate\n\nThe gate closes at {time_}.\n"}, name=name)
        made.gather()
        desks[name] = made
    with TestClient(app_of_desks(desks, allow_visitors=True), HERE) as client:
        assert 'href="slip/"' in client.get("/").text
        for name, time_ in (("quay", "22:00"), ("slip", "20:00")):
            asked = client.post(f"/{name}/questions", json={"text": "When does the gate close?"})
            assert time_ in asked.json()["text"]
            assert client.get(f"/{name}/health").json()["beside"]


def test_what_has_not_changed_is_not_sent_again(client: TestClient) -> None:
    cited = client.post("/questions", json=ASKED).json()["citations"][0]
    for where in (f"/documents/{cited['document']}", "/", "/page/sheet.js"):
        first = client.get(where)
        again = client.get(where, headers={"if-none-match": first.headers["etag"]})
        assert (again.status_code, again.content) == (304, b"")


def test_an_answer_is_spoken_by_the_service_that_the_settings_name(make_desk: MakeDesk) -> None:
    with serve() as server:
        server.pages["/"] = [Page(b"RIFF", kind="audio/wav"), Page(b"RIFF", kind="text/plain")]
        desk = make_desk(
            FILES,
            f'{SOURCE}[service.speech]\naddress = "{server.address}/"\n'
            'request = { text = "{text}", language = "{language}", voice = "calm" }\n',
        )
        desk.gather()
        with visiting(desk) as client:
            assert "speech" in client.get("/caller").json()["offers"]
            spoken = client.post("/speech", json={"text": "It *closes* at 22:00. [1]"})
            assert (spoken.content, spoken.headers["content-type"]) == (b"RIFF", "audio/wav")
            heard = [json.loads(one) for one in server.sent]
            assert heard == [{"text": "It closes at 22:00.", "language": "en", "voice": "calm"}]
            refused = client.post("/speech", json={"text": "silence"})
            assert refused.status_code == 502
