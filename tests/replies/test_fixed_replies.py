"""Which way a question goes: a fixed reply, a look-up, a dialogue, or the documents."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern import Desk
from yonder_lantern.core import SettingsError, Way
from yonder_lantern.desk import check_desk, expected_turns, missed_turns
from yonder_lantern.replies.dialogue import value_of
from yonder_lantern.settings.replies import StepSettings

MakeDesk = Callable[..., Desk]
FILES = {
    "quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n",
    "fees.md": "# Fees\n\nA yacht pays 9 crowns a night at the quay.\n",
}
REPLIES = """
[[fixed_reply]]
name = "person"
phrasings = ["Can I speak to a person?", "I want to talk to a human"]
text = "Ring 100."

[[fixed_reply]]
name = "crew only"
phrasings = ["Where is the spare key?", "Who has the spare key?"]
text = "Under the mat."
audience = ["crew"]

[[fixed_reply]]
name = "tide"
phrasings = ["How high is the tide now?", "Tide now"]
look_ups = ["tide", "next"]
text = "{{ tide.height }} m, next {{ next.at }}."
case = [{ when = "tide.height < 1", text = "Low water: {{ tide.height }} m." }]

[[fixed_reply]]
name = "night"
phrasings = ["Is anybody there?"]
text = "Yes."
case = [{ when = "time < '06:00' OR weekday = 'sunday'", text = "Not now." }]

[[fixed_reply]]
name = "closing"
phrasings = ["When does the quay close in summer?"]
text = "First of all: look at the notice board."
documents = true

[look_up.tide]
address = "ADDRESS/tide?day={date}&asked={question}"
headers = { Authorization = "Bearer ${TIDE_KEY}" }
values = { height = "/now/0/m" }
title = "Gauge"
cache = 60

[look_up.next]
address = "ADDRESS/next"
body = { above = "{tide.height}", note = "for {date}" }
values = { at = "/at" }

