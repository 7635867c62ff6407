"""Question sets: quotes found again, drafts, judgements, the field's formats."""

from __future__ import annotations

import json
import re
import tempfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Ran, call_yonder
from yonder_lantern import Desk
from yonder_lantern.core import QuestionSetError
from yonder_lantern.desk import DeskQuestions
from yonder_lantern.evaluation import Variant, load_questions
from yonder_lantern.evaluation.questions import (
    Expected,
    PooledPassage,
    Question,
    as_line,
    expected_at,
    judgement_lines,
    pooled,
    read_judgements,
    read_run,
    read_topics,
    run_lines,
    save_questions,
    span_of,
    topic_lines,
)
from yonder_lantern.evaluation.questions.draft_sentences import questions_of_sentence
from yonder_lantern.evaluation.questions.find_again import most_alike
from yonder_lantern.observe import FeedbackBook

MakeDesk = Callable[..., Desk]
QUAY = "# Quay\n\nThe quay closes at 22:00 in summer.\n\nThe crane lifts 12 tonnes at its reach.\n"
FEES = "# Fees\n\n| Boat | Night fee |\n|---|---|\n| Dinghy | 4 crowns |\n| Yacht | 9 crowns |\n"


def write_set(desk: Desk, *questions: Question) -> DeskQuestions:
    save_questions(desk.folder / "questions.jsonl", added=questions)
    return DeskQuestions(desk)


def expects(quote: str, document: str = "documents/quay.md") -> Question:
    return Question(
        id=quote[:4], question="Q?", expected=((Expected(document=document, quote=quote),),)
    )


@pytest.mark.parametrize(
    ("changed", "how", "now", "figures"),
    [
        ("The quay\ncloses at 22:00  in summer.", "spaces", True, False),
        ("The quay shuts at 22:00 in summer.", "reworded", True, False),
        ("The quay closes at 21:00 in summer.", "reworded", True, True),
        ("Nothing of it is left here.", "lost", False, False),
    ],
)
def test_quotes_are_found_again_or_reported_as_lost(
    make_desk: MakeDesk, changed: str, how: str, now: bool, figures: bool
) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    own = write_set(desk, expects("The quay closes at 22:00 in summer."))
    assert own.check(mend=True).found == ()
    assert own.load().questions[0].expected[0][0].version  # bound to what it was seen in
    text = QUAY.replace("The quay closes at 22:00 in summer.", changed)
    (desk.folder / "documents" / "quay.md").write_text(text)
    desk.gather()
    found = own.check(mend=True).found[0]
    assert (found.how, found.figures_differ) == (how, figures)
    assert (found.now.quote if found.now else "") == (changed if now else "")
    stands = own.load().questions[0].expected[0][0].quote
    mended = now and not figures  # with other numbers, the answer has changed too
    assert stands == (changed if mended else "The quay closes at 22:00 in summer.")


def test_a_quote_that_moved_is_found_in_its_new_document(make_desk: MakeDesk) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    own = write_set(desk, expects("The crane lifts 12 tonnes"))
    (desk.folder / "documents" / "quay.md").rename(desk.folder / "documents" / "crane.md")
    desk.gather()
    found = own.check(mend=True).found[0]
    assert found.how == "moved"
    assert own.load().questions[0].expected[0][0].document == "documents/crane.md"


def test_a_document_that_changed_elsewhere_is_told(make_desk: MakeDesk) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    own = write_set(desk, expects("The crane lifts 12 tonnes"))
    own.check(mend=True)
    (desk.folder / "documents" / "quay.md").write_text(QUAY + "\nOne more line.\n")
    desk.gather()
    checked = own.check()
    assert (checked.found, checked.changed) == ((), ("The ",))


@given(st.text("abc 12.\n", max_size=60), st.text("abc 12.\n", min_size=1, max_size=30))
def test_what_is_found_alike_stands_in_the_text(text: str, quote: str) -> None:
    found = most_alike(text, quote)
    assert found is None or text[slice(*found)].strip() == text[slice(*found)] != ""
    inside = most_alike(f"{text} {quote.strip()} {text}", quote)
    assert inside is not None or not quote.split()


@pytest.mark.parametrize(
    ("sentence", "question"),
    [
        ("The fuel berth opens at 08:00 on working days.", "When does the fuel berth open?"),
        ("A renewal costs 95 crowns.", "How much does a renewal cost?"),
        ("The limit is 5 knots inside the moles.", "What is the limit inside the moles?"),
        ("An appeal must be lodged within 14 days of the notice.",
         "Within how many days must an appeal be lodged?"),
        ("To list the gauges, use the command below.", "How do I list the gauges?"),
        ("If your engine fails, call the controller.", "What should I do if my engine fails?"),
        ("The log book is kept in the second drawer.", "Where is the log book kept?"),
        ("A fender is a cushion that protects the hull of a boat.", "What is a fender?"),
        ("It opens at nine.", None),
        ("This costs 9 crowns.", None),
        ("If it fails, call the controller.", None),
        ("The first line is a comment that begins with a mark.", None),
    ],
)  # fmt: skip
def test_sentences_are_turned_into_questions(sentence: str, question: str | None) -> None:
    assert next((one.question for one in questions_of_sentence(sentence)), None) == question


