"""Longer pieces: an outline, its sections, every statement cited; also as a script for voices."""

from __future__ import annotations

import asyncio
import json
import re
from collections.abc import Callable, Iterator
from typing import ClassVar

import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.testclient import TestClient

from conftest import WITH_CREW, Ran
from yonder_lantern import AsyncDesk, Desk
from yonder_lantern.answer.article import join_sections, outline_in, script_of
from yonder_lantern.core import (
    Answer,
    AnswerStatus,
    Article,
    ArticleSection,
    BlockKind,
    CallError,
    LimitError,
    Statement,
)
from yonder_lantern.interface.http import app
from yonder_lantern.platform.simulated.http_services import JsonHandler, served
from yonder_lantern.platform.simulated.model import reply_to
from yonder_lantern.settings import with_overrides

MakeDesk = Callable[..., Desk]
FILES: dict[str, str | bytes] = {
    "lift.md": "# The boat lift\n\nThe boat lift stands at the north end of the yard.\n\n"
    "## Load\n\nThe boat lift takes boats of up to 60 tonnes. It was tested in May.\n\n"
    "## Booking\n\nBook the boat lift three days ahead at the yard counter. A slot of the lift "
    "lasts 50 minutes from the arrival of the boat.\n\n- proof of insurance\n"
    "- The boat lift stops in winds over 25 knots.\n",
    "strop.md": "# The slipped strop\n\n## Booking\n\nA strop of the boat lift slipped in May and "
    "the repair cost 14,250 crowns.\n",
    "cat.md": "# The cat\n\nThe grey cat sleeps in the auction hall.\n",
}
TOPIC = "the boat lift"


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, WITH_CREW)
    (made.folder / "crew").mkdir()
    (made.folder / "crew" / "code.md").write_text(
        "# Code of the boat lift\n\nThe boat lift is started with the code 7731 at the panel.\n"
    )
    made.gather()
    return made


def check_citations(desk: Desk, article: Article) -> None:
    """Every statement cites words that stand where the citation says, and every mark has one."""
    known = {one.number: one for one in article.citations}
    assert list(known) == [*range(1, len(known) + 1)]
    for one in article.citations:
        document = desk.document(one.document)
        assert document is not None
        assert document.text[one.start : one.end] == one.quote
    for section in article.sections:
        assert section.statements
        assert all(set(one.citations) <= known.keys() for one in section.statements)
        assert {int(mark) for mark in re.findall(r"\[(\d+)\]", section.text)} <= known.keys()


def test_the_documents_own_sections_are_put_together(desk: Desk) -> None:
    article = desk.as_caller(["public"]).write(TOPIC)
    headings = [one.heading for one in article.sections]
    assert article.title == "The boat lift"
    assert headings[0] in ("The boat lift", "Load", "Booking")
    assert {"Load", "Booking"} <= set(headings)
    assert "The slipped strop: Booking" in headings
    assert "cat" not in article.text
    assert "proof of insurance" not in article.text  # says nothing without the words over its list
    assert "25 knots" in article.text
    assert "7731" not in article.text
    check_citations(desk, article)
    assert article.text.startswith("# The boat lift\n\n## ")
    assert desk.traces.get(article.trace)["answer"]["text"] == article.text


def test_a_caller_reads_of_what_they_may_see(desk: Desk) -> None:
    assert "7731" in desk.as_caller(["public", "crew"]).write(TOPIC).text


def test_of_what_the_documents_do_not_say_nothing_is_written(
    desk: Desk, yonder: Callable[..., Ran]
) -> None:
    article = desk.write("quantum chromodynamics")
    assert not article.sections
    assert article.text == ""
    ran = yonder("ask", "--long", "quantum chromodynamics", cwd=desk.folder)
    assert ran.status == 1
    assert "say too little" in ran.out


def test_a_script_says_the_same_in_turns(desk: Desk) -> None:
    article = desk.as_caller(["public"]).write(TOPIC, sections=2, voices=["Ann", "Ben", "Cy"])
    asked = [line for line in article.script if line.voice == "Ann"]
    told = [line for line in article.script if line.voice != "Ann"]
    assert len(asked) == len(article.sections) == 2
    assert len(told) == sum(len(one.statements) for one in article.sections)
    assert {line.voice for line in told} == {"Ben", "Cy"}
    assert all(line.citations for line in told)
    for line in told:
        assert any(line.text in " ".join(one.quote.split()) for one in article.citations)


@pytest.mark.parametrize(
    ("order", "what"),
    [
        ({"sections": 0}, "1 to 20 sections"),
        ({"sections": 21}, "1 to 20 sections"),
        ({"voices": ["Ann", "Ann"]}, "a name of its own"),
        ({"voices": ["Ann", " "]}, "a name of its own"),
    ],
)
def test_what_cannot_be_written_is_refused(desk: Desk, order: dict[str, object], what: str) -> None:
    with pytest.raises(CallError, match=what):
        desk.write(TOPIC, **order)  # type: ignore[arg-type]