[[dialogue]]
name = "booking"
phrasings = ["I want to book a berth", "Can I reserve a berth?"]
[[dialogue.step]]
name = "length"
ask = "How long is your boat?"
kind = "number"
most = 40
[[dialogue.step.next]]
when = "length > 20"
step = "big"
[[dialogue.step]]
name = "kind"
ask = "Sail or motor?"
kind = "choice"
choices = ["sailing boat", "motor boat"]
[[dialogue.step]]
name = "done"
say = "A {{ kind }} of {{ length }} m is noted."
[[dialogue.step.next]]
step = "end"
[[dialogue.step]]
name = "big"
say = "Too long for us."
"""


class Gauge:
    """A server with a tide that a test sets."""

    def __init__(self) -> None:
        self.height: Any = 2.5
        self.status = 200
        self.asked: list[tuple[str, str, Any]] = []
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                outer.asked.append((self.path, self.headers.get("authorization", ""), None))
                self.reply({"now": [{"m": outer.height}], "key": "low-tide-4711"})

            def do_POST(self) -> None:
                body = json.loads(self.rfile.read(int(self.headers["content-length"])))
                outer.asked.append((self.path, "", body))
                self.reply({"at": "16:40"})

            def reply(self, value: Any) -> None:
                data = json.dumps(value).encode()
                self.send_response(outer.status)
                self.send_header("content-length", str(len(data)))
                self.end_headers()
                self.wfile.write(data)

            def log_message(self, *arguments: Any) -> None:
                pass

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.address = f"http://127.0.0.1:{self.server.server_address[1]}"


@pytest.fixture
def gauge() -> Iterator[Gauge]:
    made = Gauge()
    thread = threading.Thread(target=made.server.serve_forever, daemon=True)
    thread.start()
    yield made
    made.server.shutdown()
    made.server.server_close()


@pytest.fixture
def desk(make_desk: MakeDesk, gauge: Gauge, monkeypatch: pytest.MonkeyPatch) -> Desk:
    monkeypatch.setenv("TIDE_KEY", "low-tide-4711")
    made = make_desk(FILES, REPLIES.replace("ADDRESS", gauge.address))
    made.gather()
    return made


def test_a_phrasing_or_one_near_it_gives_the_reply_and_the_trace_says_why(desk: Desk) -> None:
    exact = desk.ask("can I speak to a person")
    assert (exact.text, exact.route.way, exact.route.name) == ("Ring 100.", "fixed reply", "person")
    assert desk.ask("I want to speak to a human please").route.name == "person"
    traced = desk.traces.last()["answer"]["route"]
    assert traced["name"] == "person"
    assert 0.7 <= traced["sure"] <= 1
    assert "sure" in traced["why"]
    away = desk.ask("What does a yacht pay a night?")
    assert away.route.way is Way.DOCUMENTS
    assert "9 crowns" in away.text


def test_one_way_alone_can_be_tried(desk: Desk) -> None:
    assert desk.ask("Can I speak to a person?", way="documents").route.way is Way.DOCUMENTS
    alone = desk.ask("What does a yacht pay a night?", way="replies")
    assert alone.declined
    assert alone.text.startswith("No fixed reply fits")


def test_a_reply_is_for_its_audience_and_others_never_learn_of_it(desk: Desk) -> None:
    asked = "Where is the spare key?"
    assert desk.ask(asked).text == "Under the mat."
    guest = desk.as_caller(["public"])
    told = guest.ask(asked)
    assert "mat" not in told.text
    assert "crew" not in json.dumps(guest.traces.last())


def test_values_are_looked_up_in_order_cited_kept_for_a_while_and_secrets_stay_out(
    desk: Desk, gauge: Gauge
) -> None:
    answer = desk.ask("How high is the tide now?", as_of="2026-07-01")
    assert answer.text == "2.5 m, next 16:40. [1] [2]"
    first, second = answer.citations
    assert (first.title, first.quote, first.live) == ("Gauge", "height: 2.5", True)
    assert second.quote == "at: 16:40"
    path, sent, _ = gauge.asked[0]
    assert "day=2026-07-01" in path
    assert "asked=How%20high%20is%20the%20tide%20now%3F" in path
    assert sent == "Bearer low-tide-4711"
    assert gauge.asked[1][2] == {"above": 2.5, "note": "for 2026-07-01"}
    again = desk.ask("How high is the tide now?", as_of="2026-07-01")
    assert [one.cached for one in again.route.look_ups] == [True, False]
    assert "low-tide-4711" not in json.dumps(desk.traces.last()) + str(again)
    gauge.height = 0.4
    other = desk.ask("Tide now", as_of="2026-07-02")
    assert other.text.startswith("Low water: 0.4 m.")


def test_a_look_up_that_fails_is_told_in_the_replys_own_words(desk: Desk, gauge: Gauge) -> None:
    gauge.status = 500
    answer = desk.ask("Tide now")
    assert (answer.status, answer.text) == ("declined", "This cannot be looked up at the moment.")
    assert "500" in answer.route.look_ups[0].problem
    gauge.status, gauge.height = 200, None
    assert "nothing at" in desk.ask("Tide now").route.look_ups[0].problem


@pytest.mark.parametrize(
    ("at", "text"), [("2026-11-29T12:00", "Not now."), ("2026-11-30T05:59", "Not now."),
                     ("2026-11-30T06:00", "Yes.")],
)  # fmt: skip
def test_a_case_holds_at_its_time(desk: Desk, at: str, text: str) -> None:
    assert desk.ask("Is anybody there?", as_of=at).text == text


def test_a_reply_and_the_documents_in_one_answer_with_all_citations(desk: Desk) -> None:
    answer = desk.ask("When does the quay close in summer?")
    assert answer.text.startswith("First of all: look at the notice board.\n\n")
    assert "22:00" in answer.text
    assert [one.number for one in answer.citations] == [1]
    assert answer.route.name == "closing"
    *pieces, last = desk.stream("When does the quay close in summer?")
    assert "".join(one.text for one in pieces) == last.answer.text  # type: ignore[union-attr]


def test_a_dialogue_asks_checks_branches_waits_for_a_question_and_ends(desk: Desk) -> None:
    held = desk.conversations.start()

    def say(text: str) -> Any:
        return desk.talk(text, held)[0]

    assert say("Can I reserve a berth?").text == "How long is your boat?"
    assert "at most 40" in say("rather long").text
    between = say("What does a yacht pay a night?")
    assert between.text.startswith("A yacht pays 9 crowns")
    assert between.text.endswith("How long is your boat?")
    resumed = desk.conversations.resume(held.id)  # it is kept with the conversation
    assert resumed.dialogue == held.dialogue
    asked = say("11,5 m")
    assert asked.choices == ("sailing boat", "motor boat")
    assert say("motor").text == "A motor boat of 11.5 m is noted."
    assert held.dialogue is None
    assert say("When does the quay close in winter?").route.way is Way.DOCUMENTS
    say("I want to book a berth")
    assert say("25").text == "Too long for us."
    say("I want to book a berth")
    assert say("never mind").route.why == "the person ended it"
    assert held.dialogue is None


@given(st.text(max_size=40), st.sampled_from(["number", "date", "choice", "yes or no", "text"]))
def test_a_value_is_of_its_kind_or_none_at_all(text: str, kind: Any) -> None:
    choices = ("red boat", "blue boat") if kind == "choice" else ()
    step = StepSettings(name="value", ask="?", kind=kind, choices=choices, least=1, most=9)
    value = value_of(step, text)
    if value is None:
        return
    if kind == "number":
        assert 1 <= value <= 9
    elif kind == "date":
        assert len(value) == 10
    elif kind == "choice":
        assert value in choices
    elif kind == "yes or no":
        assert value in ("yes", "no")
    else:
        assert value.strip()


def test_a_function_of_the_program_is_looked_up_by_what_its_parameters_name(
    make_desk: MakeDesk,
) -> None:
    seen = []

    def free(length: float, date: str = "") -> list[str]:
        """The berths that are free for a length."""
        seen.append((length, date))
        return ["A1", "B2"]

    settings = """
