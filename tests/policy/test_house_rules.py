"""House rules: what they find, and that it reaches nobody it should not."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Ran
from yonder_lantern import Cited, Desk, Finished, Piece
from yonder_lantern.core import SettingsError, YonderError
from yonder_lantern.platform.simulated.model import model_service
from yonder_lantern.policy import MASK, HouseRules, ready_pattern
from yonder_lantern.settings import HouseRuleSettings

MAIL, CARD = "yard@saltgarth.example", "4000 0000 0000 0002"
SLIPWAY = f"""# The slipway

The slipway is booked with the yard master at {MAIL}. It opens at 08:00 and closes at 20:00.

| Who | Mail of the slipway |
|---|---|
| yard | {MAIL} |
| office | office@saltgarth.example |
"""
PAY = "# Pay\n\nThe pilot earns 4,100 crowns a month.\n"


def rule(when: str, then: str, **more: str) -> str:
    lines = "".join(f'{key} = "{value}"\n' for key, value in more.items())
    return f'[[house_rule]]\nwhen = ["{when}"]\nthen = "{then}"\n{lines}'


def kept(desk: Desk) -> str:
    """All that is written down of questions asked."""
    folders = (desk.state / "traces", desk.state / "conversations")
    files = (path for own in folders for path in own.rglob("*") if path.is_file())
    return "".join(path.read_bytes().decode("utf-8", "replace") for path in files)


@pytest.fixture
def ruled(make_desk: Callable[..., Desk]) -> Callable[[str], Desk]:
    def made(rules: str) -> Desk:
        desk = make_desk({"a.md": SLIPWAY, "pay.md": PAY}, rules)
        desk.gather()
        return desk

    return made


@pytest.mark.parametrize(
    ("name", "text", "found"),
    [
        ("mail address", f"Write to {MAIL}.", [MAIL]),
        ("mail address", "At 5 @ the quay, or 3@4", []),
        ("telephone number", "Call (01632) 960 123, or 0044 1632 960123.",
         ["(01632) 960 123", "0044 1632 960123"]),
        ("telephone number", "On 2026-11-01, 01.11.2026 or at 08:00, 1,250.00 crowns, BL-60", []),
        ("card number", f"Card {CARD} and 4000-0000-0000-0003", [CARD]),
        (r"\bF-\d+", "Form F-17 or F17", ["F-17"]),
    ],
)  # fmt: skip
def test_the_ready_patterns(name: str, text: str, found: list[str]) -> None:
    assert [text[a:b] for a, b in ready_pattern(name)(text)] == found


@given(st.text(alphabet="ab@.x é\n|-1 ", max_size=80), st.sampled_from(["mask", "drop"]))
def test_a_rule_keeps_every_place(text: str, then: str) -> None:
    own = HouseRuleSettings(when=("asked",), pattern=r"a+b|@", then=then)  # type: ignore[arg-type]
    left = HouseRules([own]).applied(text).text
    assert len(left) == len(text)
    assert [c for c in left if c == "\n"] == [c for c in text if c == "\n"]
    assert "@" not in left
    assert "ab" not in left
    assert all(new in (old, MASK, " ") for old, new in zip(text, left, strict=True))


def test_an_answer_goes_out_masked_and_so_does_its_trace(ruled: Callable[[str], Desk]) -> None:
    desk = ruled(rule("answered", "mask", pattern="mail address"))
    answer = desk.ask("With whom is the slipway booked?")
    assert not answer.declined
    assert answer.rules == ("mail address",)
    assert "yard master at ██████" in answer.text
    assert "@" not in str(answer)
    assert "@" not in kept(desk)
    assert "@" in str(desk.document("documents/a.md"))  # the index has it as it was


def test_an_excerpt_goes_out_masked_without_marks_that_fit_no_more(
    ruled: Callable[[str], Desk],
) -> None:
    folder = ruled(rule("answered", "mask", pattern="mail address")).folder
    settings = {"answer.min_support": 1.0, "answer.min_excerpt_support": 0.0}
    answer = Desk.open(folder, settings=settings).ask("With whom is the slipway booked?")
    assert answer.status == "excerpt"
    assert "yard master at ██████" in answer.text
    assert "@" not in str(answer)
    (masked,) = (one for one in answer.citations if "██████" in one.quote)
    assert masked.question_words == ()


def test_a_sentence_is_dropped_with_its_citation(ruled: Callable[[str], Desk]) -> None:
    desk = ruled(rule("answered", "drop", pattern="mail address"))
    answer = desk.ask("With whom is the slipway booked, and when does it open?")
    assert "@" not in str(answer)
    assert "booked" not in answer.text
    assert answer.declined or all(f"[{one.number}]" in answer.text for one in answer.citations)


def test_a_question_is_declined_by_its_topic(
    ruled: Callable[[str], Desk], yonder: Callable[..., Ran]
) -> None:
    desk = ruled(rule("asked", "decline", topic="salary, wages", words="Not here."))
    answer = desk.ask("What does the pilot earn?")
    assert (answer.declined, answer.text, answer.citations) == (True, "Not here.", ())
    assert desk.find("What does the pilot earn?") == []
    assert not desk.ask("When does the slipway open?").rules
    ran = yonder("ask", "How much is the pilot's salary?", cwd=desk.folder)
    assert ran.status == 1
    assert "Not here." in ran.out
    assert "'salary, wages'" in ran.out


def test_what_a_question_says_is_not_written_down(ruled: Callable[[str], Desk]) -> None:
    desk = ruled(rule("asked", "mask", pattern="card number"))
    talk = desk.conversations.start()
    desk.talk(f"My card is {CARD}. When does the slipway open?", talk)
    desk.talk("And when does it close?", talk)
    assert "slipway" in kept(desk)
    assert CARD not in kept(desk)


def test_a_new_rule_reaches_what_was_gathered_before(ruled: Callable[[str], Desk]) -> None:
    desk = ruled("")
    desk.gather(items={"held.md": f"# Held\n\nThe keeper is {MAIL}.\n"})
    (desk.folder / "documents" / "a.md").write_text("x " * 9000)  # too large to be read
    (desk.folder / "yonder.toml").write_text(
        "[gather]\nmax_megabytes = 0.01\n"
        + rule("gathered", "mask", pattern="mail address")
        + rule("gathered", "decline", topic="salary", name="pay")
    )
    with Desk.open(desk.folder) as fresh:
        report = fresh.gather()
        assert report.notices == ["documents/pay.md: kept out by the house rule 'pay'"]
        assert fresh.document("documents/pay.md") is None
        texts = [str(fresh.document(id_)) for id_ in ("documents/a.md", "held/held.md")]
        assert all(MASK in text and "@" not in text for text in texts)
        assert all("@" not in hit.text for hit in fresh.find("slipway yard keeper"))


def test_what_is_sent_is_masked_and_cited_as_it_stands(ruled: Callable[[str], Desk]) -> None:
    with model_service() as address:
        rules = rule("sent", "mask", pattern="mail address")
        desk = ruled(f'[answer]\nmodel = "model.toml"\n\n{rules}')
        (desk.folder / "model.toml").write_text(f'address = "{address}"\n')
        question = f"With whom is the slipway booked, {MAIL}?"
        shown = desk.prompt(question)
        assert MASK in shown.question
        assert "@" not in shown.question
        answer = desk.ask("With whom is the slipway booked?")
    assert MASK in answer.text
    assert "@" not in answer.text
    assert MAIL in answer.citations[0].quote  # the model has not seen it; a reader may


def test_a_stream_shows_only_what_the_rules_passed(ruled: Callable[[str], Desk]) -> None:
    with model_service() as address:
        rules = rule("answered", "mask", pattern="mail address")
        desk = ruled(f'[answer]\nmodel = "model.toml"\n\n{rules}')
        (desk.folder / "model.toml").write_text(
            f'address = "{address}"\n[stream]\nframing = "events"\n'
        )
        events = list(desk.stream("With whom is the slipway booked?"))
    shown = "".join(one.text for one in events if isinstance(one, Piece))
    assert "yard master" in shown
    assert "@" not in shown
    assert all("@" not in one.citation.quote for one in events if isinstance(one, Cited))
    last = events[-1]
    assert isinstance(last, Finished)
    assert "@" not in json.dumps(str(last.answer))


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ('pattern = "("', "no regular expression"),
        ('pattern = "a*"', "fits everywhere"),
        ("", "either a pattern or a topic"),
        ('topic = "pay"\npattern = "x"', "either a pattern or a topic"),
        ('topic = "pay"\nwords = "x"', "only a rule that declines"),
    ],
)
def test_a_rule_that_makes_no_sense_is_refused(tmp_path: Path, line: str, said: str) -> None:
    (tmp_path / "yonder.toml").write_text(rule("asked", "mask") + line)
    with pytest.raises(SettingsError, match=said) as error:
        Desk.open(tmp_path)
    assert "house_rule" in str(error.value)


@pytest.mark.parametrize("when", ["gathered", "asked", "answered"])
def test_an_expression_without_end_is_given_up_and_named(
    make_desk: Callable[..., Desk], when: str
) -> None:
    endless = "a" * 60 + "b"
    rules = "[gather]\nseconds_per_item = 8\n\n" + rule(
        when, "mask", pattern="(a|aa)+x", name="the shouted"
    )
    desk = make_desk({"a.md": f"# Shouts\n\nThe {endless} is shouted at the quay."}, rules)
    began = time.perf_counter()
    report = desk.gather()
    assert report.failed == (when == "gathered")
    if when == "gathered":
        assert "the shouted" in str(report.problems[0])
    else:
        with pytest.raises(YonderError, match="the shouted"):
            desk.ask(f"Who shouts {endless} at the quay?")
    assert time.perf_counter() - began < 60


@pytest.mark.parametrize("name", ["mail address", "telephone number", "card number"])
@pytest.mark.parametrize("piece", ["a", "a.", "@", "a@", "1", "1 ", "(0", "+1", "0-", "4 "])
def test_the_ready_patterns_take_time_in_proportion(name: str, piece: str) -> None:
    def took(pieces: int) -> float:
        text = piece * pieces
        began = time.process_time()
        for _ in ready_pattern(name)(text):
            pass
        return time.process_time() - began

    small, large = (min(took(n) for _ in range(3)) for n in (10_000, 80_000))
    assert large < 0.01 or large < 8 * small * 3  # quadratic would be sixty-four times as long


def test_what_is_asked_back_and_what_came_close_keep_to_the_rules(
    make_desk: Callable[..., Desk],
) -> None:
    table = (
        f"# Yards\n\n| Mail | Place |\n|---|---|\n| {MAIL} | slip |\n| b@yard.example | slip |\n"
    )
    desk = make_desk({"yards.md": table}, rule("answered", "mask", pattern="mail address"))
    desk.gather()
    answer = desk.ask("Which place is the slip?")
    declined = desk.ask("Who paints the slip?")
    assert declined.declined
    told = (*answer.choices, answer.text, declined.text, *(one.quote for one in declined.nearest))
    assert not any("@" in words for words in told)


@pytest.mark.parametrize("then", ["mask", "drop"])
def test_the_turn_and_the_trace_agree_on_what_a_question_became(
    ruled: Callable[[str], Desk], then: str
) -> None:
    desk = ruled(rule("asked", then, pattern="mail address"))
    conversation, own = desk.conversations.start(), "skipper@cutter.example"
    for question in (
        f"When does the slipway open? My mail is {own}.",
        f"And when does it close? Write to {own}.",
        own,
    ):
        answer, turn = desk.talk(question, conversation)
        assert turn.rewritten == desk.traces.get(answer.trace)["rewritten"]
        assert own not in turn.rewritten
    assert own not in kept(desk)
