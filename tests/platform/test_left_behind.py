"""What the program leaves on the disk and among the processes, and what it does without room."""

from __future__ import annotations

import os
import signal
import stat
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import needs, run_yonder
from yonder_lantern import Desk
from yonder_lantern.ingest.sources.service_cache import Copy, ServiceCache
from yonder_lantern.platform.simulated.model import model_service

MakeDesk = Callable[..., Desk]
WITHOUT_ROOM = ["/bin/sh", "-c", 'ulimit -f 0; trap "" XFSZ; exec "$@"', "-"]  # no file grows
PAGE = "# Tides\n\nThe tide gauge stands at the quay. It is read twice a day.\n"


def git(folder: Path, *arguments: str) -> None:
    person = ("-c", "user.name=Harbour", "-c", "user.email=harbour@saltgarth.example")
    subprocess.run(["git", "-C", str(folder), *person, *arguments], check=True)


def test_all_that_is_written_is_for_its_user_alone(make_desk: MakeDesk, tmp_path: Path) -> None:
    needs("git")
    code = tmp_path / "code"
    code.mkdir()
    git(code, "init", "--quiet")
    (code / "tide.md").write_text(PAGE)
    git(code, "add", ".")
    git(code, "commit", "--quiet", "-m", "tides")
    state = tmp_path / "desk" / ".yonder"
    before = os.umask(0)  # as open as can be: it must not depend on what the user has set
    try:
        with model_service() as address:
            desk = make_desk(
                {"a.md": PAGE},
                '[answer]\nmodel = "model.toml"\n\n[[source]]\nname = "documents"\n\n'
                '[[source]]\nname = "code"\nrepository = "../code"\n',
            )
            (desk.folder / "model.toml").write_text(f'address = "{address}"\n')
            assert desk.gather().failed == 0
            desk.talk("Where is the tide gauge?", desk.conversations.start())
            desk.gather()
            desk.close()
    finally:
        os.umask(before)
    seen = list(state.rglob("*"))
    assert {path.name for path in state.iterdir()} >= {"index", "traces", "conversations"}
    assert any(".git" in path.parts for path in seen)
    assert stat.S_IMODE(state.stat().st_mode) == 0o700
    open_to_others = [
        f"{path.relative_to(state)} {stat.S_IMODE(path.stat().st_mode):o}"
        for path in seen
        if not path.is_symlink() and path.stat().st_mode & 0o077
    ]
    assert open_to_others == []


@pytest.mark.parametrize(
    "words",
    [
        ["find", "tide gauge"],
        ["ask", "Where is the tide gauge?"],
        ["talk"],
        ["look"],
        ["check"],
        ["costs"],
        ["trace", "--last"],
    ],
    ids=lambda words: words[0],
)
def test_a_full_disk_is_no_obstacle_to_reading(make_desk: MakeDesk, words: list[str]) -> None:
    desk = make_desk({"a.md": PAGE})
    desk.gather()
    desk.ask("Where is the tide gauge?")
    desk.close()
    done = subprocess.run(
        [*WITHOUT_ROOM, sys.executable, "-B", "-m", "yonder_lantern", *words],
        cwd=desk.folder,
        capture_output=True,
        text=True,
        input="Where is the tide gauge?\n",
    )
    assert done.returncode == 0, done.stderr
    assert "Traceback" not in done.stderr
    assert "tide" in done.stdout or words[0] in ("costs", "look", "check")
    assert "Saved" not in done.stdout


def test_what_was_fetched_outlives_a_disk_that_fails(tmp_path: Path) -> None:
    """Only damage begins such a store anew, and it is moved aside: it may have been paid for."""
    with ServiceCache(tmp_path, "transcripts") as kept:
        kept.put("speech", Copy(b"words" * 1000))
    program = (
        "import sys; from pathlib import Path\n"
        "from yonder_lantern.ingest.sources.service_cache import Copy, ServiceCache\n"
        "with ServiceCache(Path(sys.argv[1]), 'transcripts') as kept:\n"
        "    print(len(kept.get('speech').body))\n"
        "    kept.put('more', Copy(b'x' * 1_000_000))\n"
    )
    done = subprocess.run(
        [*WITHOUT_ROOM, sys.executable, "-B", "-c", program, str(tmp_path)],
        capture_output=True,
        text=True,
    )
    assert done.stdout == "5000\n"
    assert "what is fetched cannot be kept" in done.stderr
    with ServiceCache(tmp_path, "transcripts") as kept:
        assert kept.get("speech") is not None
    path = tmp_path / "transcripts.sqlite"
    path.write_bytes(b"no database" * 1000)
    with ServiceCache(tmp_path, "transcripts") as kept:
        assert kept.get("speech") is None
    assert path.with_name("transcripts.sqlite.damaged").read_bytes().startswith(b"no database")


def processes_with(words: str) -> list[str]:
    found = []
    for folder in Path("/proc").iterdir():
        if folder.name.isdigit():
            try:
                line = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode()
                state = (folder / "stat").read_text().rpartition(")")[2].split()[0]
            except OSError:
                continue
            if words in line and state != "Z":
                found.append(line)
    return found


@pytest.mark.skipif(sys.platform != "linux", reason="the kernel's own means")
def test_a_killed_gather_leaves_no_reader_behind(make_desk: MakeDesk) -> None:
    """Each reader is told by the kernel that its gather is gone, whatever it is doing."""
    mark = f"yonder_lantern.ingest.executors.worker left-{os.getpid()}"
    program = (
        "import sys, subprocess; import yonder_lantern.ingest.executors.processes as readers\n"
        "real = subprocess.Popen\n"
        "def popen(words, **options):\n"
        f"    return real([*words, 'left-{os.getpid()}'], **options)\n"
        "readers.subprocess.Popen = popen\n"
        "from yonder_lantern import Desk\n"
        "Desk.open(sys.argv[1]).gather()\n"
    )
    desk = make_desk({f"{n}.html": f"<p>Page {n}</p>" * 2000 for n in range(400)})
    child = subprocess.Popen([sys.executable, "-c", program, str(desk.folder)])
    deadline = time.monotonic() + 30
    while not processes_with(mark) and time.monotonic() < deadline:
        time.sleep(0.02)
    assert processes_with(mark)
    child.send_signal(signal.SIGKILL)
    child.wait()
    deadline = time.monotonic() + 10
    while processes_with(mark) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert processes_with(mark) == []


def test_nothing_found_and_nothing_gathered_have_statuses_of_their_own(
    make_desk: MakeDesk,
) -> None:
    desk = make_desk({})
    for words in (["find", "tide"], ["ask", "tide?"]):
        ran = run_yonder(*words, cwd=desk.folder)
        assert (ran.status, ran.out) == (2, ""), words
        assert "yonder gather" in ran.err
    (desk.folder / "documents" / "a.md").write_bytes(b"\0\1")
    assert run_yonder("gather", cwd=desk.folder).status != 0
    failures = run_yonder("look", "--failures", cwd=desk.folder)  # what stands in the way
    assert (failures.status, "documents/a.md" in failures.out) == (0, True)
    (desk.folder / "documents" / "a.md").write_text(PAGE)
    assert run_yonder("gather", cwd=desk.folder).status == 0
    assert run_yonder("find", "tide gauge", cwd=desk.folder).status == 0
    assert run_yonder("find", "zzz", cwd=desk.folder).status == 1
