"""The command line as a process: every verb, its output, its exit status."""

from __future__ import annotations

import csv
import json
import os
import pty
import re
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from conftest import HANGS, lacking, read_until
from yonder_lantern import Desk

ROOT = Path(__file__).parents[2]
VERBS = ["demo", "new", "check", "gather", "look", "find", "ask", "talk", "grade", "trace"]


@pytest.fixture
def small(tmp_path: Path, yonder) -> Path:
    folder = tmp_path / "desk"
    assert yonder("new", str(folder), cwd=tmp_path).status == 0
    (folder / "documents" / "quay.md").write_text(
        "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n\n"
        "| Berth | Depth |\n|---|---|\n| 1 | 3.1 m |\n"
    )
    assert yonder("gather", cwd=folder).status == 0
    return folder


@pytest.mark.parametrize("verb", VERBS)
def test_every_verb_explains_itself_with_an_example(yonder, tmp_path: Path, verb: str) -> None:
    ran = yonder(verb, "--help", cwd=tmp_path)
    assert ran.status == 0
    assert f"Usage: yonder {verb}" in ran.out
    assert f"Example:\n    yonder {verb}" in ran.out
    assert "--json" in ran.out


def test_help_lists_the_verbs_in_the_order_people_work(yonder, tmp_path: Path) -> None:
    ran = yonder("--help", cwd=tmp_path)
    places = [ran.out.index(f"\n  {verb} ") for verb in VERBS]
    assert places == sorted(places)


def test_the_demo_runs_the_whole_job(yonder, tmp_path: Path) -> None:
    ran = yonder("demo", "harbour", cwd=tmp_path)
    assert ran.status == 0, ran.err
    told = ran.err.splitlines()  # in a pipe, a line now and then on a slow machine
    assert all(re.fullmatch(r"[\w -]+(?:: \d+ of \d+)?(?:, \S+)?", line) for line in told)
    if not lacking():
        assert "94 documents" in ran.out
    for words in ("The index holds", "2.50 per cent of value [1]", "nothing I am sure", "recall@5"):
        assert words in ran.out
    assert "\x1b" not in ran.out
    assert (tmp_path / "harbour" / "grades.png").read_bytes().startswith(b"\x89PNG")


def test_a_quote_of_two_lines_is_shown_as_prose(yonder, demo: Path) -> None:
    asked = yonder("ask", "How much petty cash is in the safe?", "--audience", "crew", cwd=demo)
    assert "the gate's manual override crank and two" in " ".join(asked.out.split())
    assert "\u240a" not in asked.out


def test_the_demo_goes_on_with_what_it_made_and_spares_what_it_did_not(
    yonder, demo: Path, tmp_path: Path
) -> None:
    shutil.copytree(demo, tmp_path / "harbour")
    questions = tmp_path / "harbour" / "questions.jsonl"
    questions.write_text("".join(questions.read_text().splitlines(keepends=True)[::8]))
    again = yonder("demo", "harbour", "--json", cwd=tmp_path)
    assert again.status == 0
    assert again.json["gathered"]["generation"] == 1
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "file").write_text("mine")
    refused = yonder("demo", "other", cwd=tmp_path)
    assert refused.status == 2
    assert "something else" in refused.err
    assert [p.name for p in (tmp_path / "other").iterdir()] == ["file"]


def test_new_leaves_alone_what_is_there(yonder, tmp_path: Path) -> None:
    (tmp_path / "yonder.toml").write_text('[desk]\nname = "mine"')
    ran = yonder("new", ".", "--json", cwd=tmp_path)
    assert ran.json["made"] == ["documents/", "questions.jsonl", ".gitignore"]
    assert "mine" in (tmp_path / "yonder.toml").read_text()
    assert ".yonder/" in (tmp_path / ".gitignore").read_text()
    (tmp_path / "file").write_text("")
    assert yonder("new", "file", cwd=tmp_path).status == 2


def test_gather_find_ask_trace(yonder, small: Path) -> None:
    ran = yonder("gather", "--json", cwd=small)
    assert ran.json["sources"]["documents"]["unchanged"] == 1
    assert "Nothing to do: 1 document, 1 passage, all up to date" in yonder("gather", cwd=small).out
    found = yonder("find", "When does the quay close?", "--why", cwd=small)
    assert found.status == 0
    assert "documents/quay.md, lines 1-7" in found.out
    assert "lexical           rank 1" in found.out
    as_json = yonder("find", "quay", "--json", cwd=small).json
    assert as_json["hits"][0]["text"].startswith("# Quay")
    assert yonder("find", "zeppelin", cwd=small).status == 1
    asked = yonder("ask", "When does the quay close?", "--set", "answer.min_support=0", cwd=small)
    assert asked.status == 0
    assert "The quay closes at 22:00 in summer and at 18:00 in winter. [1]" in asked.out
    declined = yonder("ask", "Who owns the zeppelin?", "--json", cwd=small)
    assert declined.status == 1
    assert declined.json["status"] == "declined"
    shown = yonder("trace", "--last", cwd=small)
    assert "Who owns the zeppelin?" in shown.out
    assert "declined, support" in shown.out
    listed = yonder("trace", "--json", cwd=small).json
    assert [trace["question"] for trace in listed] == [
        "Who owns the zeppelin?",
        "When does the quay close?",
    ]
    assert yonder("trace", "nothing", cwd=small).status == 2