class Writer(JsonHandler):
    """Proposes an outline, and answers from the first passage that fits."""

    outline = (
        "Title: All about the lift\n1. Its load | What weight of boat does the lift take?\n"
        "2. How to book | When is the lift to be booked?\n3. Its colour | Who painted it?"
    )
    asked: ClassVar[list[str]] = []

    def do_POST(self) -> None:
        """Reply to a prompt."""
        body = json.loads(self.body())
        self.asked.append(body["question"])
        wants = "Write the outline" in body["question"]
        text = self.outline if wants else reply_to(body["instructions"], body["question"])
        self.reply(200, {"text": text, "tokens": {"read": 1000, "written": 100}})


@pytest.fixture
def modelled(desk: Desk) -> Iterator[Callable[..., Desk]]:
    Writer.asked.clear()
    with served(Writer, 0) as address:

        def make(**answers: str) -> Desk:
            (desk.folder / "model.toml").write_text(
                f'name = "m"\naddress = "{address}"\n[price]\nread = "1"\nwritten = "4"\n'
            )
            changes = {f"answer.{key}": value for key, value in answers.items()}
            return desk.under(
                with_overrides(desk.settings, {"answer.model": "model.toml", **changes})
            )

        yield make


def test_a_model_proposes_the_outline_and_each_section_is_checked(
    modelled: Callable[..., Desk],
) -> None:
    desk = modelled()
    article = desk.as_caller(["public"]).write(TOPIC)
    assert (article.title, article.by) == ("All about the lift", "m")
    assert [one.heading for one in article.sections][:2] == ["Its load", "How to book"]
    assert article.left_out == ("Its colour",)
    assert "60 tonnes" in article.sections[0].text
    check_citations(desk, article)
    assert len(Writer.asked) == 4
    assert all("7731" not in one for one in Writer.asked)
    assert article.tokens.read == 4000


@pytest.mark.parametrize("reply", ["I would rather not.", "", "1. no bar here", "1. | ?"])
def test_without_an_outline_the_documents_own_is_written(
    modelled: Callable[..., Desk], monkeypatch: pytest.MonkeyPatch, reply: str
) -> None:
    monkeypatch.setattr(Writer, "outline", reply)
    article = modelled().as_caller(["public"]).write(TOPIC)
    assert article.sections
    assert article.title == "The boat lift"


def test_all_sections_come_out_of_one_budget(modelled: Callable[..., Desk]) -> None:
    desk = modelled(max_price="0.006")
    with pytest.raises(LimitError, match="may cost up to"):
        desk.write(TOPIC)
    assert 0 < len(Writer.asked) < 4


def test_the_verb_and_the_route_give_the_same(desk: Desk, yonder: Callable[..., Ran]) -> None:
    options = ("--sections", "2", "--audience", "public")
    told = yonder("ask", "--long", TOPIC, *options, "--json", cwd=desk.folder).json
    body = {"text": TOPIC, "sections": 2}
    with TestClient(app(desk, allow_visitors=True), base_url="http://localhost") as client:
        replied = client.post("/articles", json=body)
        assert client.post("/articles", json={**body, "sections": 99}).status_code == 422
    assert replied.status_code == 200
    assert replied.json()["text"] == told["text"]
    assert [one["heading"] for one in told["sections"]] == [
        one["heading"] for one in replied.json()["sections"]
    ]
    shown = yonder("ask", "--long", TOPIC, *options, "--voices", "Ann,Ben", cwd=desk.folder)
    assert "Ann: The boat lift. First: " in shown.out
    assert yonder("ask", TOPIC, "--sections", "2", cwd=desk.folder).status == 2
    assert yonder("ask", "--long", TOPIC, "--steps", cwd=desk.folder).status == 2
    awaited = asyncio.run(AsyncDesk(desk.as_caller(["public"])).write(TOPIC, sections=2))
    assert awaited.text == told["text"]


LINES = st.lists(
    st.sampled_from(
        ["Title: x", "# y", "1. A | B?", "2. | ", "3. C | " + "d" * 300, "", "| |", "9"]
    )
)


@given(LINES, st.integers(1, 3))
def test_any_reply_is_read_and_no_more_than_wanted(lines: list[str], most: int) -> None:
    found = outline_in("\n".join(lines), most)
    assert found is None or 0 < len(found.parts) <= most
    for heading, question in found.parts if found else ():
        assert heading
        assert question


@given(st.lists(st.text(max_size=40), min_size=1, max_size=4), st.integers(1, 4))
def test_any_statements_make_a_script(texts: list[str], voices: int) -> None:
    statements = tuple(Statement(text, BlockKind.ITEM, "en", (1,), 1.0) for text in texts)
    lines = script_of("T", [ArticleSection("H", "", statements)], [f"v{n}" for n in range(voices)])
    assert lines[0].voice == "v0"
    assert all(line.text for line in lines)


def test_a_mark_that_cites_nothing_stays_as_it_is() -> None:
    answer = Answer("q", "see [7]", (), (), AnswerStatus.ANSWER, 1.0)
    sections, citations = join_sections([("H", answer)])
    assert (sections[0].text, citations) == ("see [7]", ())
