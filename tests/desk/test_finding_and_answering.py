"""Finding, answering and talking, on the demo."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Callable
from pathlib import Path

import pytest

from yonder_lantern import Desk, Query
from yonder_lantern.answer import Composer
from yonder_lantern.answer.lead_in import with_lead_ins
from yonder_lantern.answer.write_answer import pieces_of
from yonder_lantern.conversation import full_question
from yonder_lantern.core import (
    Answer,
    BlockKind,
    CallError,
    IndexStateError,
    LimitError,
)
from yonder_lantern.evaluation import load_questions

MakeDesk = Callable[..., Desk]


@pytest.fixture(scope="module")
def desk(demo: Path) -> Desk:
    return Desk.open(demo, record=False)


def check_answer(desk: Desk, answer: Answer) -> None:
    """What holds of every answer: it stands, word for word, in what it cites, or is worked out."""
    assert 0 <= answer.support <= 1
    if answer.declined:
        assert not answer.citations
        assert answer.support < desk.settings.answer.min_support
        return
    if not answer.answered:
        assert answer.support >= desk.settings.answer.min_excerpt_support
        assert not answer.statements
    assert [citation.number for citation in answer.citations] == list(
        range(1, len(answer.citations) + 1)
    )
    rest = answer.text
    for citation in answer.citations:
        document = desk.document(citation.document)
        assert document is not None
        assert document.version == citation.version
        assert document.text[citation.start : citation.end] == citation.quote
        assert f"[{citation.number}]" in answer.text
    for statement in answer.statements:
        assert statement.citations
        for number in statement.citations:
            citation = answer.citations[number - 1]
            document = desk.document(citation.document)
            assert document is not None
            if statement.formula:
                numbers = [float(n) for n in re.findall(r"\d+(?:\.\d+)?", statement.formula)]
                held = {float(n) for n in re.findall(r"\d+(?:\.\d+)?", document.text)}
                assert held.issuperset(numbers[:2])
            else:
                assert citation.quote == statement.text
        said = [statement.text]
        if not statement.formula:
            (citation,) = (answer.citations[number - 1] for number in statement.citations)
            document = desk.document(citation.document)
            assert document is not None
            said = [one.text for one in pieces_of(document, citation.start, citation.end)]
        for text in said:
            words = text.rstrip("|").rstrip()
            assert words in rest
            rest = rest.split(words, 1)[1]


def test_every_score_is_the_sum_of_its_account(desk: Desk) -> None:
    for question in load_questions(desk.folder / "questions.jsonl").questions[::4]:
        hits = desk.find(question.question, limit=20)
        assert [hit.rank for hit in hits] == list(range(1, len(hits) + 1))
        assert [hit.score for hit in hits] == sorted((hit.score for hit in hits), reverse=True)
        for hit in hits:
            parts = [part.share for part in (*hit.breakdown.stages, *hit.breakdown.features)]
            total = 0.0
            for share in parts:
                total += share
            assert hit.score == total
            document = desk.document(hit.document)
            assert document is not None
            assert document.text[hit.start : hit.end] == hit.text
            for stage in hit.breakdown.stages:
                terms = sum(share.share for share in stage.terms)
                assert math.isclose(terms, stage.score, abs_tol=2e-6) or stage.rank is None


def test_a_code_is_found_by_itself(desk: Desk) -> None:
    assert "BL-60" in desk.find("BL-60", limit=1)[0].text
    assert "E14 stuck" in desk.find("E14", limit=1)[0].text
    assert "PU-3" in desk.find("PU-3", limit=1)[0].text


def test_the_same_question_has_the_same_hits_and_answer(desk: Desk) -> None:
    question = "What must a skipper do before the boat is lifted?"
    assert desk.find(question) == desk.find(question)
    assert desk.ask(question).text == desk.ask(question).text


def test_every_answer_on_the_demo_stands_in_what_it_cites(desk: Desk) -> None:
    answered = 0
    for question in load_questions(desk.folder / "questions.jsonl").questions:
        answer = desk.ask(
            question.question,
            audience=question.audience,
            as_of=question.as_of or "2026-11-01",
            earlier=question.turns,
        )
        check_answer(desk, answer)
        answered += answer.answered
        for citation in answer.citations:
            document = desk.document(citation.document)
            assert document is not None
            assert question.audience is None or document.audience & set(question.audience)
    assert answered > 40


@pytest.mark.parametrize(
    ("question", "said", "rows"),
    [
        ("How many berths do the pontoons A to F have together?", "252 in all", 2),
        ("How many people are on the waiting list for a berth altogether?", "133", 4),
        (
            "What is the average fare of an adult and a child for a single?",
            "2.25 crowns on aver",
            2,
        ),
        ("Which of the four places takes the longest vessel?", "Ropewalk Quay, 45 m (largest", 1),
        ("Which cargo berth is the deepest?", "Marl Dock east, 5 m (largest of", 1),
    ],
)
def test_what_rows_add_up_to_is_worked_out(desk: Desk, question: str, said: str, rows: int) -> None:
    answer = desk.ask(question)
    assert said in answer.text
    assert len(answer.citations) == rows
    check_answer(desk, answer)


def test_a_list_is_given_whole(desk: Desk) -> None:
    answer = desk.ask("What does an applicant for a trip boat licence have to show?")
    over, *items = [one.quote for one in answer.citations]
    assert over == "To get one you show:"
    assert [words[:2] for words in items] == ["1.", "2.", "3.", "4."]


def test_a_sentence_comes_with_the_one_it_leans_on(desk: Desk) -> None:
    result = desk.search("How soon is a complaint answered?")
    judged = Composer(desk.settings.answer, desk.snapshot().embedding).judge(result)
    text = "It is\nanswered within ten working days."
    one = next(one for one in judged if one.unit.text == text)
    before, own = (each.unit for each in with_lead_ins([one]))
    assert before.text.startswith("A complaint about the Trust goes first to")
    assert own.text.endswith("answered within ten working days.")
    assert before.end < own.start
    ready = Desk.open(desk.folder, settings={"answer.min_support": 0.3}, record=False)
    answer = ready.ask("How soon is a complaint answered?").text
    assert before.text in answer
    assert own.text in answer


def test_an_answer_from_a_table_carries_its_header_row(desk: Desk) -> None:
    answer = desk.ask("What are the landing dues on fish?", as_of="2026-10-01")
    assert answer.statements[0].kind is BlockKind.ROW
    assert answer.text.startswith(
        "| Item | Charge |\n|---|---|\n| Landing dues on fish | 2.50 per cent of value [1] |"
    )
    assert answer.citations[0].document == "tariffs/tariff-2026.md"
    assert answer.citations[0].location.lines == (75, 75)


def test_what_comes_back_can_be_printed(desk: Desk) -> None:
    answer = desk.ask("What are the landing dues on fish?", as_of="2026-10-01")
    assert str(answer).endswith(
        "\n\n[1] tariffs/tariff-2026.md, Part 5: Goods and fish, line 75: "
        "“| Landing dues on fish | 2.50 per cent of value |”"
    )
    assert str(desk.find("BL-60", limit=1)[0]).startswith("1. certificates/LC-2603, row 4 (1.")
    assert str(desk.ask("How do I renew my passport?")).startswith("I found nothing I am sure of.")
    assert repr(desk).startswith("Desk('")


def test_code_stays_whole_and_in_a_fence(make_desk: MakeDesk) -> None:
    code = "def height(distance, sensor):\n    fall = sensor - distance\n\n    return fall"
    desk = make_desk(
        {
            "gauge.html": f"<h1>Gauge</h1><p>The height in Python:</p><pre>{code}</pre>",
            "other.md": "# Other\n\nThe quay is closed at night.",
        }
    )
    desk.gather()
    answer = Desk.open(desk.folder, settings={"answer.min_support": 0}).ask(
        "What does height return for distance and sensor?"
    )
    assert f"```\n{code}\n```\n[1]" in answer.text


def test_a_declined_answer_says_what_was_looked_for_and_what_came_closest(desk: Desk) -> None:
    answer = desk.ask("How do I renew my passport?")
    assert answer.declined
    assert answer.looked_for == ("renew", "passport")
    assert answer.missing == ("passport",)
    assert "handbook/pilotage.md" in [one.document for one in answer.nearest]
    assert "passport" in answer.text
    assert "handbook/pilotage.md" in answer.text


def test_the_threshold_is_a_setting(demo: Path) -> None:
    question = "How do I renew my passport?"
    generous = Desk.open(demo, settings={"answer.min_support": 0.0}, record=False)
    assert generous.ask(question).answered
    strict = {"answer.min_support": 1.0, "answer.min_excerpt_support": 0.0}
    question = "When does the fish auction start?"
    assert Desk.open(demo, settings=strict, record=False).ask(question).status == "excerpt"
    strict["answer.min_excerpt_support"] = 1.0
    assert Desk.open(demo, settings=strict, record=False).ask(question).declined


def test_restricted_documents_answer_only_their_readers(desk: Desk) -> None:
    question = "How much petty cash is in the safe?"
    assert "400 crowns" in desk.ask(question, audience=["crew"]).text
    public = desk.ask(question, audience=["public"])
    assert public.declined
    assert not [one for one in public.nearest if one.document.startswith(("crew/", "board/"))]
    with pytest.raises(CallError, match="audience is empty"):
        desk.ask(question, audience=[])


@pytest.mark.parametrize(
    ("question", "error"),
    [("", CallError), (" \n", CallError), ("x" * 100_000, LimitError)],
    ids=["empty", "blank", "long"],
)
def test_questions_that_make_no_sense_are_refused(
    desk: Desk, question: str, error: type[Exception]
) -> None:
    with pytest.raises(error):
        desk.ask(question)


def test_odd_questions_are_answered_or_declined_but_never_fail(desk: Desk) -> None:
    for question in ("?", "the of and", "🙂 🙂", "\x00", "F-", "a" * 3999, "'; DROP TABLE x; --"):
        check_answer(desk, desk.ask(question))


def test_asking_before_gathering_says_what_to_do(make_desk: MakeDesk) -> None:
    with pytest.raises(IndexStateError, match="nothing has been gathered") as caught:
        make_desk({"a.md": "text"}).ask("Anything?")
    assert "yonder gather" in caught.value.remedy


def test_a_trace_holds_what_was_searched_found_and_answered(make_desk: MakeDesk) -> None:
    desk = make_desk({"a.md": "# Quay\n\nThe quay closes at 22:00 each night."})
    desk.gather()
    answer = desk.ask("When does the quay close?", audience=["public"], as_of="2026-01-01")
    trace = desk.traces.last()
    assert trace["id"] == answer.trace
    assert trace["audience"] == ["public"]
    assert trace["as_of"].startswith("2026-01-01")
    assert {one["term"] for one in trace["searched"]} == {"quay", "close"}
    first = trace["hits"][0]
    assert first["document"] == "documents/a.md"
    assert sum(first["shares"].values()) == pytest.approx(first["score"], abs=1e-5)
    assert trace["answer"]["text"] == answer.text
    assert trace["milliseconds"]["whole"] > 0
    (file,) = (desk.folder / ".yonder" / "traces").iterdir()
    assert file.stat().st_mode & 0o077 == 0
    file.write_text(file.read_text() + '{"cut sho')  # killed while writing
    assert desk.traces.last()["id"] == answer.trace
    assert desk.traces.get(answer.trace)["id"] == answer.trace
    with pytest.raises(CallError, match="no trace"):
        desk.traces.get("nothing")


def test_a_trace_holds_every_search_that_a_question_took(make_desk: MakeDesk, yonder) -> None:
    files = {
        "a.md": "# Quay\n\nThe quay closes at 22:00 each night.",
        "b.md": "# Ferry\n\nThe ferry costs 4 crowns each way.",
    }
    desk = make_desk(files)
    desk.gather()
    parts = ["When does the quay close?", "what does the ferry cost?"]
    answer = desk.ask(f"{parts[0][:-1]}, and {parts[1]}", as_of="2026-01-01")
    assert "22:00" in answer.text
    assert "4 crowns" in answer.text
    further = desk.traces.last()["further"]
    assert [one["question"] for one in further] == parts
    best = [one["hits"][0]["document"] for one in further]
    assert best == ["documents/a.md", "documents/b.md"]
    shown = yonder("trace", "--last", cwd=desk.folder).out
    for one in further:
        assert f"Also searched: {one['question']}" in shown
    desk.ask(parts[0])
    assert desk.traces.last()["further"] == []


def test_a_follow_up_takes_the_turn_before_into_account(desk: Desk) -> None:
    before = "When does the ferry Jenny Wren run?"
    after = desk.ask("How many passengers does she carry?", earlier=[before])
    assert "She carries 12 passengers." in after.text
    alone = desk.search("How many passengers does she carry?")
    asked = desk.search("How many passengers does she carry?", earlier=[before])
    assert asked.terms.keys() - alone.terms.keys() >= {"ferri", "jenni", "wren"}
    assert str(full_question("Where is the fuel berth?", [before])) == "Where is the fuel berth?"
    assert str(full_question("What about it?", ["Is A open? And B?"])).startswith(
        "Is A open? And B?"
    )


def test_a_conversation_is_kept_and_can_be_resumed(make_desk: MakeDesk) -> None:
    desk = make_desk({"a.md": "# Quay\n\nThe quay closes at 22:00 in summer, 18:00 in winter."})
    desk.gather()
    conversation = desk.conversations.start()
    desk.talk("When does the quay close in summer?", conversation)
    again = Desk.open(desk.folder).conversations.resume()
    assert again == conversation
    _, turn = desk.talk("And in winter?", again)
    assert turn.rewritten == "When does the quay close in summer? And in winter?"
    kept = desk.conversations.resume(conversation.id)
    assert [one.question for one in kept.turns] == [
        "When does the quay close in summer?",
        "And in winter?",
    ]
    assert json.dumps(kept.turns[1].trace)
    with pytest.raises(CallError, match="no conversation 'x'"):
        desk.conversations.resume("x")


@pytest.mark.parametrize(
    ("question", "document", "location"),
    [
        ("How fast may vessels pass the barge Wrackline?", "plans/winter-works.pdf", "page 2"),
        ("Why did hoist HO-1 fail its test?", "certificates/LC-2604", "row 5"),
        ("How many moorings did the Wrackline break?", "recordings/storm-debrief.wav", "00:00:50"),
        ("What light does number 6 buoy show?", "plans/buoyage.json", "lines 23-28"),
        ("From whom is a permit for a drone?", "quick-answers/QA-3", "row 4"),
        ("Which form does the owner sign before a tow?", "plans/season-briefing.pptx", "slide 3"),
    ],
)
def test_every_kind_of_source_is_cited_by_a_place_to_go_to(
    demo: Path, question: str, document: str, location: str
) -> None:
    answering = Desk.open(demo, settings={"answer.min_support": 0.0}, record=False)
    (citation, *_) = answering.ask(question).citations
    assert citation.document == document
    assert location in str(citation.location)
    assert citation.checked


def test_a_query_and_a_text_with_its_parts_are_the_same(desk: Desk) -> None:
    query = Query("And in winter?", earlier=["When is the fuel berth open in summer?"], limit=3)
    parts = {"earlier": query.earlier, "limit": 3}
    assert desk.find(query) == desk.find(query.text, **parts)
    assert len(desk.find(query)) == 3
    assert len(desk.find(query, limit=1)) == 1
    assert desk.ask(query).text == desk.ask(query.text, **parts).text
    with pytest.raises(TypeError, match="audiences"):
        desk.find("berth", audiences=["public"])


def test_a_conversation_takes_what_a_question_takes(desk: Desk) -> None:
    conversation = desk.conversations.start()
    only = "source = 'handbook'"
    answer, _ = desk.talk("When is the fuel berth open?", conversation, where=only)
    assert {one.document.partition("/")[0] for one in answer.citations} == {"handbook"}
    earlier = ["When is the fuel berth open in summer?"]
    _, turn = desk.talk("And in winter?", desk.conversations.start(), earlier=earlier)
    assert turn.rewritten == "When is the fuel berth open in summer? And in winter?"
