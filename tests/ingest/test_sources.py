"""Repositories, tables, programs' own documents, moves, duplicates, rules: kept in step."""

from __future__ import annotations

import csv
import re
import sqlite3
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest

from conftest import call_yonder, needs
from yonder_lantern import Desk
from yonder_lantern.core import CallError, GatherReport, SourceError, YonderError
from yonder_lantern.ingest.sources import HeldItem

MakeDesk = Callable[..., Desk]


def ids(desk: Desk) -> list[str]:
    return sorted(desk.snapshot().store.live())


def gathered(desk: Desk) -> GatherReport:
    return Desk.open(desk.folder).gather()


def counts(report: GatherReport) -> tuple[int, int, int, int, int, int]:
    return (
        report.added,
        report.changed,
        report.moved,
        report.unchanged,
        report.removed,
        report.failed,
    )


# -- repositories


def git(folder: Path, *arguments: str) -> str:
    who = ("-c", "user.name=Crew", "-c", "user.email=crew@saltgarth.example")
    done = subprocess.run(["git", *who, *arguments], cwd=folder, check=True, capture_output=True)
    return done.stdout.decode().strip()


def commit(folder: Path, files: dict[str, str]) -> str:
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    git(folder, "add", "--all")
    git(folder, "commit", "--quiet", "--message", "a change")
    return git(folder, "rev-parse", "HEAD")


@pytest.fixture
def repository(tmp_path: Path) -> Path:
    needs("git")
    folder = tmp_path / "code"
    folder.mkdir()
    git(folder, "init", "--quiet", "--initial-branch=main")
    commit(
        folder,
        {
            "README.md": "# Tide tools\n\nTools for tide tables.",
            "docs/use guide.md": "# Guide\n\nTurn the wheel slowly.",
            "docs/deep/notes.txt": "Notes\n\nThe wheel squeaks in frost.",
            "src/wheel.py": '"""Turn the wheel."""\n\n\ndef turn() -> int:\n    return 3\n',
            "secret/server.key": "key",
            ".hidden/x.md": "hidden",
        },
    )
    (folder / "link.md").symlink_to("/etc/passwd")
    commit(folder, {})
    return folder


def from_repository(more: str = "") -> str:
    return f'[[source]]\nname = "code"\nrepository = "../code"\n{more}'


def test_a_repository_gives_its_files_and_an_outline(make_desk: MakeDesk, repository: Path) -> None:
    desk = make_desk({}, from_repository())
    assert desk.gather().problems == []
    assert ids(desk) == [
        "code/(outline).md",
        "code/README.md",
        "code/docs/deep/notes.txt",
        "code/docs/use guide.md",
        "code/src/wheel.py",
    ]
    outline = desk.document("code/(outline).md")
    assert outline is not None
    assert "- src/wheel.py: Turn the wheel." in outline.text
    assert "- docs/use guide.md: Guide" in outline.text
    readme = desk.document("code/README.md")
    assert readme is not None
    assert readme.metadata["commit"] == git(repository, "rev-parse", "HEAD")
    assert readme.metadata["path"] == "README.md"


def test_a_new_commit_touches_only_the_files_it_changed(
    make_desk: MakeDesk, repository: Path
) -> None:
    desk = make_desk({}, from_repository("outline = false"))
    desk.gather()
    commit(repository, {"README.md": "# Tide tools\n\nTools for tide tables and staffs."})
    (repository / "src" / "wheel.py").unlink()
    commit(repository, {})
    assert counts(gathered(desk)) == (0, 1, 0, 2, 1, 0)
    assert counts(gathered(desk)) == (0, 0, 0, 3, 0, 0)


@pytest.mark.usefixtures("repository")
def test_only_a_folder_and_some_kinds_of_a_repository_are_read(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {}, from_repository('subfolder = "docs"\ninclude = ["**/*.md"]\noutline = false')
    )
    desk.gather()
    assert ids(desk) == ["code/use guide.md"]
    copied = [
        p.name for p in (desk.state / "sources" / "code" / "copy").rglob("*.*") if p.is_file()
    ]
    assert "notes.txt" not in copied