[[dialogue]]
name = "free"
phrasings = ["Which berths are free?"]
[[dialogue.step]]
name = "length"
ask = "How long?"
kind = "number"
[[dialogue.step]]
name = "told"
look_ups = ["free"]
say = "Free: {{ free.value | join(', ') }}."
"""
    made = make_desk(FILES, settings)
    made.gather()
    desk = Desk.open(made.folder, functions={"free": free})
    held = desk.conversations.start()
    desk.talk("Which berths are free?", held)
    answer, _ = desk.talk("9", held, as_of="2026-05-01")
    assert answer.text == "Free: A1, B2. [1]"
    assert seen == [(9.0, "2026-05-01")]
    assert not Desk.open(made.folder).look_ups.names()
    with pytest.raises(SettingsError, match="no look-up 'free'"):
        made.look_ups.settings_of("free")


def test_a_model_chooses_among_the_look_ups_it_may_and_no_others(
    make_desk: MakeDesk,
) -> None:
    def free(length: float) -> list[str]:
        """The berths that are free for a boat of some length."""
        return [f"A{length:g}"]

    def secret() -> str:
        """What nobody may be told."""
        raise AssertionError

    wrote = [""]
    prompts = []

    class Model(Gauge):
        def reply_to(self, body: Any) -> str:
            prompts.append(json.dumps(body))
            return wrote[0] if "can be looked up" in prompts[-1] else "A yacht pays 9 crowns. [1]"

    model = Model()

    def answer_(handler: Any) -> None:
        body = json.loads(handler.rfile.read(int(handler.headers["content-length"])))
        data = json.dumps({"text": model.reply_to(body)}).encode()
        handler.send_response(200)
        handler.send_header("content-length", str(len(data)))
        handler.end_headers()
        handler.wfile.write(data)

    model.server.RequestHandlerClass.do_POST = answer_  # type: ignore[attr-defined]
    threading.Thread(target=model.server.serve_forever, daemon=True).start()
    settings = (
        f'[answer]\nlook_ups = ["free"]\nmodel = {{ address = "{model.address}/", '
        "request = '{\"p\": {{ question | tojson }}}' }\n"
    )
    made = make_desk(FILES, settings)
    made.gather()
    desk = Desk.open(made.folder, functions={"free": free, "secret": secret})
    wrote[0] = 'Of course: {"look_up": "free", "values": {"length": "11", "x": []}}'
    answer = desk.ask("What does a yacht pay for a berth of 11 m?")
    assert answer.text == "free: value: A11. [1]\n\nA yacht pays 9 crowns. [2]"
    assert (answer.route.way, answer.route.name) == ("look-up", "free")
    assert answer.citations[0].live
    assert "berths that are free for a boat" in prompts[0]
    assert "secret" not in prompts[0]
    for other in ('{"look_up": "secret"}', '{"look_up": ""}', "no", '{"look_up": "free"}'):
        wrote[0] = other
        assert desk.ask("What does a yacht pay?").route.way is Way.DOCUMENTS
    model.server.shutdown()
    model.server.server_close()


def test_what_collides_or_cannot_work_is_found_by_a_check(make_desk: MakeDesk) -> None:
    settings = """
