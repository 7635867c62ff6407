"""Scores against independent computations, and the pieces an answer is judged by."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from yonder_lantern import Desk
from yonder_lantern.answer.answer_type import (
    AnswerType,
    amounts_in,
    answer_type,
    codes_in,
    has_answer_type,
    in_range,
)
from yonder_lantern.answer.units import units_of
from yonder_lantern.conversation import full_question
from yonder_lantern.core import Caller, ResolvedQuery, SearchResult
from yonder_lantern.search import analyser_for, find, parse_query
from yonder_lantern.settings import FindSettings, WeightSettings
from yonder_lantern.text import Analyser

MakeDesk = Callable[..., Desk]


def test_lexical_scores_are_those_of_the_formula(demo: Path) -> None:
    """BM25 by the book, over texts taken back out of the index."""
    desk = Desk.open(demo, record=False)
    snapshot = desk.snapshot()
    documents = snapshot.store.documents(snapshot.live_rows())
    passages = {}
    english = Analyser("en")
    from yonder_lantern.ingest.passages import context_header, cut

    for document in documents.values():
        if document.valid_until is not None:
            continue
        for passage in cut(document, tokens=180, overlap=30):
            header = context_header(document, passage.block, passage.start)
            text = document.text[passage.start : passage.end]
            terms = Counter(english.terms(text) + english.terms(header))
            passages[document.id, passage.start] = terms
    mean = sum(sum(terms.values()) for terms in passages.values()) / len(passages)
    for question in ("Where is valve V-3?", "landing dues on fish", "how to moor a visiting yacht"):
        asked = parse_query(question, ["en"], most=1000).terms
        expected = {}
        for key, terms in passages.items():
            score = 0.0
            for term, weight in asked.items():
                holding = sum(term in other for other in passages.values())
                rarity = math.log(1 + (len(passages) - holding + 0.5) / (holding + 0.5))
                length = sum(terms.values())
                share = terms[term] * 2.2 / (terms[term] + 1.2 * (0.25 + 0.75 * length / mean))
                score += weight * rarity * share
            if score:
                expected[key] = score
        alone = Desk.open(demo, settings={"find.join": False}, record=False)
        hits = alone.find(question, limit=500, stage="lexical")
        assert [hit.score for hit in hits] == sorted((hit.score for hit in hits), reverse=True)
        found = {(hit.document, hit.start): hit.breakdown.stages[0].score for hit in hits}
        assert found == pytest.approx(expected)


def test_vector_scores_are_cosines_and_the_fused_score_their_weighted_sum(demo: Path) -> None:
    desk = Desk.open(demo, record=False)
    snapshot = desk.snapshot()
    assert snapshot.embedding is not None
    (opened,) = snapshot.segments
    assert opened.vectors is not None
    own = opened.vectors.rows(np.arange(len(opened.vectors)))
    lengths = np.linalg.norm(own, axis=1)
    assert np.allclose(lengths[lengths > 0], 1, atol=1e-5)
    question = "When is the fuel berth open?"
    terms = parse_query(question, ["en"], most=1000).terms
    vector = snapshot.embedding.question(question, terms)
    settings = FindSettings(
        lexical_weight=0.3,
        document_share=0.0,
        reading_weight=0.0,
        weights=WeightSettings.none(),
        join=False,
    )
    result = find(snapshot, settings, ResolvedQuery(question, limit=30))
    best = {stage.stage: stage.best for stage in result.hits[0].breakdown.stages}
    for hit in result.hits:
        lexical, vectors = hit.breakdown.stages
        expected = 0.3 * lexical.score / best["lexical"] + 0.7 * vectors.score / best["vector"]
        assert hit.score == pytest.approx(expected)
    seen = snapshot.passages_of(snapshot.visible_documents(Caller(), Caller().at()))
    cosines = np.where(seen, own @ vector, -1.0)
    nearest = int(np.argmax(cosines))
    assert best["vector"] == pytest.approx(float(cosines[nearest]), abs=2e-6)
    alone = find(snapshot, settings, ResolvedQuery(question, limit=1, stage="vector")).hits[0]
    row, start = opened.segment.documents[opened.segment.passages[nearest, 0], 0], nearest
    assert alone.document == snapshot.store.ids([int(row)])[int(row)]
    assert alone.start == int(opened.segment.passages[start, 1])


@pytest.mark.parametrize(
    ("question", "kind", "yes", "no"),
    [
        ("How long does an offer stand?", AnswerType.DURATION, "for 14 days", "at the office"),
        ("How often is it read?", AnswerType.FREQUENCY, "every six months", "in six months"),
        ("When does it open?", AnswerType.DATE, "at 06:30", "in the hall"),
        ("What does a yacht pay?", AnswerType.MONEY, "27.00", "by the night"),
        ("How many berths are there?", AnswerType.NUMBER, "twelve of them", "some of them"),
        ("When was it built?", AnswerType.PAST, "in 1905", "on Mondays"),
        ("How old is it?", AnswerType.AGE, "the eldest is 87", "it is old"),
        ("How far ahead must I ask?", AnswerType.DURATION, "two weeks ahead", "every two weeks"),
        ("How many steps has it?", AnswerType.NUMBER, "142 steps", "some steps"),
        ("How long is a swim?", AnswerType.TIME_OR_LENGTH, "it takes a day", "two tides a day"),
        ("Where is the pump?", AnswerType.LOCATION, "behind the Fish Quay", "it is broken"),
        ("Wo steht die Pumpe?", AnswerType.LOCATION, "neben dem Turm", "sie ist kaputt"),
        ("Why was it shut?", AnswerType.REASON, "because of the wind", "on Monday"),
        ("Who pays when fuel leaks?", AnswerType.PERSON, "anybody", ""),
        ("Who pays?", AnswerType.PERSON, "anybody", ""),
        ("What colour is the boat?", AnswerType.COLOUR, "it is light blue", "it is light"),
        ("What is the phone number?", AnswerType.TELEPHONE, "ring 01632 960 100", "ring us on 16"),
        ("What is your mail address?", AnswerType.MAIL, "desk@port.example", "the port's desk"),
        ("What is the licence number?", AnswerType.MARK, "it is TB-14", "it is valid"),
        ("What happens when it leaks?", AnswerType.ANYTHING, "yes", ""),
        ("Can I pay later?", AnswerType.ANYTHING, "yes", ""),
    ],
)
def test_what_is_asked_for_is_told_by_the_question(
    question: str, kind: AnswerType, yes: str, no: str
) -> None:
    assert answer_type(question) is kind
    assert has_answer_type(kind, yes)
    assert not no or not has_answer_type(kind, no)


def test_codes_amounts_and_ranges() -> None:
    assert codes_in("valve V-3, form F-17, error E14, byelaw 23A, in 2026") == {
        "v-3",
        "f-17",
        "e14",
        "23a",
    }
    assert amounts_in("a 9 metre yacht, 2.5 t") == [(9.0, "m"), (2.5, "t")]
    nine = amounts_in("a yacht of 9 metres")
    assert in_range(nine, "| over 8 m, up to 10 m | 27.00 |") == 1
    assert in_range(nine, "| up to 8 m | 21.00 |") == 0
    assert in_range(nine, "| over 18 m, each further metre | 4.60 |") == 0
    assert in_range(nine, "| over 8 t, up to 10 t |") == 0.5
    assert in_range([], "| over 8 m, up to 10 m |") == 0.5


@pytest.mark.parametrize(
    ("question", "leans"),
    [
        ("And in winter?", True),
        ("What about larger ones?", True),
        ("How long is it?", True),
        ("And what does the pilot cost for a ship of 75 metres?", True),
        ("Where can I buy ice on the quay?", False),
        ("What does a mooring in the river cost each year?", False),
    ],
)
def test_a_question_leans_on_the_turn_before_when_it_must(question: str, leans: bool) -> None:
    assert bool(full_question(question, ["What does a yacht pay?"]).background) is leans
    assert full_question(question, []).background == ""


def findings_of(desk: Desk, question: str) -> SearchResult:
    return find(desk.snapshot(), FindSettings(), ResolvedQuery(question, limit=8))


def test_units_are_whole_and_know_what_stands_over_them(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {
            "a.html": "<h1>Counter</h1><dl><dt>Do you take cash?</dt><dd>Not any longer.</dd></dl>"
            "<p>Bring with you:</p><ul><li>a drawing;</li><li>proof of insurance.</li></ul>"
            "<table><tr><th>What</th><th>Charge</th></tr><tr><td>Ice</td><td>61</td></tr></table>"
            "<pre>pay(61)\nthank()</pre><p>Come early. Doors close at nine.</p>",
        }
    )
    desk.gather()
    units = {
        unit.text: unit
        for unit in units_of(findings_of(desk, "cash ice bring doors"), analyser_for)
    }
    assert list(units) == [
        "Not any longer.",
        "Bring with you:",
        "a drawing;",
        "proof of insurance.",
        "Ice | 61",
        "pay(61)\nthank()",
        "Come early.",
        "Doors close at nine.",
    ]
    assert {"take", "cash"} <= units["Not any longer."].above
    assert "bring" in units["proof of insurance."].above
    assert {"charg", "counter"} <= units["Ice | 61"].above
    assert units["Doors close at nine."].beside == {"come", "earli"}


def test_words_of_the_turn_before_and_parts_of_codes_count_less() -> None:
    terms = parse_query("And V-3?", ["en"], most=100, background="Where is the pump PU-4?").terms
    assert terms == {
        "pump": 0.5,
        "pu-4": 0.5,
        "pu": 0.15,
        "4": 0.15,
        "v-3": 1.0,
        "v": 0.3,
        "3": 0.3,
    }
    asking = parse_query("What does UKC mean?", ["en"], most=100).terms
    assert asking == {"ukc": 1.0, "mean": 0.3}
