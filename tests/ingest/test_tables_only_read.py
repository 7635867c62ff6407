"""A table source cannot write: not to its database, nor anywhere else."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import needs_package
from yonder_lantern import Desk
from yonder_lantern.core import YonderError

MakeDesk = Callable[..., Desk]
SECTION = '[[source]]\nname = "berths"\nkey = "code"\ntable = "{table}"\nquery = """{query}"""\n'
WRITING = [
    "DROP TABLE berths",
    "DELETE FROM berths",
    "UPDATE berths SET metres = 0 RETURNING *",
    "INSERT INTO berths VALUES ('X', 1) RETURNING *",
    "CREATE TABLE more AS SELECT * FROM berths",
    "ATTACH DATABASE 'other.db' AS other",
    "VACUUM INTO 'copy.db'",
    "VACUUM",
    "PRAGMA writable_schema = 1",
    "PRAGMA journal_mode = DELETE",
    "PRAGMA user_version = 7",
    "REINDEX",
    "BEGIN IMMEDIATE",
    "SELECT * FROM berths; DROP TABLE berths",
    "SELECT load_extension('x')",
    "SELECT writefile('stolen.txt', 'x') AS code",
    "WITH gone AS (SELECT 1) DELETE FROM berths",
    "EXPLAIN DELETE FROM berths",
]


@pytest.fixture
def harbour(tmp_path: Path) -> Path:
    path = tmp_path / "harbour.db"
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE berths (code TEXT, metres REAL)")
        connection.executemany("INSERT INTO berths VALUES (?, ?)", [("B-1", 9.5), ("B-2", 4)])
    return path


@pytest.mark.parametrize("query", WRITING)
def test_sqlite_is_only_read(query: str, harbour: Path, make_desk: MakeDesk) -> None:
    before = harbour.read_bytes()
    beside = {path.name for path in harbour.parent.rglob("*.db")}
    desk = make_desk({}, SECTION.format(table=f"sqlite:///{harbour}", query=query))
    with pytest.raises(YonderError) as caught:
        desk.gather()
    assert caught.value.remedy
    assert harbour.read_bytes() == before
    assert {path.name for path in harbour.parent.rglob("*.db")} == beside
    assert not list(harbour.parent.rglob("stolen.txt"))


def test_sqlite_is_read_with_all_that_a_query_may_do(harbour: Path, make_desk: MakeDesk) -> None:
    query = (
        "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n WHERE x < 3) "
        "SELECT code || '-' || x AS code, upper(code) AS name, max(metres, 5) AS metres "
        "FROM berths, n ORDER BY 1;"
    )
    desk = make_desk({}, SECTION.format(table=f"sqlite:///{harbour}", query=query))
    assert desk.gather().added == 6
    harbour.chmod(0o444)
    assert desk.gather(rebuild=True).added == 6


def test_a_database_of_another_kind_is_refused(make_desk: MakeDesk) -> None:
    desk = make_desk({}, SECTION.format(table="mysql://u@h/d", query="SELECT 1 AS code"))
    with pytest.raises(YonderError, match="not a database that can be read: mysql"):
        desk.gather()


ENDLESS = "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) "


@pytest.mark.parametrize(
    ("query", "what"),
    [
        (ENDLESS + "SELECT count(*) AS code FROM n", "took more than 1 seconds"),
        (ENDLESS + "SELECT x AS code FROM n WHERE x < 0", "took more than 1 seconds"),
        (ENDLESS + "SELECT x AS code FROM n", "gives more than 500 rows"),
    ],
)
@pytest.mark.parametrize("kind", ["sqlite", "postgresql"])
def test_an_endless_query_ends_with_its_source(
    make_desk: MakeDesk, request: pytest.FixtureRequest, kind: str, query: str, what: str
) -> None:
    if kind == "sqlite":
        desk = make_desk({"a.md": "# A\n\nA quay."})
        sqlite3.connect(desk.folder / "x.db").execute("CREATE TABLE t (a)").connection.close()
        address = "sqlite:///x.db"
    else:
        needs_package("psycopg")
        address, _ = request.getfixturevalue("postgres")
        desk = make_desk({"a.md": "# A\n\nA quay."})
    (desk.folder / "yonder.toml").write_text(
        f'[[source]]\nname = "rows"\ntable = "{address}"\nkey = "code"\nquery = "{query}"\n'
        'max_seconds = 1\nmax_rows = 500\n[[source]]\nname = "documents"\n'
    )
    began = time.monotonic()
    report = Desk.open(desk.folder).gather()
    assert time.monotonic() - began < 30
    assert any(what in one.reason for one in report.problems), report.problems
    assert report.documents == 1  # the other source goes on
