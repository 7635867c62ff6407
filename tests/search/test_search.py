"""What a question becomes, how passages are ranked, and why one is not found."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern import Desk
from yonder_lantern.core import (
    Block,
    BlockKind,
    CallError,
    Document,
    Origin,
    QuestionSetError,
    ResolvedQuery,
)
from yonder_lantern.evaluation.fitting.tune_ranking import Candidates, case_of, ndcg_of, tune
from yonder_lantern.evaluation.measures.ranking import Ranked, rank_measures
from yonder_lantern.evaluation.questions.question_set import Question, Span
from yonder_lantern.ingest.passages import cut
from yonder_lantern.ingest.passages.cut_as_set import cut_as_set
from yonder_lantern.search import begin_search
from yonder_lantern.search.features import longest_run, nearness
from yonder_lantern.search.visible_vocabulary import distance
from yonder_lantern.settings import PassageSettings
from yonder_lantern.text import (
    Analyser,
    explained_abbreviations,
    key_terms,
    tokenize,
    written_dates,
)

MakeDesk = Callable[..., Desk]
HARBOUR = {
    "control.md": "# Control\n\nThe vessel traffic service (VTS) answers day and night. "
    "Masters call before they pass the outer buoy.",
    "slip.md": "# Slipway\n\nThe slipway is closed from 3 May 2026 for repairs. "
    "Boats launch from the beach.",
    "old.md": "# Old slipway\n\nBoats of the slipway club launch in summer. Repairs are rare.",
    "crew.md": "---\naudience: [crew]\n---\n# Crew\n\nThe night watch keeper (NWK) has the keys. "
    "The quartermaster counts them.",
    "ask.md": "# Questions\n\nWhen is the slipway closed? Who answers at night? Where do boats "
    "launch? Is the beach free?",
}
SETTINGS = (
    '[[source]]\nname = "notes"\nfolder = "documents"\naudience = ["public", "crew"]\n\n'
    '[find.glossary]\nHM = "harbour master"\n'
)


@pytest.fixture
def harbour(make_desk: MakeDesk) -> Desk:
    desk = make_desk(HARBOUR | {"hm.md": "# Office\n\nAsk the harbour master."}, SETTINGS)
    desk.gather()
    return desk


def test_an_abbreviation_finds_its_long_form_and_the_other_way_round(harbour: Desk) -> None:
    found = harbour.search("Who is the VTS?")
    assert found.other_forms == {"VTS": ("vessel traffic service",)}
    assert {"vessel", "traffic", "servic"} <= found.terms.keys()
    assert harbour.search("the vessel traffic service").other_forms
    assert harbour.find("Where is the HM?", limit=1)[0].document == "notes/hm.md"
    assert harbour.search("Who is the NWK?").other_forms
    assert not harbour.search("Who is the NWK?", audience=["public"]).other_forms


@pytest.mark.parametrize(
    ("question", "read_as"),
    [
        ("Where is the slipwya?", {"slipwya": "slipway"}),  # swapped
        ("Is the beech free?", {"beech": "beach"}),  # replaced
        ("Is the slipway clozed?", {"clozed": "closed"}),
        ("Is the passport free?", {}),  # no word is near
        ("Is the preach free?", {}),  # another first letter
        ("What does VHF mean?", {}),  # too short to tell
    ],
)
def test_only_unknown_words_are_repaired(
    harbour: Desk, question: str, read_as: dict[str, str]
) -> None:
    assert harbour.search(question).read_as == read_as


def test_spelling_tells_nothing_of_what_a_caller_may_not_see(harbour: Desk) -> None:
    assert harbour.search("the quatermaster").read_as == {"quatermaster": "quartermaster"}
    assert harbour.search("the quatermaster", audience=["public"]).read_as == {}
    plain = Desk.open(harbour.folder, settings={"find.spelling": False})
    assert plain.search("the slipwya").read_as == {}


def test_words_in_quotation_marks_must_stand_as_they_are(harbour: Desk) -> None:
    found = harbour.search('Which "boats launch" is it?')
    assert found.phrases == {"boats launch": 2}
    assert {hit.document for hit in found.hits} == {"notes/slip.md", "notes/ask.md"}
    nowhere = harbour.search('the "launch boats"')
    assert nowhere.phrases == {"launch boats": 0}
    assert nowhere.hits


def test_a_date_is_found_however_it_is_written(harbour: Desk) -> None:
    for written in ("2026-05-03", "May 3rd, 2026", "03.05.2026"):
        hit = harbour.find(f"closed {written}", limit=1)[0]
        assert hit.document == "notes/slip.md"
        assert "2026-05-03" in {share.term for share in hit.breakdown.stages[0].terms}


def test_what_only_asks_stands_below_what_tells(harbour: Desk) -> None:
    hits = [hit.document for hit in harbour.find("When is the slipway closed?")]
    assert hits.index("notes/slip.md") < hits.index("notes/ask.md")


def test_why_not_adds_up_and_says_what_is_missing(harbour: Desk) -> None:
    told = harbour.explain("When is the slipway closed?", "notes/hm.md", limit=2)
    assert told.allowed
    assert set(told.missing) == {"slipway", "closed"}
    parts = [*told.breakdown.stages, *told.breakdown.features]
    assert sum(part.share for part in parts) == pytest.approx(told.breakdown.score, abs=1e-12)
    assert told.rank is not None
    assert told.rank > 2
    first = harbour.explain("When is the slipway closed?", "notes/slip.md")
    assert first.rank == 1
    hit = harbour.find("When is the slipway closed?", limit=1)[0]
    assert first.breakdown.score == pytest.approx(hit.score)
    assert any(one.in_query == "slipway" and one.in_passage == "slipway" for one in first.nearest)
    left_out = harbour.explain("slipway", "notes/slip.md", where="title = 'Office'")
    assert not left_out.allowed
    assert left_out.rank is None
    with pytest.raises(CallError, match=r"no passage 'notes/crew\.md'"):
        harbour.explain("keys", "notes/crew.md", audience=["public"])


def test_one_stage_alone_gives_its_own_scores(harbour: Desk) -> None:
    lexical = harbour.find("slipway repairs", stage="lexical")
    assert [len(hit.breakdown.stages) for hit in lexical] == [1] * len(lexical)
    assert lexical[0].score == 1
    vector = harbour.find("slipway repairs", stage="vector")
    assert {stage.stage for hit in vector for stage in hit.breakdown.stages} == {"vector"}
    assert not any(hit.breakdown.features for hit in vector)


def test_what_is_like_a_passage_is_found_without_itself(harbour: Desk) -> None:
    hits = harbour.find("", similar_to="notes/slip.md", stage="vector")
    assert hits
    assert all(hit.document != "notes/slip.md" for hit in hits)
    with pytest.raises(CallError, match="no passage"):
        harbour.find("", similar_to="notes/crew.md", audience=["public"])


def test_touching_passages_are_joined_and_neighbours_shown(make_desk: MakeDesk) -> None:
    lines = [f"Gauge {n} stood at {n} metres when the tide turned at the quay." for n in range(12)]
    desk = make_desk(
        {"log.md": "# Log\n\n" + "\n\n".join(lines)}, "[passages]\ntokens = 30\noverlap = 5\n"
    )
    desk.gather()
    joined = desk.find("tide at the quay", limit=3)
    assert any(hit.joined for hit in joined)
    for hit in joined:
        assert len(hit.joined) <= 3
        assert hit.start == min([hit.start, *(start for start, _ in hit.joined)])
    apart = Desk.open(desk.folder, settings={"find.join": False, "find.neighbours": 1})
    hits = apart.find("Gauge 6", limit=3)
    assert not any(hit.joined for hit in hits)
    text = (desk.folder / "documents" / "log.md").read_text()
    assert hits[0].before + hits[0].text + hits[0].after in text
    assert hits[0].before or hits[0].after
    one = Desk.open(desk.folder, settings={"find.join": False, "find.per_document": 1})
    assert len(one.find("tide at the quay", limit=5)) == 1


def test_what_says_the_same_many_times_hides_nothing_else(make_desk: MakeDesk) -> None:
    same = {f"same{n}.md": "# Quay\n\nThe quay closes at 22:00 each night." for n in range(70)}
    other = {f"other{n}.md": f"# Ferry\n\nThe ferry calls at quay {n}." for n in range(3)}
    desk = make_desk(same | other)
    desk.gather()
    hits = desk.find("When does the quay close?", limit=4)
    assert len(hits) == 4
    assert len(hits[0].also) == 69


def test_a_stage_that_has_nothing_finds_nothing(make_desk: MakeDesk) -> None:
    text = {"a.md": "# Quay\n\nThe quay closes at 22:00."}  # too little to learn vectors from
    desk = make_desk(text, '[embedding]\nmethod = "latent"\n')
    desk.gather()
    assert desk.find("quay", stage="lexical")
    assert not desk.find("quay", stage="vector")


def test_what_has_nothing_to_do_with_a_question_is_not_found(make_desk: MakeDesk) -> None:
    desk = make_desk({"a.md": "# Quay\n\nThe quay closes at 22:00 and opens at 06:00."})
    desk.gather()
    assert not desk.find("zeppelin")
    found = desk.find("opening hours of the harbour wharf", stage="vector")
    assert [hit.document for hit in found] == ["documents/a.md"]


def test_fusion_by_ranks_adds_up_too(harbour: Desk) -> None:
    ranked = Desk.open(harbour.folder, settings={"find.fusion": "ranks"})
    for hit in ranked.find("Where do boats launch?"):
        total = 0.0
        for part in (*hit.breakdown.stages, *hit.breakdown.features):
            total += part.share
        assert hit.score == total


def test_a_long_document_is_looked_at_from_its_beginning_to_its_end(make_desk: MakeDesk) -> None:
    parts = [f"# Part {n}\n\n{'The crane lifts hull ' * 30}number {n}." for n in range(75)]
    desk = make_desk({"long.md": "\n\n".join(parts), "short.md": "# Quay\n\nThe quay is open."})
    desk.gather()
    search = begin_search(desk.snapshot(), desk.settings.find, ResolvedQuery("crane number 74"))
    layout = desk.snapshot().layout
    first, last = (own.tolist() for own in layout.bounds_of(np.arange(2)))
    assert max(last[0] - first[0], last[1] - first[1]) > 64
    question = search.vector._question
    assert question is not None
    for document, found in enumerate(search.vector.document_scores(np.arange(2))):
        count = last[document] - first[document]
        size = min(count, 32)
        chosen = [first[document] + n * (count - 1) // max(size - 1, 1) for n in range(size)]
        assert chosen[-1] == last[document] - 1
        rows = desk.snapshot().vectors(np.array(chosen))
        opening = desk.snapshot().vectors(np.array(chosen[:1]))
        assert rows is not None
        assert opening is not None
        mean = rows.sum(axis=0) @ question / np.linalg.norm(rows.sum(axis=0))
        assert found == pytest.approx((float(opening[0] @ question) + mean) / 2, abs=1e-5)


# -- what these rest on


@given(st.text("abcde", max_size=8), st.text("abcde", max_size=8))
def test_distance_is_what_a_plain_table_gives(one: str, other: str) -> None:
    table = np.zeros((len(one) + 1, len(other) + 1), dtype=int)
    table[:, 0] = np.arange(len(one) + 1)
    table[0] = np.arange(len(other) + 1)
    for i in range(1, len(one) + 1):
        for j in range(1, len(other) + 1):
            same = one[i - 1] == other[j - 1]
            table[i, j] = min(
                table[i - 1, j] + 1, table[i, j - 1] + 1, table[i - 1, j - 1] + (not same)
            )
            if i > 1 and j > 1 and one[i - 1] == other[j - 2] and one[i - 2] == other[j - 1]:
                table[i, j] = min(table[i, j], table[i - 2, j - 2] + 1)
    assert distance(one, other, 3) == min(int(table[-1, -1]), 4)


@given(
    st.lists(st.sampled_from("abcd"), max_size=12), st.lists(st.sampled_from("abcd"), max_size=5)
)
def test_features_of_nearness_stay_between_0_and_1(terms: list[str], asked: list[str]) -> None:
    order = list(dict.fromkeys(asked))
    assert 0 <= nearness(order, terms, dict.fromkeys("abcd", 1.0)) <= 1
    run = longest_run(order, terms)
    assert run in {0, *range(2, len(order) + 1)}
    text = " ".join(terms)
    assert not run or any(" ".join(order[at : at + run]) in text for at in range(len(order)))


@pytest.mark.parametrize(
    ("text", "pairs"),
    [
        ("the International Harbour Code (IHC) says", [("IHC", "International Harbour Code")]),
        ("a close-quarters situation (CQS).", [("CQS", "close-quarters situation")]),
        ("the gauge reads low (XYZ).", []),
        ("the crane (see page 3) is", []),
        ("closed. The Tide Office (TO) is", [("TO", "Tide Office")]),
        ("LC (lifting certificate)", [("LC", "lifting certificate")]),
        ("((((", []),
    ],
)
def test_abbreviations_are_mined_where_they_are_explained(
    text: str, pairs: list[tuple[str, str]]
) -> None:
    assert explained_abbreviations(text) == pairs


@given(st.text(max_size=200))
def test_mining_takes_any_text(text: str) -> None:
    for short, long in explained_abbreviations(text):
        assert short in text
        assert long.split()[0] in text
    for at, moment in written_dates(text):
        assert 0 <= at < len(text)
        assert len(moment) == 10
    assert len(key_terms(tokenize(text), "", Analyser("en"), within=1000)) <= 8


def document(text: str, kinds: list[tuple[BlockKind, str]]) -> Document:
    blocks, at = [], 0
    for kind, part in kinds:
        at = text.index(part, at)
        blocks.append(Block(kind, at, at + len(part)))
        at += len(part)
    return Document(
        id="a/b", source="a", key="b", version="v", title="T", language="en", format="text",
        text=text, blocks=tuple(blocks), origin=Origin(), metadata={},
        audience=frozenset({"public"}),
    )  # fmt: skip


@given(st.integers(20, 60), st.integers(1, 900))
def test_no_passage_is_longer_than_the_cap(tokens: int, words: int) -> None:
    row = " ".join(f"cell{n}" for n in range(words))
    own = document(f"Head\n\n{row}", [(BlockKind.HEADING, "Head"), (BlockKind.ROW, row)])
    most = tokens + 10
    passages = cut(own, tokens=tokens, overlap=5, max_tokens=most)
    assert all(passage.tokens <= most for passage in passages)
    assert any(passage.divided for passage in passages) is (words > most)
    held = {at for passage in passages for at in range(passage.start, passage.end)}
    assert all(at in held or own.text[at].isspace() for at in range(len(own.text)))


def test_passages_end_where_the_subject_changes() -> None:
    boats = [
        f"The boat {n} needs paint on its hull, and the boat yard has paint." for n in range(5)
    ]
    tea = [f"Tea number {n} wants hot water, and a kettle of water for the tea." for n in range(5)]
    text = " ".join(boats + tea)
    own = document(text, [(BlockKind.PARAGRAPH, text)])
    plain = cut(own, tokens=110, overlap=0)
    by_meaning = cut(own, tokens=110, overlap=0, boundaries="meaning")
    border = text.index("Tea number 0")
    assert border not in {passage.start for passage in plain}
    assert border in {passage.start for passage in by_meaning}


def test_a_subject_changes_also_where_no_word_comes_back() -> None:
    boats = ["The ferry lies at the quay.", "Yachts moor beside the jetty."]
    boats += ["An anchor holds every vessel.", "Sailors berth their ships in harbours."]
    drinks = ["Tea wants boiling water.", "Pour coffee into a cup."]
    drinks += ["Milk and sugar are in the kitchen.", "The kettle makes hot drinks."]
    text = " ".join(boats + drinks)
    by_meaning = PassageSettings(tokens=40, overlap=0, boundaries="meaning")
    own = document(text, [(BlockKind.PARAGRAPH, text)])
    border = text.index(drinks[0])
    assert border in {passage.start for passage in cut_as_set(own, by_meaning)}
    german = replace(own, language="de")  # which the lexicon does not know
    assert border not in {passage.start for passage in cut_as_set(german, by_meaning)}


# -- tuning


GRADED = st.tuples(st.integers(0, 5), st.integers(1, 3))


@given(
    st.lists(st.lists(GRADED, min_size=1, max_size=3), min_size=1, max_size=3),
    st.permutations(range(6)),
)
def test_tuning_judges_as_grading_does(
    expected: list[list[tuple[int, int]]], order: list[int]
) -> None:
    groups = [[Span(f"d{at}", 0, 10, grade) for at, grade in group] for group in expected]
    places = tuple(Ranked(f"d{at}", 0, 10) for at in range(6))
    values = np.array([6.0 - order.index(at) for at in range(6)])
    case = case_of(Candidates(places, {"lexical": values}), groups, ["lexical"])
    ranked = [Ranked(f"d{at}", 0, 10) for at in order]
    assert ndcg_of(case, np.ones(1)) == pytest.approx(rank_measures(ranked, groups)["ndcg@10"])


class Judged:
    """Candidates of which one part tells which are right, and another misleads."""

    def __init__(self, *, tells: bool) -> None:
        self._tells = tells
        self._generator = np.random.default_rng(4)

    def candidates(self, question: Question) -> Candidates:
        places = tuple(Ranked(f"d{n}", 0, 10) for n in range(20))
        right = int(question.id)
        noise = self._generator.random((2, 20))
        good = noise[0] * 0.5
        if self._tells:
            good[right] = 0.9
        return Candidates(places, {"lexical": noise[1], "phrase": good})


def judged(count: int) -> tuple[list[Question], list[list[list[Span]]]]:
    questions = [
        Question(id=str(n % 20), question="?", kind="plain", split="test" if n % 5 == 0 else "fit")
        for n in range(count)
    ]
    return questions, [[[Span(f"d{question.id}", 0, 10, 1)]] for question in questions]


def test_tuning_finds_what_tells_and_proposes_it() -> None:
    settings = {
        "lexical_weight": 0.9,
        "document_share": 0.0,
        "reading_weight": 0.0,
        "weights.phrase": 0.0,
    }
    tuned = tune(Judged(tells=True), *judged(60), settings)
    assert tuned.better
    assert tuned.new.mean > tuned.old.mean + 0.3
    assert tuned.test is not None
    assert tuned.test.is_gain
    assert tuned.after["weights.phrase"] > 0
    assert "[find.weights]\nphrase = " in tuned.patch()


def test_tuning_proposes_nothing_by_chance() -> None:
    settings = {
        "lexical_weight": 0.5,
        "document_share": 0.0,
        "reading_weight": 0.0,
        "weights.phrase": 0.0,
    }
    tuned = tune(Judged(tells=False), *judged(60), settings)
    assert not tuned.better
    assert tuned.gain.low <= 0 <= tuned.gain.high + 0.2


def test_a_patch_can_be_put_into_the_settings(demo: Path, tmp_path: Path) -> None:
    from yonder_lantern.settings import load_settings

    tuned = Desk.open(demo, record=False).tune()
    assert tuned.questions > 100
    (tmp_path / "yonder.toml").write_text(tuned.patch())
    found = load_settings(tmp_path).find
    for key, value in tuned.after.items():
        if value != tuned.before[key]:
            own = found.weights if "." in key else found
            assert getattr(own, key.rpartition(".")[2]) == pytest.approx(value)


def test_too_few_questions_are_not_fitted(harbour: Desk) -> None:
    (harbour.folder / "questions.jsonl").write_text(
        '{"id": "q1", "question": "Where do boats launch?", "kind": "plain", "split": "fit", '
        '"expected": [[{"document": "notes/slip.md", "quote": "Boats launch from the beach."}]]}\n'
    )
    with pytest.raises(QuestionSetError, match="at least 10"):
        harbour.tune()


def test_a_question_asks_the_store_at_most_five_times(demo: Path) -> None:
    desk = Desk.open(demo, record=False)
    desk.find("Where is valve V-3?")  # opens the index
    store = desk.snapshot().store
    for question in ("When is the fuel berth open in winter?", 'Who keeps "the slip" of the VTS?'):
        before = store.queries
        assert desk.find(question)
        assert store.queries - before <= 5


def test_a_sign_is_found_by_its_name(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {
            "paths.md": "# Paths\n\nA ~ at the beginning stands for the home folder.\n",
            "commands.md": "# Commands\n\nPut an & behind a command to run it aside.\n",
            "keys.md": "# Keys\n\nThe keeper stands by the home folder of the store.\n",
        }
    )
    desk.gather()
    assert desk.find("What is the tilde?")[0].document == "documents/paths.md"
    assert desk.find("ampersand")[0].document == "documents/commands.md"