def test_branches_tags_and_commits_can_be_named(make_desk: MakeDesk, repository: Path) -> None:
    first = git(repository, "rev-parse", "HEAD")
    git(repository, "tag", "v1")
    git(repository, "checkout", "--quiet", "-b", "next")
    commit(repository, {"next.md": "# Next\n\nWhat comes next."})
    for at, there in (("next", True), ("v1", False), ("main", False), (first[:10], False)):
        desk = make_desk({}, from_repository(f'ref = "{at}"'), name=f"desk-{at}")
        assert desk.gather().problems == [], at
        assert ("code/next.md" in ids(desk)) is there


@pytest.mark.usefixtures("repository")
@pytest.mark.parametrize(
    ("settings", "what"),
    [
        ('repository = "../no-such"', "does not exist"),
        ('repository = "file:///no/such/place"', "git fetch failed"),
        ('repository = "--upload-pack=touch x"', "an option, not an address"),
        ('repository = "ext::sh -c touch% x"', "an option, not an address"),
        ('repository = "../code"\nref = "no-such"', "no branch, tag or commit 'no-such'"),
        ('repository = "../code"\nsubfolder = "no-such"', "no folder 'no-such'"),
    ],
)
def test_a_repository_that_cannot_be_had_is_explained(
    make_desk: MakeDesk, settings: str, what: str
) -> None:
    desk = make_desk({}, f'[[source]]\nname = "code"\n{settings}')
    with pytest.raises(SourceError, match=re.escape(what)) as caught:
        desk.gather()
    assert caught.value.remedy


# -- tables

ROWS = [
    ["code", "what", "load", "tested", "safe", "post"],
    ["CR-01", "quay crane", "1.5", "2026-01-19", "yes", "007"],
    ["CR-02", "jib crane", "12", "2026-02-19", "no", "014"],
    ["HO-1", "hoist", "", "2026-02-04", "yes", ""],
]
TABLE = '[[source]]\nname = "lifts"\nkey = "code"\n'


def put_csv(desk: Desk, rows: list[list[str]]) -> None:
    with (desk.folder / "lifts.csv").open("w", newline="") as opened:
        csv.writer(opened).writerows(rows)


def test_rows_become_documents_with_typed_details(make_desk: MakeDesk) -> None:
    template = 'table = "lifts.csv"\ntitle = "Lift {code}"\ntext = "The {what} lifts {load} t."'
    desk = make_desk({}, TABLE + template)
    put_csv(desk, ROWS)
    assert desk.gather().added == 3
    crane = desk.document("lifts/CR-01")
    assert crane is not None
    assert (crane.title, crane.text) == ("Lift CR-01", "The quay crane lifts 1.5 t.")
    assert crane.metadata == {
        "code": "CR-01",
        "what": "quay crane",
        "load": 1.5,
        "tested": "2026-01-19",
        "safe": True,
        "post": "007",
    }
    assert str(desk.find("quay crane", limit=1)[0].location) == "row 2"
    changed = [row.copy() for row in ROWS]
    changed[2][2] = "10"
    put_csv(desk, [*changed, ["CR-03", "mast crane", "0.4", "2026-03-11", "yes", "021"]])
    assert counts(gathered(desk)) == (1, 1, 0, 2, 0, 0)
    put_csv(desk, changed[:2])
    assert counts(gathered(desk)) == (0, 0, 0, 1, 3, 0)


