"""Statements that a model reads: kept where the words say so, once a version, and withdrawn."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import ClassVar

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import WITH_CREW, Ran
from yonder_lantern import Desk
from yonder_lantern.core import Block, BlockKind, CallError, Document, LimitError, Origin
from yonder_lantern.knowledge import proposed_in
from yonder_lantern.platform.simulated.http_services import JsonHandler, served

MakeDesk = Callable[..., Desk]
TEXT = "Whoever sails the Teasel pays the lamp due, which Mira Tarn collects at the Mole."
FILES = {"teasel.md": f"# Boats\n\n{TEXT}\n", "cat.md": "# Cat\n\nThe cat sleeps.\n"}


class Reading(JsonHandler):
    """Replies with the same statements whatever it is shown."""

    reply_text = (
        "Teasel | pays | lamp due\n1. Mira Tarn | collects at | Mole\n"
        "Teasel | belongs to | Mira Tarn\nTeasel | pays | 90 crowns\nno statement\n| | |\n"
    )
    shown: ClassVar[list[str]] = []

    def do_POST(self) -> None:
        """Reply to a prompt."""
        self.shown.append(json.loads(self.body())["question"])
        self.reply(200, {"text": self.reply_text, "tokens": {"read": 500, "written": 50}})


@pytest.fixture
def desk(make_desk: MakeDesk) -> Iterator[Desk]:
    Reading.shown.clear()
    with served(Reading, 0) as address:
        model = f'[answer]\nmodel = {{ address = "{address}", name = "m" }}\n'
        made = make_desk(FILES, f"{model}{WITH_CREW}")
        (made.folder / "crew").mkdir()
        (made.folder / "crew" / "code.md").write_text(
            "# Code\n\nNobody but the crew knows that the Teasel pays the lamp due twice.\n"
        )
        made.gather()
        yield made


def told(desk: Desk, name: str) -> set[tuple[str, str, str]]:
    return {(one.relation, one.object, one.way) for one in desk.entity(name).says}


def test_what_the_words_say_is_kept_and_what_they_do_not_is_not(
    desk: Desk, yonder: Callable[..., Ran]
) -> None:
    ran = yonder("look", "--by-model", cwd=desk.folder)
    assert ran.out == "Read by the model: 3 documents, 3 statements kept\n"
    assert len(Reading.shown) == 3
    again = yonder("look", "--by-model", "--json", cwd=desk.folder)
    assert json.loads(again.out) == {"documents": 0, "statements": 0}
    shown = yonder("look", "--by-model", "--entity", "Mira Tarn", cwd=desk.folder)
    assert "collects at: Mole" in shown.out
    assert told(desk, "Mira Tarn") == {("collects at", "Mole", "model")}
    assert told(desk.as_caller(["public"]), "Teasel") == {("pays", "lamp due", "model")}
    (one,) = desk.as_caller(["public"]).entity("Teasel").says
    document = desk.document(one.document)
    assert document is not None
    assert document.text[one.start : one.end] == "Teasel pays the lamp due"
    assert len(desk.entity("Teasel").says) == 2
    assert desk.read_by_model() == (0, 0)  # each version once
    assert len(Reading.shown) == 3


def test_a_changed_document_withdraws_what_the_model_read(desk: Desk) -> None:
    desk.read_by_model()
    (desk.folder / "documents" / "teasel.md").write_text("# Boats\n\nThe Teasel was sold.\n")
    desk.gather()
    card = desk.as_caller(["public"]).entity("Teasel")
    assert not [one for one in card.says if one.way == "model"]
    assert [one.object for one in card.earlier] == ["lamp due"]
    assert desk.read_by_model() == (1, 0)
    (desk.folder / "documents" / "teasel.md").unlink()
    desk.gather()
    assert not [one for one in desk.entity("Teasel").says if one.document.startswith("documents/")]


def test_what_is_gathered_anew_while_it_is_read_is_left_for_the_next_time(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    post = Reading.do_POST

    def gathered_meanwhile(self: Reading) -> None:
        monkeypatch.setattr(Reading, "do_POST", post)
        for name in FILES:
            (desk.folder / "documents" / name).write_text("# Boats\n\nThe Teasel was sold.\n")
        other = Desk.open(desk.folder)
        other.gather()
        with other.knowledge() as known:
            known.update()
        post(self)

    monkeypatch.setattr(Reading, "do_POST", gathered_meanwhile)
    assert desk.read_by_model() == (1, 1)  # the crew's, which has not changed
    public = Desk.open(desk.folder).as_caller(["public"])
    with pytest.raises(CallError, match="nothing is said"):
        public.entity("Teasel")
    assert Desk.open(desk.folder).read_by_model() == (2, 0)


def test_a_title_that_a_rule_keeps_back_is_not_sent(desk: Desk) -> None:
    settings = desk.folder / "yonder.toml"
    rule = '\n[[house_rule]]\nwhen = ["sent"]\npattern = "Boats"\nthen = "mask"\n'
    settings.write_text(settings.read_text() + rule)
    Desk.open(desk.folder).read_by_model()
    assert not [shown for shown in Reading.shown if "Boats" in shown]
    assert len(Reading.shown) == 3


def test_it_needs_a_model_the_owner_and_money(desk: Desk) -> None:
    with pytest.raises(CallError, match="only the desk's owner"):
        desk.as_caller(["public"]).read_by_model()
    settings = desk.folder / "yonder.toml"
    priced = settings.read_text().replace(
        'name = "m" }', 'name = "m", price = { read = "9", written = "9" } }\nmax_price = "0.00001"'
    )
    settings.write_text(priced)
    with pytest.raises(LimitError):
        Desk.open(desk.folder).read_by_model()
    assert not Reading.shown
    settings.write_text("")
    with pytest.raises(CallError, match="no model reads"):
        Desk.open(desk.folder).read_by_model()


def document_of(text: str) -> Document:
    blocks = (Block(BlockKind.PARAGRAPH, 0, len(text)),)
    named = ("a/b", "a", "b", "v", "t", "en", "text")
    return Document(*named, text, blocks, Origin(), {}, frozenset(["public"]))


def test_what_a_sentence_denies_or_two_only_say_together_is_not_kept() -> None:
    text = (
        "Visitors may not berth at the Mole. The Teasel doesn't leave the Mole. The crane lifts "
        "boats. The Cradle stands by the slip."
    )
    reply = (
        "Visitors | may berth at | Mole\nTeasel | leave | Mole\ncrane | stands by | slip\n"
        "Visitors | may not berth at | Mole\nCradle | stands by | slip\n"
    )
    kept = [(one.subject, one.relation) for one in proposed_in(reply, document_of(text), 0, 999)]
    assert kept == [("Visitors", "may not berth at"), ("Cradle", "stands by")]


LINES = st.lists(st.sampled_from(["Teasel | pays | due", "a|b|c", "||", "x", "Mole | at | Teasel"]))


@given(LINES, st.text(max_size=80))
def test_whatever_is_proposed_stands_where_it_says(lines: list[str], more: str) -> None:
    text = f"The Teasel pays the due at the Mole. {more}"
    for one in proposed_in("\n".join(lines), document_of(text), 0, len(text)):
        words = text[one.start : one.end].casefold()
        assert one.subject.casefold() in words
        assert one.object.casefold() in words