def test_drafts_stand_in_their_documents_and_are_no_questions_yet(
    demo: Path, tmp_path: Path
) -> None:
    desk = Desk.open(demo)
    own = DeskQuestions(desk, tmp_path / "questions.jsonl")
    made = own.draft(60, seed=2)
    assert len(made) >= 50
    for one in made:
        assert one.draft
        assert one.origin.startswith("drafted: ")
        for group in one.expected:
            for part in group:
                document = desk.document(part.document)
                assert document is not None
                assert part.quote in document.text
                assert document.version == part.version
            for answer in one.answer if len(one.expected) == 1 else ():
                assert answer in group[0].quote
        assert bool(one.expected) is (one.kind != "unanswerable")
        labels = {label for group in one.expected for part in group
                  for label in getattr(desk.document(part.document), "audience", ())}  # fmt: skip
        assert one.audience is not None or not labels or "public" in labels
    kinds = {one.kind for one in made}
    assert {"table", "difference", "unanswerable", "abbreviation", "condition"} <= kinds
    assert DeskQuestions(desk, tmp_path / "other.jsonl").draft(60, seed=2) == []  # they are there
    assert len(load_questions(own.drafts_path).without_drafts().questions) == 0
    accepted = own.accept(made[0], "In other words?")
    assert own.load().questions == (accepted,)
    assert len(own.drafts()) == len(made) - 1


def test_drafts_are_reviewed_one_by_one(make_desk: MakeDesk, yonder: Callable[..., Ran]) -> None:
    desk = make_desk({"quay.md": QUAY, "fees.md": FEES})
    desk.gather()
    assert yonder("questions", "draft", "--count", "5", cwd=desk.folder).status == 0
    drafts = DeskQuestions(desk).drafts()
    ran = call_yonder("questions", "review", cwd=desk.folder, stdin="y\ne\nHow so?\nn\nq\n")
    assert ran.status == 0, ran.err
    questions = load_questions(desk.folder / "questions.jsonl").questions
    assert [one.question for one in questions] == [drafts[0].question, "How so?"]
    assert not any(one.draft for one in questions)
    assert len(DeskQuestions(desk).drafts()) == len(drafts) - 3
    assert yonder("questions", "review", "--drop", "none", cwd=desk.folder).status == 2


def test_drafts_in_a_set_are_not_graded(make_desk: MakeDesk) -> None:
    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    draft = Question(id="d", question="When?", draft=True)
    write_set(desk, expects("The crane lifts 12 tonnes"), draft)
    grades = desk.grade()
    assert ([one.id for one in grades.questions], grades.drafts) == (["The "], 1)


def test_judging_is_blind_resumable_and_ends_in_the_set(make_desk: MakeDesk) -> None:
    files = {f"n{number}.md": f"# Note {number}\n\nThe quay closes early.\n" for number in range(8)}
    desk = make_desk({**files, "quay.md": QUAY})
    desk.gather()
    own = write_set(desk, Question(id="q", question="When does the quay close?"))
    pool = own.pool([Variant("", {"find.lexical_weight": 0.0})], depth=4)
    assert pool == own.pool([Variant("", {"find.lexical_weight": 0.0})], depth=4)
    assert len({(one.document, one.start) for one in pool}) == len(pool) >= 4
    arguments = ("find.lexical_weight=0.0", "--depth", "4", "--judge", "ada")
    ran = call_yonder("questions", "judge", *arguments, cwd=desk.folder, stdin="2\n0\nq\n")
    assert ran.status == 0, ran.err
    assert "lexical" not in ran.out
    assert "score" not in ran.out
    assert f"2 passages judged by ada, {len(pool) - 2} left" in ran.out
    for one in own.judgements.left(pool, "ada"):
        own.judgements.add(one, 0, "ada")
    for number, one in enumerate(pool):
        own.judgements.add(one, 2 if number == 0 else 0, "bo")
    told = call_yonder("questions", "judge", "--agreement", cwd=desk.folder)
    assert re.search(r"ada and bo: \d+ passages, .* alike, kappa", told.out)
    assert call_yonder("questions", "judge", "--apply", cwd=desk.folder).status == 0
    judged = own.load().questions[0]
    assert [one.document for one in judged.expected[0]] == [pool[0].document]
    assert len(judged.irrelevant) == len(pool) - 1
    ranking = desk.grade().questions[0].ranking
    assert ranking is not None
    assert ranking.value("judged@4") == 1.0
    assert own.apply_judgements(own.judgements.all()) == []  # nothing twice