def test_rows_that_cannot_be_told_apart_are_reported(make_desk: MakeDesk) -> None:
    desk = make_desk({}, TABLE + 'table = "lifts.csv"')
    put_csv(desk, [*ROWS, ["CR-02", "another", "", "", "", ""], ["", "nameless", "", "", "", ""]])
    report = desk.gather()
    assert (report.added, report.failed) == (3, 2)
    reasons = sorted(problem.reason for problem in report.problems)
    assert reasons == ["its key column 'code' is empty", "its key stands in row 3 too"]
    assert "jib crane" in str(getattr(desk.document("lifts/CR-02"), "text", ""))


@pytest.mark.parametrize(
    ("settings", "what", "remedy"),
    [
        ('table = "lifts.csv"\ntext = "{wat}"', "no column 'wat'", "did you mean 'what'?"),
        ('table = "lifts.csv"\nupdated_column = "when"', "no column 'when'", "there are: code"),
        ('table = "no.csv"', "does not exist", "fix"),
        ('table = "lifts.txt"', "cannot be read from a .txt", ".csv"),
        ('table = "sqlite:///lifts.db"\nquery = "SELECT * FROM no_such"', "no such table", "query"),
        ('table = "nosuch://x/y"\nquery = "SELECT 1"', "not a database", "sqlite:///"),
        ('table = "postgresql://127.0.0.1:9/x"\nquery = "SELECT 1"', "cannot be read", "up?"),
        ('table = "lifts.xlsx"\nsheet = "Two"', "no sheet 'Two'", "the sheets are: One"),
    ],
)
def test_a_table_that_cannot_be_read_is_explained(
    make_desk: MakeDesk, settings: str, what: str, remedy: str
) -> None:
    desk = make_desk({}, TABLE + settings)
    put_csv(desk, ROWS)
    (desk.folder / "lifts.txt").write_text("x")
    sqlite3.connect(desk.folder / "lifts.db").close()
    book = openpyxl.Workbook()
    assert book.active is not None
    book.active.title = "One"
    book.save(desk.folder / "lifts.xlsx")
    with pytest.raises(YonderError, match=re.escape(what)) as caught:
        desk.gather()
    assert remedy in caught.value.remedy


def test_ready_answers_are_found_by_their_question_and_cited_alone(make_desk: MakeDesk) -> None:
    settings = 'table = "ready.jsonl"\nmatch_column = "asked"\nanswer_column = "answer"'
    desk = make_desk({}, TABLE + settings)
    (desk.folder / "ready.jsonl").write_text(
        '{"code": 1, "asked": "May dogs swim in the dock?", "answer": "Only on a lead."}\n'
        '{"code": 2, "asked": "Is there a bakery?", "answer": "In Tarrow Lane.", "n": [1, 2]}\n'
    )
    desk.gather()
    hit = desk.find("may my dog swim", limit=1)[0]
    assert (hit.document, hit.text, hit.title) == (
        "lifts/1",
        "Only on a lead.",
        "May dogs swim in the dock?",
    )


def test_a_database_is_followed_by_its_updated_column(make_desk: MakeDesk) -> None:
    settings = (
        'table = "sqlite:///lifts.db"\nquery = "SELECT * FROM lifts"\nupdated_column = "seen"'
    )
    desk = make_desk({}, TABLE + settings)
    with sqlite3.connect(desk.folder / "lifts.db") as database:
        database.execute("CREATE TABLE lifts (code TEXT, what TEXT, seen INTEGER)")
        database.executemany(
            "INSERT INTO lifts VALUES (?,?,1)", [(f"L-{n}", f"lift {n}") for n in range(5)]
        )
    assert desk.gather().added == 5
    with sqlite3.connect(desk.folder / "lifts.db") as database:
        database.execute("UPDATE lifts SET what = 'unseen change' WHERE code = 'L-1'")
        database.execute("UPDATE lifts SET what = 'new cradle', seen = 2 WHERE code = 'L-2'")
    assert counts(gathered(desk)) == (0, 1, 0, 4, 0, 0)
    assert desk.find("new cradle", limit=1)[0].document == "lifts/L-2"