def test_look_shows_sources_documents_passages_and_details(
    yonder, small: Path, whole_demo: Path
) -> None:
    sources = yonder("look", "--json", cwd=whole_demo).json
    assert sum(one["documents"] for one in sources) == 94
    board = next(one for one in sources if one["name"] == "board")
    assert (board["documents"], board["audience"], board["languages"]) == (2, ["board"], ["en"])
    assert "Generation 1 in 1 segment" in yonder("look", cwd=whole_demo).out
    listed = yonder("look", "--source", "tariffs", "--json", cwd=whole_demo).json
    assert [one["id"] for one in listed][1:] == [
        "tariffs/tariff-2025.md",
        "tariffs/tariff-2026.md",
    ]
    assert listed[1]["valid"] == "from 2025-04-01 until 2026-04-01"
    whole = yonder("look", "tariffs/tariff-2026.md", "--json", cwd=whole_demo).json
    assert whole["metadata"]["supersedes"] == "tariffs/tariff-2025.md"
    assert "Part 2: Visitors" in [one["words"] for one in whole["outline"]]
    shown = yonder("look", "tariffs/tariff-2026.md", cwd=whole_demo).out
    for passage in whole["passages"]:
        assert all(f"   {line}".rstrip() in shown for line in passage["text"].splitlines())
        assert passage["context_header"].startswith("Tariff 2026")
    assert (
        "  The four places" in yonder("look", "handbook/berths.md", "--outline", cwd=whole_demo).out
    )
    drawn = yonder("look", "--random", "3", "--seed", "7", cwd=whole_demo).out
    assert drawn == yonder("look", "--random", "3", "--seed", "7", cwd=whole_demo).out
    assert drawn.count("context header: ") == 3
    assert yonder("look", "--metadata", "--json", cwd=whole_demo).json["language"] == {"en": 94}
    wrong = yonder("look", "handbook/berth.md", cwd=whole_demo)
    assert wrong.status == 2
    assert "did you mean handbook/berths.md" in wrong.err
    (small / "documents" / "bad.md").write_bytes(b"\x00")
    yonder("gather", cwd=small)
    assert "documents/bad.md: the file looks binary" in yonder("look", "--failures", cwd=small).out
    assert "1 failure" in yonder("look", cwd=small).out


def test_talk_works_in_a_pipe_and_goes_on_later(yonder, small: Path) -> None:
    lines = "When does the quay close in summer?\n\nAnd in winter?\nbye\nnot read\n"
    ran = yonder("talk", "--set", "answer.min_support=0", cwd=small, stdin=lines)
    assert ran.status == 0
    assert "(taken as: When does the quay close in summer? And in winter?)" in ran.out
    assert "not read" not in ran.out
    again = yonder("talk", "--resume", "--json", cwd=small, stdin="And at night?\n" + "x" * 5000)
    assert again.status == 0
    assert "5,000 characters" in again.err
    answer = json.loads(again.out.splitlines()[0])
    assert answer["rewritten"].startswith("When does the quay close in summer?")
    (kept,) = Desk.open(small).conversations.newest()
    assert (kept.title, kept.turns) == ("When does the quay close in summer?", 3)
    listed = yonder("talk", "--list", cwd=small)
    assert kept.id in listed.out
    assert "3 turns  When does the quay" in listed.out
    assert yonder("talk", "--search", "no such words", cwd=small).status == 1
    assert yonder("talk", "--rename", kept.id, "Closing times", cwd=small).status == 0
    shown = yonder("talk", "--export", kept.id, cwd=small).out
    assert shown.startswith("# Closing times\n\n## When does the quay close in summer?")
    assert "*Taken as: When does the quay close in summer? And in winter?*" in shown
    whole = json.loads(yonder("talk", "--export", kept.id, "--json", cwd=small).out)
    assert whole["turns"][1]["reply"]["citations"]
    assert yonder("talk", "--delete", kept.id, cwd=small).status == 0
    assert yonder("talk", "--list", cwd=small).status == 1
    assert yonder("talk", "--conversation", "none", cwd=small, stdin="").status == 2


def test_talk_in_a_terminal_ends_with_an_interrupt(small: Path) -> None:
    leader, follower = pty.openpty()
    child = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "talk"],
        cwd=small,
        stdin=follower,
        stdout=follower,
        stderr=follower,
        start_new_session=True,
        env={**os.environ, "TERM": "xterm"},
    )
    os.close(follower)
    seen = read_until(leader, "›")
    os.write(leader, b"When does the quay close?\n")
    seen += read_until(leader, "support")
    time.sleep(0.2)
    child.send_signal(signal.SIGINT)
    assert child.wait(HANGS) in (0, 130)
    seen += read_until(leader, "Saved")
    os.close(leader)
    assert "ends it" in seen
    assert "Saved. Resume with" in seen
    assert "Traceback" not in seen