def test_the_fields_formats_go_out_and_come_back(make_desk: MakeDesk, tmp_path: Path) -> None:
    desk = make_desk({"the quay.md": QUAY, "fees.md": FEES})
    desk.gather()
    questions = [
        Question(
            id="a b",
            question="When does the quay close?",
            expected=((Expected(document="documents/the quay.md", grade=2),),),
            irrelevant=(Expected(document="documents/fees.md"),),
        )
    ]
    judged, topics = tmp_path / "judged.txt", tmp_path / "topics.txt"
    judged.write_text("\n".join(judgement_lines(questions)))
    topics.write_text("\n".join(topic_lines(questions)))
    assert judged.read_text().splitlines() == [
        "a%20b 0 documents/fees.md 0",
        "a%20b 0 documents/the%20quay.md 2",
    ]
    own = DeskQuestions(desk, tmp_path / "back.jsonl")
    topics.write_text(topics.read_text().replace("a%20b", "t1"))
    judged.write_text(
        judged.read_text().replace("a%20b", "t1").replace("documents/", "") + "\nt1 0 gone 1"
    )
    added, unknown = own.bring_in(topics, judged)
    assert unknown == ["gone"]
    assert [part.document for group in added[0].expected for part in group] == [
        "documents/the quay.md"
    ]
    assert added[0].irrelevant[0].document == "documents/fees.md"
    grades = desk.grade(own.path)
    assert grades.measure("recall@5").mean == 1.0
    run = tmp_path / "run.txt"
    lines = run_lines(
        {"t1": ["documents/the quay.md", "documents/fees.md", "documents/fees.md"]}, "own"
    )
    run.write_text("\n".join(lines))
    assert read_run(run) == {"t1": [("documents/the quay.md", 2.0), ("documents/fees.md", 1.0)]}
    with pytest.raises(QuestionSetError, match="already"):
        own.bring_in(topics, judged)
    told = call_yonder(
        "grade", "--questions", str(own.path), "--read-run", str(run), "--json", cwd=desk.folder
    ).json
    assert (told["recall@5"]["mean"], told["missing"]) == (1.0, 0)
    run.write_text(run.read_text().replace("t1", "other"))
    with pytest.raises(QuestionSetError, match="none of these questions"):
        own.grade_run(run)


def test_topics_are_read_in_each_form(tmp_path: Path) -> None:
    path = tmp_path / "topics"
    path.write_text("<top>\n<num> Number: 301\n<title> Night\nfees\n<desc> x\n</top>\n")
    assert [(one.id, one.question) for one in read_topics(path)] == [("301", "Night fees")]
    table = tmp_path / "faq.csv"
    table.write_text('nr,asked,file,say\n1,"What, when?",quay.md,22:00\n1,"What, when?",fees.md,\n')
    columns = {"id": "nr", "question": "asked", "document": "file", "answer": "say"}
    (one,) = read_topics(table, columns)
    assert (one.question, one.answer, len(one.expected)) == ("What, when?", ("22:00",), 2)
    lines = tmp_path / "faq.jsonl"
    lines.write_text('{"q": "Why?", "a": ["x", "y"]}\n')
    (one,) = read_topics(lines, {"question": "q", "answer": "a"})
    assert (one.id, one.answer) == ("q001", ("x", "y"))


@pytest.mark.parametrize(
    ("name", "text", "columns", "what"),
    [
        ("t.txt", "no tab here", None, "line 1"),
        ("t.txt", "", None, "no topics"),
        ("t.csv", "a,b\n1,2\n", {"question": "c"}, "no column 'c'"),
        ("t.csv", "a,b\n1,2\n", {"questin": "a"}, "no part 'questin'"),
        ("t.csv", "a,b\n1,2\n", {"id": "a"}, "no column is the question"),
        ("t.jsonl", "{", {"question": "a"}, "not JSON"),
        ("t.csv", "q,d,g\nx,a,much\n", {"question": "q", "document": "d", "grade": "g"}, "grade"),
    ],
)
def test_a_file_of_another_shape_is_an_error_that_says_where(
    tmp_path: Path, name: str, text: str, columns: dict[str, str] | None, what: str
) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(QuestionSetError, match=what):
        read_topics(tmp_path / name, columns)