def test_a_real_postgresql_database_is_read_and_may_go_away(
    make_desk: MakeDesk, postgres: tuple[str, Callable[[str], None]]
) -> None:
    import psycopg

    address, control = postgres
    with psycopg.connect(address) as connection:
        connection.execute(
            "CREATE TABLE berths AS SELECT 'B-' || n AS code, n * 1.5 AS metres, "
            "DATE '2026-01-01' + n AS since, 'berth for yachts ' || n AS what "
            "FROM generate_series(1, 3000) AS n"
        )
    query = "SELECT * FROM berths ORDER BY code"
    settings = TABLE.replace("lifts", "berths") + f'table = "{address}"\nquery = "{query}"'
    desk = make_desk({}, settings)
    assert desk.gather().added == 3000
    berth = desk.document("berths/B-4")
    assert berth is not None
    assert berth.metadata["since"] == "2026-01-05"
    assert berth.metadata["metres"] in (6, 6.0, "6.0")
    with psycopg.connect(address) as connection:
        connection.execute("UPDATE berths SET what = 'shut' WHERE code = 'B-7'")
        connection.execute("DELETE FROM berths WHERE code = 'B-8'")
    assert counts(gathered(desk)) == (0, 1, 0, 2998, 1, 0)
    # The server dies in the middle of giving its rows: nothing of what was there is lost.
    dying = query.replace(
        "*", "*, CASE WHEN code = 'B-900' THEN pg_terminate_backend(pg_backend_pid()) END AS x"
    )
    (desk.folder / "yonder.toml").write_text(settings.replace(query, dying))
    report = gathered(desk)
    assert report.sources["berths"].failed == 1
    assert "2999 earlier documents are kept" in report.problems[0].reason
    control("stop")
    try:
        (desk.folder / "yonder.toml").write_text(settings)
        report = gathered(desk)
        assert report.sources["berths"].failed == 1
        assert len(ids(desk)) == 2999
    finally:
        control("start")


# -- held by a program, added on the way


def test_a_programs_documents_stay_until_it_says_otherwise(make_desk: MakeDesk) -> None:
    desk = make_desk({"a.md": "# Quay\n\nThe quay is wet."})
    desk.gather()
    held = {"one.md": "# One\n\nThe first note is short.", "two": "The second note is plain."}
    assert desk.gather(items=held, source="notes").added == 2
    assert ids(desk) == ["documents/a.md", "notes/one.md", "notes/two"]
    assert counts(desk.gather()) == (0, 0, 0, 1, 0, 0)
    more = [HeldItem("three", "A third, for the crew.", {"title": "Third"})]
    assert desk.gather(items=more, source="notes", complete=False).added == 1
    assert len(ids(desk)) == 4
    desk.gather(rebuild=True)
    assert len(ids(desk)) == 4
    third = desk.document("notes/three")
    assert third is not None
    assert third.title == "Third" or third.metadata["title"] == "Third"
    assert desk.gather(items={"one.md": held["one.md"]}, source="notes").removed == 2
    assert desk.gather(items={}, source="notes").removed == 1
    with pytest.raises(CallError, match="in the settings"):
        desk.gather(items=held, source="documents")
    with pytest.raises(CallError, match="not a name"):
        desk.gather(items=held, source="notes/mine")


def test_only_the_sources_named_are_gathered(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {"a.md": "# A\n\nSome words."}, '[[source]]\nname = "a"\n[[source]]\nname = "b"'
    )
    assert list(desk.gather(sources=["b"]).sources) == ["b"]
    with pytest.raises(CallError, match="no source 'c'"):
        desk.gather(sources=["c"])


# -- moves, duplicates, superseding, rules