def test_grade_writes_tables_json_csv_and_a_figure(
    yonder, whole_demo: Path, tmp_path: Path
) -> None:
    target, figure = tmp_path / "grades.csv", tmp_path / "grades.svg"
    only = ("--split", "test")
    ran = yonder("grade", *only, "--csv", str(target), "--figure", str(figure), cwd=whole_demo)
    assert ran.status == 0, ran.err
    assert "129 questions, 82 of them answerable" in ran.out
    rows = list(csv.DictReader(target.open(newline="")))
    assert len(rows) == 129
    assert {"id", "kind", "right", "ndcg@10"} <= rows[0].keys()
    assert b"<svg" in figure.read_bytes()[:1000]
    summary = yonder("grade", *only, "--json", cwd=whole_demo).json["summary"]
    held = {r["measure"]: r for r in summary if r["questions"] == "split test"}
    assert f"{held['mrr']['mean']:.3f} [{held['mrr']['low']:.3f}" in ran.out
    bad = yonder("grade", "--figure", str(tmp_path / "grades.xyz"), cwd=whole_demo)
    assert bad.status == 2
    assert "cannot be drawn" in bad.err


def test_check_says_what_is_good_and_what_to_mend(yonder, small: Path, demo: Path) -> None:
    good = yonder("check", cwd=demo)
    assert good.status == 0
    assert "every quote is found" in good.out
    assert "BAD" not in good.out
    (small / "documents" / "quay.md").write_bytes(b"\x00")
    yonder("gather", cwd=small)
    shutil.rmtree(small / "documents")
    bad = yonder("check", cwd=small)
    assert bad.status == 1
    assert "the folder does not exist" in bad.out
    assert "looks binary" in bad.out
    shutil.rmtree(small / ".yonder")
    assert "nothing has been gathered" in yonder("check", "--json", cwd=small).out


@pytest.mark.parametrize(
    ("arguments", "status", "words"),
    [
        (["ask", "x"], 2, "there is no yonder.toml"),
        (["gather", "--desk", "/nowhere"], 2, "there is no yonder.toml"),
        (["ask"], 2, "Missing argument"),
        (["asc", "x"], 2, "Did you mean 'ask'"),
        (["find", "x", "--limit", "few"], 2, "--limit"),
        (["find", "x", "--nothing"], 2, "No such option"),
    ],
)
def test_wrong_calls_exit_with_2(
    yonder, tmp_path: Path, arguments: list[str], status: int, words: str
) -> None:
    ran = yonder(*arguments, cwd=tmp_path)
    assert ran.status == status
    assert words in ran.err
    assert "Traceback" not in ran.err


@pytest.mark.parametrize(
    ("arguments", "status", "words"),
    [
        (["ask", ""], 2, "the question is empty"),
        (["ask", "x" * 100_000], 2, "100,000 characters"),
        (["find", "x", "--limit", "0"], 2, "a limit of 0"),
        (["find", "x", "--as-of", "soon"], 2, "not a date"),
        (["find", "x", "--set", "find.limt=3"], 2, "did you mean 'limit'"),
        (["find", "x", "--set", "find"], 2, "section.key=value"),
        (["grade"], 2, "the question set is empty"),
        (["grade", "--questions", "none.jsonl"], 2, "there is no question set"),
    ],
    ids=lambda value: str(value)[:30],
)
def test_wrong_values_exit_with_2(
    yonder, small: Path, arguments: list[str], status: int, words: str
) -> None:
    ran = yonder(*arguments, cwd=small)
    assert ran.status == status
    assert words in ran.err
    assert "to do:" in ran.err
    assert "Traceback" not in ran.err


def test_strict_makes_a_failed_item_count(yonder, small: Path) -> None:
    (small / "documents" / "bad.md").write_bytes(b"\x00")
    assert yonder("gather", cwd=small).status == 0
    strict = yonder("gather", "--strict", cwd=small)
    assert strict.status == 1
    assert "documents/bad.md: the file looks binary" in strict.out


def test_errors_are_json_for_programs(yonder, tmp_path: Path) -> None:
    ran = yonder("ask", "x", "--json", cwd=tmp_path)
    assert ran.status == 2
    assert "yonder new" in ran.json["error"]["remedy"]


@pytest.mark.parametrize("script", sorted((ROOT / "examples").glob("*.py")), ids=lambda p: p.stem)
def test_examples_run(script: Path, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, str(script)], cwd=tmp_path, capture_output=True, text=True, timeout=HANGS
    )
    assert done.returncode == 0, done.stderr
    assert len(done.stdout.splitlines()) >= 3