@given(st.text(max_size=40))
def test_judgements_of_any_text_are_read_or_refused(text: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "judged"
        path.write_bytes(text.encode("utf-8", "surrogatepass"))
        for read in (read_judgements, read_run):
            with suppress(QuestionSetError):
                assert all(read(path).values())


def test_questions_people_asked_are_taken_over(
    make_desk: MakeDesk, yonder: Callable[..., Ran]
) -> None:

    desk = make_desk({"quay.md": QUAY})
    desk.gather()
    good = desk.ask("When does the quay close?")
    bad = desk.ask("Who painted the crane?")
    desk.ask("hello")
    book = FeedbackBook(desk.state, desk.traces)
    book.add(good.trace, "good")
    book.add(bad.trace, "bad", "nobody knows")
    assert yonder("questions", "asked", cwd=desk.folder).status == 0
    drafts = {one.question: one for one in DeskQuestions(desk).drafts()}
    assert set(drafts) == {"When does the quay close?", "Who painted the crane?"}
    right = drafts["When does the quay close?"]
    assert "closes at 22:00" in right.expected[0][0].quote
    assert "rated good" in right.origin
    assert drafts["Who painted the crane?"].expected == ()
    assert drafts["Who painted the crane?"].origin.endswith("rated bad: nobody knows")
    assert yonder("questions", "asked", cwd=desk.folder).status == 1  # none twice


@given(st.builds(
    Question,
    id=st.text(min_size=1, max_size=8),
    question=st.text(min_size=1, max_size=20),
    kind=st.text(max_size=5),
    answer=st.lists(st.text(max_size=5), max_size=2).map(tuple),
    draft=st.booleans(),
))  # fmt: skip
def test_a_line_is_read_as_it_was_written(question: Question) -> None:
    read = msgspec.json.decode(as_line(question).encode("utf-8", "surrogatepass"), type=Question)
    assert read == (question if question.kind else read)


def test_changing_one_question_leaves_the_other_lines_as_they_are(tmp_path: Path) -> None:
    path = tmp_path / "q.jsonl"
    path.write_text('{"question":"One?",   "id":"a"}\n\n{"id": "b", "question": "Two?"}\n')
    save_questions(path, changed={"b": Question(id="b", question="Two, then?")}, removed=["none"])
    assert path.read_text().splitlines() == [
        '{"question":"One?",   "id":"a"}',
        "",
        '{"id": "b", "question": "Two, then?", "split": "test"}',
    ]
    assert json.loads(path.read_text().splitlines()[2])["question"] == "Two, then?"


def test_a_pool_knows_passages_that_overlap_as_one() -> None:
    one, other = PooledPassage("q", "d", 0, 100), PooledPassage("q", "d", 10, 110)
    far = PooledPassage("q", "d", 300, 400)
    assert {one.start for one in pooled({"q": [[one, far], [other]]}, 5, 1)} == {0, 300}


@given(st.text("ab ", min_size=1, max_size=40), st.data())
def test_an_expectation_stands_where_it_was_taken_from(text: str, data: st.DataObject) -> None:
    start = data.draw(st.integers(0, len(text) - 1))
    end = data.draw(st.integers(start + 1, len(text)))
    found = span_of(text, expected_at("d", text, start, end, grade=2))
    assert found is not None
    assert (found.start, found.end, found.grade) == (start, end, 2)


def test_results_compare_while_what_is_asked_and_expected_stays(tmp_path: Path) -> None:
    path = tmp_path / "q.jsonl"

    def written(**changed: object) -> str:
        raw = {"id": "a", "question": "Q?", "answer": ["ten"], "wrong": ["nine"],
               "expected": [[{"document": "d", "quote": "ten"}]]} | changed  # fmt: skip
        path.write_text(json.dumps(raw))
        return load_questions(path).fingerprint()

    first = written()
    assert written(expected=[[{"document": "d", "quote": "ten", "version": "v2"}]]) == first
    assert written(kind="other", split="fit", origin="x") == first
    assert written(wrong=["eight"]) != first
    assert written(expected=[[{"document": "d", "quote": "ten", "occurrence": 2}]]) != first


def test_ids_with_spaces_come_back_as_they_went_out(tmp_path: Path) -> None:
    one = Question(id="q 1 %", question="Q?", expected=((Expected(document="d e.md"),),))
    topics, judged, run = (tmp_path / name for name in ("t", "j", "r"))
    topics.write_text("\n".join(topic_lines([one])))
    judged.write_text("\n".join(judgement_lines([one])))
    run.write_text("\n".join(run_lines({one.id: ["d e.md"]}, "own")))
    assert [found.id for found in read_topics(topics)] == [one.id]
    assert read_judgements(judged) == {one.id: {"d e.md": 1}}
    assert read_run(run) == {one.id: [("d e.md", 1.0)]}