def test_a_moved_file_keeps_its_passages_and_vectors(make_desk: MakeDesk) -> None:
    files = {
        f"{n}.md": f"# Note {n}\n\nNote number {n} is about the quay and the boats."
        for n in range(4)
    }
    desk = make_desk(files)
    desk.gather()
    folder = desk.folder / "documents"
    (folder / "old").mkdir()
    (folder / "2.md").rename(folder / "old" / "two.md")
    index = desk.state / "index"
    before = sorted(path.name for path in (index / "vectors").iterdir())
    report = desk.gather()
    assert counts(report) == (0, 0, 1, 3, 0, 0)
    assert report.tokens == 0
    assert sorted(path.name for path in (index / "vectors").iterdir()) == before
    assert "documents/old/two.md" in [hit.document for hit in desk.find("note number 2 quay")]
    assert "documents/2.md" not in ids(desk)
    for n in range(12):  # through folding and rebuilding of segments, too
        (folder / f"more{n}.md").write_text(f"# More {n}\n\nFurther words about rope {n}.")
        desk.gather()
    assert "documents/old/two.md" in [hit.document for hit in desk.find("note number 2 quay")]


SAME = "The fuel berth on the east quay opens at {} on working days and sells diesel to all boats."


def test_the_same_words_are_shown_once_and_other_figures_are_not_the_same(
    make_desk: MakeDesk,
) -> None:
    settings = (
        '[[source]]\nname = "a"\nfolder = "documents/a"\n'
        '[[source]]\nname = "b"\nfolder = "documents/b"\naudience = ["crew"]'
    )
    files = {
        "a/one.md": SAME.format("08:00"),
        "a/two.md": SAME.format("09:00"),
        "b/one.md": SAME.format("08:00"),
    }
    desk = make_desk(files, settings)
    desk.gather()
    hits = desk.find("when does the fuel berth open")
    assert [hit.document for hit in hits] == ["a/one.md", "a/two.md"]
    assert [one.document for one in hits[0].also] == ["b/one.md"]
    for labels in (["public"], ["crew"]):
        for hit in desk.find("when does the fuel berth open", audience=labels):
            assert hit.also == ()
    database = sqlite3.connect(desk.state / "index" / "documents.sqlite")
    assert database.execute("SELECT COUNT(*) FROM contents").fetchone() == (2,)
    database.close()


def test_nearly_identical_documents_are_recognised(make_desk: MakeDesk, yonder) -> None:
    words = " ".join(
        f"Rule {n} says that boats of kind {n} lie at berth {n * 7}." for n in range(80)
    )
    files = {"one.md": words, "copy.md": words, "near.md": words + " One more.", "other.md": "Ice."}
    desk = make_desk(files)
    desk.gather()
    ran = yonder("look", "--duplicates", "--json", cwd=desk.folder)
    assert ran.json == [["documents/copy.md", "documents/near.md", "documents/one.md"]]


def test_a_superseded_document_ends_where_the_next_begins(make_desk: MakeDesk) -> None:
    files = {
        "old.md": "# Dues\n\nThe dues for yachts are nine crowns a night.",
        "new.md": "---\nsupersedes: old.md\nvalid_from: 2026-04-01\n---\n# Dues\n\n"
        "The dues for yachts are eleven crowns a night.",
    }
    desk = make_desk(files)
    desk.gather()

    def seen(as_of: str) -> set[str]:
        return {hit.document for hit in desk.find("dues for yachts", as_of=as_of)}

    assert seen("2026-03-31") == {"documents/old.md"}
    assert seen("2026-04-01") == {"documents/new.md"}
    assert desk.gather().nothing_to_do
    (desk.folder / "documents" / "new.md").write_text(files["new.md"].replace("2026-04", "2026-06"))
    desk.gather()
    assert seen("2026-05-01") == {"documents/old.md"}
    (desk.folder / "documents" / "new.md").unlink()
    desk.gather()
    assert seen("2026-07-01") == {"documents/old.md"}


