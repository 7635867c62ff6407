"""The tools that measure on real documents, tried on made-up ones."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Callable
from dataclasses import asdict, replace
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks" / "real_documents"))
from asking import Asked, Spot, derived, heading_questions, read_asked, terms_of
from binding import bound, found_again, phrase, says
from catalogue import BY_NAME, COLLECTIONS
from check_model_text import VERDICTS, kept_parts, sentence_hash
from compare import asked_once, common, differing
from cutting_out import without
from judging import judge
from make import documents_of
from measure import DECLINE_NOTHING, measure, note_look
from model_text import COLLECTIONS as MODEL_TEXT
from model_text import JUDGED, notes_judged
from results import read_results
from sentences import is_kept, sentences

from reading import fitting, is_wrong, key
from yonder_lantern import Desk
from yonder_lantern.core import Document

MakeDesk = Callable[..., Desk]
PAGE = """<html><head><meta charset="iso-8859-1"><title>The slip</title></head><body>
<ul><li><a href="#fee">2. What does the slip cost?</a></li></ul>
<h1>1. When is the slip open?</h1><p>The slip is open from three hours before high water until
three hours after it, and a red flag is hoisted when it is shut for repairs.</p>
<h1 id="fee">2. What does the slip cost?</h1><p>A launch from the slip costs \xa34.20 a boat,
which is paid to the attendant in the wooden hut beside the rails.</p>
<h1>3. Words</h1><dl><dt>Cradle</dt><dd>The frame on wheels that carries a boat down the rails of
the slip into the water and up again.</dd><dt>-x</dt><dd>Is no word of ours.</dd></dl>
<p>As said, a launch from the slip costs \xa34.20 a boat, which is paid to the attendant.</p>
<p>The tide table hangs in the harbour office, beside the door.</p></body></html>"""


@pytest.fixture
def slip(make_desk: MakeDesk) -> Desk:
    desk = make_desk({"slip.html": PAGE.encode("latin-1").decode("latin-1"), "a.md": "# Nothing"})
    (desk.folder / "documents/slip.html").write_bytes(PAGE.encode("latin-1"))
    desk.gather()
    return desk


def document(desk: Desk, id_: str = "documents/slip.html") -> Document:
    found = desk.document(id_)
    assert found is not None
    return found


def fee(desk: Desk, question: str = "What is the price of a launch?") -> Asked:
    said = "launch from the slip costs £4.20 a boat"
    starts = [match.start() for match in re.finditer(said, document(desk).text)]
    spots = tuple(Spot("documents/slip.html", at, at + len(said), at) for at in starts)
    return Asked("w1", question, "number", spots, (phrase("£4.20"),))


def test_a_span_is_found_again_after_its_document_has_changed() -> None:
    text = "Opening.\n\nThe gate shuts at (22:00), not before."
    span = bound("gate.html", text, text.index("22:00"), text.index(", not"))
    moved = {"gate.html": f"New words. {text}", "other.html": text}
    for texts, file in (({"gate.html": text}, "gate.html"), (moved, "gate.html"),
                        ({"other.html": text}, "other.html")):  # fmt: skip
        location = found_again(span, texts)
        assert location is not None
        assert (location[0], texts[file][location[1] : location[2]]) == (file, "22:00)")
    assert found_again(span, {"gate.html": "The gate shuts at (23:00)."}) is None


def test_a_kept_phrase_holds_no_word_and_is_met_by_nothing_else() -> None:
    words, hash_ = phrase("18 to 24 months")
    assert words == 4
    assert says("Every **18 to 24** months [2].", words, hash_)
    assert not says("Every 18 to 25 months.", words, hash_)


def test_written_questions_hold_no_words_of_the_documents_and_are_not_answered_by_a_third() -> None:
    folder = Path(__file__).parents[2] / "benchmarks/real_documents/questions"
    files = sorted(folder.glob("*.jsonl"))
    assert len(files) >= 6
    for path in files:
        assert path.stem in BY_NAME
        lines = path.read_text("utf-8").splitlines()
        assert len(lines) == {"mixed-folder": 111}.get(path.stem, 40)
        assert 0.3 < sum('"expected": []' in line for line in lines) / len(lines) < 0.36
        assert not any('"quote"' in line for line in lines)


def test_the_catalogue_is_what_was_asked_for_and_not_what_the_lexicon_was_trained_on() -> None:
    shapes = [one.shape for one in COLLECTIONS]
    assert shapes.count("faq") >= 3
    assert shapes.count("definitions") >= 2
    assert shapes.count("manual") >= 2
    assert "pages" in shapes
    assert not all(one.technical for one in COLLECTIONS)
    trained = (Path(__file__).parents[2] / "training/packages.txt").read_text().split()
    used = {package for one in COLLECTIONS for package in one.packages}
    assert not used & set(trained)


def test_headings_terms_and_options_become_questions_with_their_whole_section(slip: Desk) -> None:
    own = document(slip)
    found = {question: own.text[at:end] for question, at, end, _ in heading_questions(own)}
    assert set(found) == {"When is the slip open?", "What does the slip cost?"}
    assert "red flag" in found["When is the slip open?"]
    assert "£4.20" not in found["When is the slip open?"]
    assert terms_of(PAGE) == ["Cradle", "-x"]
    glossary = replace(BY_NAME["python-glossary"], name="slip")
    (asked,) = derived(glossary, {own.id: own}, slip.folder)
    assert asked.question == "What is meant by Cradle?"
    (spot,) = asked.spots
    assert own.text[spot.start : spot.end].split()[-1] == "again."


def test_what_answers_is_taken_away_with_what_repeats_it(slip: Desk, tmp_path: Path) -> None:
    ids = ("documents/slip.html", "documents/a.md")
    once = replace(fee(slip), spots=fee(slip).spots[:1])  # the other place only repeats it
    without([once], {id_: document(slip, id_) for id_ in ids}, slip.folder, tmp_path)
    (tmp_path / "yonder.toml").write_text("")
    bare = Desk.open(tmp_path, record=False)
    bare.gather()
    text = document(bare).text
    assert "4.20" not in text
    assert "What does the slip cost?" not in text
    assert "When is the slip open?" in text
    assert "The frame on wheels" in text
    assert "tide table" in text


def test_a_question_is_judged_by_what_is_cited_and_said(slip: Desk) -> None:
    unsure = Desk.open(slip.folder, settings=DECLINE_NOTHING, record=False)
    asked = fee(slip, "What does a launch from the slip cost?")
    right = judge(asked, unsure, slip)
    assert (right.outcome, right.given, right.first_cited) == ("right", True, True)
    assert right.document == right.passage == 1
    unsaid = judge(replace(asked, phrases=(phrase("9.99"),)), unsure, slip)
    assert unsaid.outcome == "partly"
    assert judge(replace(asked, spots=(), phrases=()), unsure, slip).outcome == "wrong"


def test_a_measurement_goes_on_where_it_was_interrupted(slip: Desk, tmp_path: Path) -> None:
    asked = [replace(fee(slip), id=f"q{number}") for number in range(3)]
    (slip.folder / "asked.jsonl").write_text("".join(f"{one.as_json()}\n" for one in asked))
    assert read_asked(slip.folder / "asked.jsonl") == asked
    target = tmp_path / "results" / "putty.jsonl"
    assert measure("putty", slip.folder, target) == 3
    whole = target.read_text()
    target.write_text(whole[: whole.rindex("\n", 0, -1) + 40])  # killed within a line
    assert measure("putty", slip.folder, target) == 1
    assert target.read_text() == whole
    assert measure("putty", slip.folder, target) == 0
    (target.parent / "code.txt").write_text("other\n")
    target.write_text(whole[: whole.rindex("\n", 0, -1) + 40])
    with pytest.raises(SystemExit, match="results: the code has changed since"):
        measure("putty", slip.folder, target)
    target.write_text(whole)
    assert [one["id"] for one in read_results(target.parent)["putty"]] == ["q0", "q1", "q2"]


def test_a_look_is_written_down(tmp_path: Path) -> None:
    note_look(["putty"], "today", "to try it", tmp_path / "looks.jsonl")
    assert '"why": "to try it"' in (tmp_path / "looks.jsonl").read_text()


def test_of_a_models_sentences_the_check_keeps_what_is_said_and_withdraws_the_rest(
    slip: Desk,
) -> None:
    own = document(slip)
    text = "A launch from the slip costs £4.20 a boat [1]. The slip has a golden roof [1].\n1. Why?"
    found = sentences(text)
    assert [text[start:end] for start, end in found][2] == "1. Why?"
    at = own.text.index("A launch from the slip")
    spans = [(own.id, at, at + 120)]
    kept = kept_parts(slip, "What does it cost?", spans, {own.id: own}, text)
    assert [is_kept(one, kept) for one in found[:2]] == [True, False]


@pytest.mark.parametrize("collection", MODEL_TEXT)
def test_every_sentence_judged_has_a_verdict_and_no_words_of_real_documents(
    collection: str,
) -> None:
    lines = (JUDGED / f"{collection}.jsonl").read_text("utf-8").splitlines()
    for line in map(json.loads, lines):
        verdicts = {one["hash"]: one["verdict"] for one in line["sentences"]}
        assert set(verdicts.values()) <= set(VERDICTS)
        if collection == "demo":
            text = line["text"]
            written = {sentence_hash(text[start:end]) for start, end in sentences(text)}
            assert written == set(verdicts)
        else:
            assert "text" not in line
            assert all(set(one) == {"hash", "verdict"} for one in line["sentences"])


def test_the_notes_a_model_was_given_are_found_again_in_the_demo(whole_demo: Path) -> None:
    lines = (JUDGED / "demo.jsonl").read_text("utf-8").splitlines()
    documents = documents_of(Desk.open(whole_demo, record=False))
    assert len(notes_judged("demo", documents)) >= 0.9 * len(lines)


def test_two_states_that_are_alike_do_not_differ_and_others_do(
    slip: Desk, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    asked = [replace(fee(slip), id=f"q{number}") for number in range(3)]
    (slip.folder / "asked.jsonl").write_text("".join(f"{one.as_json()}\n" for one in asked))
    measure("putty", slip.folder, tmp_path / "putty.jsonl")
    before = read_results(tmp_path)
    assert differing(*common(before, before)) == 0
    assert asked_once(before, before) == 0
    assert asked_once(before, {"putty": before["putty"][1:]}) == asked_once({}, before) - 2 == 1
    moved = {"putty": [{**before["putty"][0], "support": 0.0}, *before["putty"][1:]]}
    assert differing(*common(before, moved)) == 1
    assert "support 1" in capsys.readouterr().out


def test_a_verdict_holds_for_the_answer_that_was_read_and_no_other(slip: Desk) -> None:
    unsure = Desk.open(slip.folder, settings=DECLINE_NOTHING, record=False)
    own = asdict(judge(fee(slip), unsure, slip))
    other = {**own, "text": own["text"] + " And more."}
    assert key(own) != key(other)
    assert [one["id"] for _, one in fitting("mixed", {"putty": [own]})] == ["w1"]
    assert fitting("wrong", {"putty": [own]}) == ([("putty", own)] if is_wrong(own) else [])
