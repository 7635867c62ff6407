"""Whatever goes wrong with one item or one source, the others are gathered."""

from __future__ import annotations

import json
import os
import re
import resource
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import pytest

from yonder_lantern import Desk
from yonder_lantern.core import Item, Stamp, YonderError
from yonder_lantern.desk.gathering.applier import Applier
from yonder_lantern.index.store import DocumentStore
from yonder_lantern.index.writing.segment_builder import SegmentBuilder
from yonder_lantern.ingest.executors import processes
from yonder_lantern.ingest.preparation import Preparer, prepare
from yonder_lantern.ingest.sources import HeldSource
from yonder_lantern.ingest.sources.folder import FolderSource

MakeDesk = Callable[..., Desk]
GOOD = {f"good-{n}.md": f"# Quay {n}\n\nQuay {n} closes at {n + 10}:00." for n in range(6)}
EXCEPTIONS = [
    RecursionError("too deep"),
    MemoryError(),
    UnicodeEncodeError("utf-8", "\ud800", 0, 1, "surrogates not allowed"),
    UnicodeDecodeError("utf-8", b"\xff", 0, 1, "invalid start byte"),
    ValueError("no"),
    KeyError("key"),
    AssertionError(),
    OSError(5, "Input/output error"),
    YonderError("it broke", "here", "fix it"),
    StopIteration(),
    ZeroDivisionError("division by zero"),
    SystemError("odd"),
]
BAD = {f"bad-{n:02d}.md": f"# Bad {n}\n\nThe bad quay {n}." for n in range(len(EXCEPTIONS))}


def failing(method: Any, named: Callable[..., str]) -> Any:
    """A method that fails for each bad item in another way; ``named`` tells what it is about."""

    def call(*arguments: Any, **more: Any) -> Any:
        bad = re.search(r"bad-(\d\d)", named(*arguments, **more))
        if bad:
            raise EXCEPTIONS[int(bad[1])]
        return method(*arguments, **more)

    return call


def about(*arguments: Any, **_: Any) -> str:
    return " ".join(str(getattr(one, "id", "")) for one in arguments)


STAGES: dict[str, tuple[Any, str, Callable[..., str]]] = {
    "read the item": (Applier, "_contents", about),
    "hand it to a process": (processes.ProcessExecutor, "read", lambda _, request: request.item.id),
    "put it into the index": (Applier, "_put", lambda _, taken, *__: taken.seen.item.id),
    "cut it": (prepare, "cut_as_set", about),
    "prepare it": (Preparer, "prepare", about),
    "store it": (DocumentStore, "add", about),
    "put it into a segment": (SegmentBuilder, "add", lambda _, __, prepared: prepared.document.id),
    "remember it": (
        Applier,
        "_remember",
        lambda _, seen, __, ___, row, *____: seen.item.id if row > 0 else "",
    ),
}