def test_what_some_may_not_see_supersedes_nothing_that_they_may(make_desk: MakeDesk) -> None:
    settings = (
        '[[source]]\nname = "a"\nfolder = "documents/a"\n'
        '[[source]]\nname = "b"\nfolder = "documents/b"\naudience = ["board"]\n'
        '[[source.rule]]\nmatch = "*.md"\nsupersedes = ["a/dues.md", "a/none.md"]'
    )
    files = {"a/dues.md": "The dues are nine crowns.", "b/draft.md": "The dues may be ten crowns."}
    desk = make_desk(files, settings)
    report = desk.gather()
    assert len(report.notices) == 2
    assert {hit.document for hit in desk.find("dues")} == {"a/dues.md", "b/draft.md"}


def test_rules_say_what_documents_do_not(make_desk: MakeDesk) -> None:
    settings = (
        '[[source]]\nname = "documents"\naudience = ["public", "crew"]\n'
        'metadata = { office = "quay" }\n'
        '[[source.rule]]\nmatch = "2025-*"\nvalid_until = "2026-01-01"\naudience = ["crew"]\n'
        "metadata = { year = 2025 }"
    )
    desk = make_desk({"2025-a.md": "Old dues.", "2026-a.md": "New dues."}, settings)
    desk.gather()
    old = desk.document("documents/2025-a.md")
    assert old is not None
    assert old.audience == {"crew"}
    assert (old.metadata["year"], old.metadata["office"]) == (2025, "quay")
    assert [hit.document for hit in desk.find("dues", as_of="2026-05-01")] == [
        "documents/2026-a.md"
    ]


def test_watching_gathers_what_changes(make_desk: MakeDesk) -> None:
    from yonder_lantern.desk.watching import watch

    desk = make_desk({"a.md": "# Quay\n\nThe quay is wet."})

    class Until:
        over = False

        def is_set(self) -> bool:
            return self.over

    cancel = Until()
    reports = watch(desk, cancel=cancel, seconds=0.05)
    assert next(reports).added == 1
    (desk.folder / "documents" / "b.md").write_text("# Ice\n\nIce is made at night.")
    assert next(reports).added == 1
    cancel.over = True
    assert list(reports) == []


# -- what other packages bring

PLUGIN = """
import os, time
from yonder_lantern.ingest.formats import Format
from yonder_lantern.core import Item, Parsed, Block, BlockKind, Stamp

class Slow(Format):
    name, version, suffixes = "slow", 1, (".slow", ".dies", ".bug", ".fine")
    def read(self, data, file_name):
        if file_name.endswith(".slow"):
            time.sleep(900)
        if file_name.endswith(".dies"):
            os._exit(9)
        if file_name.endswith(".bug"):
            raise ZeroDivisionError("a fault")
        return Parsed("Fine words.", (Block(BlockKind.PARAGRAPH, 0, 11),), "Fine")

class Tides:
    def __init__(self, settings, around):
        self.settings = settings
    def check(self):
        pass
    def items(self):
        for n in range(self.settings.options["count"]):
            yield Item(self.settings.name, f"{n}.txt", lambda: b"High tide at noon.", Stamp(0, 0),
                       frozenset(self.settings.audience))
"""
POINTS = """[yonder_lantern.formats]
slow = tideplug:Slow
[yonder_lantern.sources]
tides = tideplug:Tides
"""