[[fixed_reply]]
name = "one"
phrasings = ["Where can I park my car?"]
text = "Here."
[[fixed_reply]]
name = "two"
phrasings = ["where can I park the car"]
text = "There."
look_ups = ["nothing"]
when = "time <"
"""
    desk = make_desk(FILES, settings)
    desk.gather()
    found = [one for one in check_desk(desk) if "fixed reply" in one.about]
    assert {one.state for one in found} == {"bad", "note"}
    told = " ".join(one.finding for one in found)
    assert "is close to" in told
    assert "no look-up 'nothing'" in told
    assert "no condition" in told


def test_expected_turns_are_held_and_what_differs_is_named(desk: Desk, tmp_path: Path) -> None:
    lines = [
        {"id": "a", "turns": [{"say": "I want to book a berth", "name": "booking"},
                              {"say": "11", "answer": ["rowing"]}]},
        {"id": "b", "turns": [{"say": "Can I speak to a person?", "way": "documents"}]},
    ]  # fmt: skip
    path = tmp_path / "turns.jsonl"
    path.write_text("\n".join(map(json.dumps, lines)))
    missed = missed_turns(desk, expected_turns(path))
    assert [(one.conversation, one.number) for one in missed] == [("a", 2), ("b", 1)]
    assert missed[1].why == "way is 'fixed reply', not 'documents'"
    assert not list(desk.conversations.newest())  # nothing is kept


@pytest.mark.parametrize(
    ("section", "what"),
    [
        ('[look_up.x]\naddress = "http://{host}/"', "may not stand in the host"),
        ('[look_up.x]\naddress = "http://h/"\nfunction = "f"', "either an address or a function"),
        ('[[fixed_reply]]\nname = "x"\nphrasings = ["a"]', "says something"),
        ('[[dialogue]]\nname = "d"\nphrasings = ["a"]\n[[dialogue.step]]\nname = "s"\nsay = "x"\n'
         'next = [{ step = "nowhere" }]', "no step 'nowhere'"),
        ('[[fixed_reply]]\nname = "x"\nphrasings = ["a"]\ntext = "${HOME}"', "hold a secret"),
    ],
)  # fmt: skip
def test_settings_that_cannot_work_are_refused(
    make_desk: MakeDesk, section: str, what: str
) -> None:
    with pytest.raises(SettingsError, match=what):
        make_desk(FILES, section)