@pytest.mark.parametrize("stage", STAGES)
def test_an_item_that_fails_in_any_stage_in_any_way_stops_no_other(
    stage: str, make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    owner, name, named = STAGES[stage]
    desk = make_desk({**GOOD, **BAD})
    with monkeypatch.context() as patched:
        patched.setattr(owner, name, failing(getattr(owner, name), named))
        report = desk.gather()
    assert (report.added, report.failed) == (len(GOOD), len(BAD))
    assert {problem.item for problem in report.problems} == {f"documents/{own}" for own in BAD}
    assert all(problem.reason and problem.remedy for problem in report.problems)
    hits = desk.find("When does quay 3 close?")
    assert hits[0].document == "documents/good-3.md"
    assert all("bad-" not in hit.document for hit in hits)
    assert desk.gather().added == len(BAD)  # tried again, and nothing of them stood in the way


def test_a_source_that_fails_while_it_is_listed_stops_no_other(
    make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch
) -> None:
    settings = '[[source]]\nname = "documents"\n'
    for number in range(len(EXCEPTIONS)):
        settings += f'[[source]]\nname = "odd-{number:02d}"\nfolder = "odd"\n'
    desk = make_desk(GOOD, settings)
    (desk.folder / "odd").mkdir()
    listed = FolderSource.items

    def items(self: FolderSource) -> Iterator[Item]:
        if self.name.startswith("odd-"):
            yield Item(self.name, "a.md", lambda: b"x", Stamp(1, 0), frozenset({"public"}))
            raise EXCEPTIONS[int(self.name[-2:])]
        yield from listed(self)

    monkeypatch.setattr(FolderSource, "items", items)
    report = desk.gather()
    assert report.added == len(GOOD)
    assert len(report.problems) == len(EXCEPTIONS)
    assert all(p.item.startswith("source odd-") and p.remedy for p in report.problems)


def test_hostile_contents_are_one_items_problem_or_none(make_desk: MakeDesk) -> None:
    deep = json.dumps({"a": 1})
    for _ in range(80):
        deep = f'{{"a": {deep}}}'
    hostile = {
        "surrogate.json": '{"a":"\\ud800 x", "\\udfff": "the halyard is blue"}',
        "number.json": '{"depth": NaN, "length": 1e999, "count": ' + "9" * 400 + "}",
        "deep.json": deep,
        "front.md": "---\ntitle: |\n  Two\n  lines\ndepth: .nan\n---\n# A\n\nThe sail is red.",
        "nul.txt": "a\0b the anchor is rusty",
    }
    desk = make_desk({**GOOD, **hostile})
    report = desk.gather()
    assert report.added + report.failed == len(GOOD) + len(hostile)
    assert {problem.item for problem in report.problems} <= {
        f"documents/{name}" for name in hostile
    }
    assert desk.find("What colour is the halyard?")[0].document == "documents/surrogate.json"
    assert desk.find("red sail", where="depth > 1 OR format = 'markdown'")  # filters still work
    front = desk.document("documents/front.md")
    assert front is not None
    assert "\n" not in front.title


def test_names_that_are_no_utf8_and_folders_without_end(make_desk: MakeDesk) -> None:
    desk = make_desk(GOOD)
    odd = bytes(desk.folder / "documents") + b"/caf\xe9.md"
    with open(odd, "wb") as file:  # noqa: PTH123 - the name is bytes
        file.write("# Café\n\nThe café opens at seven.".encode())
    deep = desk.folder / "documents"
    for _ in range(60):
        deep = deep / ("d" * 60)
        deep.mkdir()
    (deep.parents[30] / "far.md").write_text("# Far\n\nThe far buoy is green.")
    report = desk.gather()
    assert report.failed == 0
    assert desk.document("documents/caf\\xe9.md") is not None
    assert desk.find("Which buoy is green?")[0].title == "Far"


def test_a_held_document_that_cannot_be_handed_on_is_reported(make_desk: MakeDesk) -> None:
    from yonder_lantern.ingest.sources import HeldItem

    desk = make_desk(GOOD)
    items = [HeldItem("odd.md", "# A", {"call": lambda: 1}), HeldItem("good.md", "# B\n\nA slip.")]
    report = desk.gather(items=items, source="notes")
    assert report.added >= 1
    assert desk.document("notes/good.md") is not None
    assert HeldSource("notes", items, frozenset({"public"})) is not None


def test_a_bad_line_of_a_table_or_feed_is_that_lines_problem(make_desk: MakeDesk) -> None:
    settings = (
        '[[source]]\nname = "berths"\ntable = "berths.jsonl"\nkey = "code"\n'
        '[[source]]\nname = "news"\nfeed = "news.json"\n'
    )
    desk = make_desk({}, settings)
    rows = ['{"code": "B-1", "metres": 9}', "{broken", '["no row"]', '{"code": "B-2", "metres": 4}']
    (desk.folder / "berths.jsonl").write_text("\n".join(rows))
    entries: list[Any] = [
        {"id": "1", "title": "One", "content_text": "The first gate is shut."},
        {"title": "no id"},
        "not an entry",
        {"id": "4", "title": "Four \ud800", "content_text": "The fourth gate is open. \udfff"},
    ]
    feed = {"version": "https://jsonfeed.org/version/1.1", "items": entries}
    (desk.folder / "news.json").write_text(json.dumps(feed))
    report = desk.gather()
    assert (report.sources["berths"].added, report.sources["berths"].failed) == (2, 2)
    assert (report.sources["news"].added, report.sources["news"].failed) == (2, 2)


def test_memory_for_reading_is_bounded_and_the_others_go_on(
    make_desk: MakeDesk,
) -> None:
    pytest.importorskip("openpyxl")
    import io
    import zipfile

    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in range(40):
        sheet.cell(row + 1, 1, f"row {row}")
    plain = io.BytesIO()
    book.save(plain)
    # The same workbook with a cell whose text is 150 MB, which packs into little.
    bomb = io.BytesIO()
    with zipfile.ZipFile(plain) as old, zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            data = old.read(name)
            if name.endswith("sheet1.xml"):
                cell = b'<c r="B1" t="inlineStr"><is><t>' + b"x" * 150_000_000 + b"</t></is></c>"
                data = data.replace(b"</row>", cell + b"</row>", 1)
            new.writestr(name, data)
    files = {**GOOD, "bomb.xlsx": bomb.getvalue(), "plain.xlsx": plain.getvalue()}
    desk = make_desk(files, "[gather]\nmax_memory_megabytes = 300\n")
    report = desk.gather()
    assert report.added == len(GOOD) + 1
    (problem,) = report.problems
    assert problem.item == "documents/bomb.xlsx"
    assert "memory" in problem.reason
    assert "max_memory_megabytes" in problem.remedy


def test_documents_are_read_by_a_program_that_holds_many_files_open(make_desk: MakeDesk) -> None:
    most = resource.getrlimit(resource.RLIMIT_NOFILE)
    if most[0] < 1300 <= most[1]:
        resource.setrlimit(resource.RLIMIT_NOFILE, (1300, most[1]))
    desk = make_desk(GOOD)
    with ExitStack() as held:
        for _ in range(1100):  # `select` knows none above the 1,024th
            held.enter_context(Path(os.devnull).open())
        report = desk.gather()
    assert report.added == len(GOOD)