def test_formats_and_sources_of_other_packages_work_and_cannot_do_harm(
    make_desk: MakeDesk, yonder, tmp_path: Path
) -> None:
    about = tmp_path / "plug" / "tideplug-0.1.dist-info"
    about.mkdir(parents=True)
    (tmp_path / "plug" / "tideplug.py").write_text(PLUGIN)
    (about / "METADATA").write_text("Metadata-Version: 2.1\nName: tideplug\nVersion: 0.1\n")
    (about / "entry_points.txt").write_text(POINTS)
    files = {"a.slow": "x", "b.dies": "x", "c.bug": "x", "d.fine": "x", "e.md": "# Quay\n\nWet."}
    settings = (
        '[[source]]\nname = "documents"\n[[source]]\nname = "tides"\nkind = "tides"\n'
        "options = { count = 2 }\n[gather]\nseconds_per_item = 3\nprocesses = 1"
    )
    desk = make_desk(files, settings)
    began = time.monotonic()
    ran = yonder("gather", "--json", cwd=desk.folder, PYTHONPATH=str(tmp_path / "plug"))
    assert ran.status == 0, ran.err
    assert time.monotonic() - began < 600
    reasons = {one["item"]: one["reason"] for one in ran.json["problems"]}
    assert "more than 3 seconds" in reasons["documents/a.slow"]
    assert "the process that read it died" in reasons["documents/b.dies"]
    assert "the format slow failed on it: ZeroDivisionError" in reasons["documents/c.bug"]
    assert ran.json["documents"] == 4
    unknown = yonder("gather", cwd=desk.folder)
    assert "no installed package brings sources of the kind 'tides'" in unknown.out


def test_a_link_to_a_folder_is_said_not_to_be_followed(make_desk: MakeDesk, tmp_path: Path) -> None:
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "elsewhere" / "b.md").write_text("# B\n\nA berth.")
    desk = make_desk({"a.md": "# A\n\nA quay."})
    (desk.folder / "documents" / "more").symlink_to(tmp_path / "elsewhere")
    report = desk.gather()
    assert report.documents == 1
    assert any("more is a link to the folder" in one for one in report.notices)


@pytest.mark.usefixtures("repository")
def test_pasted_addresses_of_repositories_are_taken_apart(
    make_desk: MakeDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from yonder_lantern.desk.gathering import add_source, add_to_settings

    refs = frozenset({"HEAD", "main", "feature/tide", "v1"})
    monkeypatch.setattr(
        add_source, "remote_refs", lambda one: refs if "code.example" in one else ()
    )
    desk = make_desk({})
    for address, lines in (
        ("https://code.example/harbour/gauge/tree/main/docs/a",
         ['ref = "main"', 'subfolder = "docs/a"']),
        ("https://code.example/harbour/gauge/-/tree/feature/tide/docs?x=1#top",
         ['ref = "feature/tide"', 'subfolder = "docs"']),
        ("https://code.example/harbour/gauge/blob/main/docs/tide.md",
         ['ref = "main"', 'include = ["docs/tide.md"]']),
        ("https://code.example/harbour/gauge/src/branch/main/docs",
         ['ref = "main"', 'subfolder = "docs"']),
        ("https://code.example/harbour/gauge", []),
    ):  # fmt: skip
        added = add_to_settings(desk.folder, desk.settings, address, "", ("public",))
        told = added.section.decode()
        assert 'repository = "https://code.example/harbour/gauge"' in told
        assert all(line in told for line in lines), told
        add_source.take_back(desk.folder, added)
    site = add_to_settings(desk.folder, desk.settings, "https://saltgarth.example/src/a", "", ())
    assert 'site = "https://saltgarth.example/src/a"' in site.section.decode()
    empty = tmp_path / "empty"
    empty.mkdir()
    (empty / "yonder.toml").touch()
    add_to_settings(empty, desk.settings, "https://saltgarth.example/a", "", ())
    assert (empty / "yonder.toml").read_text().count("[[source]]") == 1  # none that always fails


def test_a_secret_that_is_not_set_stops_only_what_needs_it(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {"a.md": "# A\n\nThe quay closes at ten."},
        '[[source]]\nname = "documents"\n[[source]]\nname = "feed"\n'
        'feed = "https://saltgarth.example/${NO_SUCH_SECRET}"\n',
    )
    report = desk.gather()
    assert report.documents == 1
    assert any("NO_SUCH_SECRET is not set" in one.reason for one in report.problems)
    told = call_yonder("check", cwd=desk.folder)
    assert "the environment variable NO_SUCH_SECRET is not set" in told.out
    assert desk.find("quay")
