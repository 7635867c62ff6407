"""What the tests share: the demo desk, small desks, and the command as a process."""

from __future__ import annotations

import io
import ipaddress
import json
import os
import re
import select
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from postgresql_server import postgresql_server
from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.evaluation import Grades
from yonder_lantern.interface.cli.main import run

# Settings: what is in the folder "crew" only the crew may see.
WITH_CREW = """
[[source]]
name = "documents"
folder = "documents"

[[source]]
name = "crew"
folder = "crew"
audience = ["crew"]
"""
PROGRAMS = ("git", "tesseract")  # that documents of the demo are read with
SCANNED = ("noticeboard.png", "sail-loft-lease.pdf")  # those that tesseract is for
HANGS = 900  # seconds after which a process is taken to hang; a slow machine is not that slow

# What a shell runs in the background ignores interrupts, and so would all that is started here.
signal.signal(signal.SIGINT, signal.default_int_handler)

settings.register_profile("steady", deadline=None, derandomize=True)
settings.load_profile("steady")


def lacking() -> list[str]:
    """The programs that the demo needs and this machine has not."""
    return [program for program in PROGRAMS if shutil.which(program) is None]


def needs(program: str) -> None:
    """Skip a test where a program is missing; fail where all must be there."""
    if shutil.which(program) is None:
        say = pytest.fail if os.environ.get("YONDER_TESTS_NEED_ALL") else pytest.skip
        say(f"the program {program} is not installed")


def needs_package(package: str) -> None:
    """Skip a test where a package is missing; fail where all must be there."""
    if find_spec(package) is None:
        say = pytest.fail if os.environ.get("YONDER_TESTS_NEED_ALL") else pytest.skip
        say(f"the package {package} is not installed")


@dataclass(frozen=True)
class Ran:
    """What a process left behind."""

    status: int
    out: str
    err: str

    @property
    def json(self) -> Any:
        return json.loads(self.out)


def run_yonder(*arguments: str, cwd: Path, stdin: str = "", **environment: str) -> Ran:
    """Run ``yonder`` as its users do."""
    done = subprocess.run(
        [sys.executable, "-m", "yonder_lantern", *arguments],
        cwd=cwd,
        input=stdin,
        capture_output=True,
        text=True,
        timeout=HANGS,
        env={**os.environ, **environment},
    )
    return Ran(done.returncode, done.stdout, done.stderr)


def call_yonder(*arguments: str, cwd: Path, stdin: str = "") -> Ran:
    """Run ``yonder`` within this process: the same code, without the time to start."""
    out, err = io.StringIO(), io.StringIO()
    before, typed = Path.cwd(), sys.stdin
    os.chdir(cwd)
    sys.stdin = io.StringIO(stdin)
    try:
        with redirect_stdout(out), redirect_stderr(err):
            status = run(list(arguments))
    finally:
        os.chdir(before)
        sys.stdin = typed
    return Ran(status, out.getvalue(), err.getvalue())


def read_until(handle: int, pattern: str) -> str:
    """What a terminal shows until a pattern is among it, or its process has ended."""
    seen = b""  # a letter of several bytes can come in parts
    end = time.monotonic() + HANGS
    while not re.search(pattern, seen.decode("utf-8", "replace")) and time.monotonic() < end:
        if select.select([handle], [], [], 0.1)[0]:
            try:
                seen += os.read(handle, 4096)
            except OSError:
                break
    return seen.decode("utf-8", "replace")


@pytest.fixture
def yonder() -> Callable[..., Ran]:
    return run_yonder


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo desk, gathered. Not to be changed."""
    folder = tmp_path_factory.mktemp("demo") / "desk"
    copy_demo(folder)
    with demo_services(folder):
        problems = Desk.open(folder).gather().problems
    for problem in problems:  # only what is missing on this machine may be missing in the desk
        assert any(program in problem.remedy for program in lacking()), problem
    return folder


@pytest.fixture(scope="session")
def whole_demo(demo: Path) -> Path:
    """The same, where every document can be read."""
    for program in PROGRAMS:
        needs(program)
    return demo


@pytest.fixture(scope="session")
def demo_grades(whole_demo: Path) -> Grades:
    """Of the held questions of the demo."""
    return Desk.open(whole_demo).grade(split="test")


@pytest.fixture
def make_desk(tmp_path: Path, request: pytest.FixtureRequest) -> Callable[..., Desk]:
    """Make a small desk of given files and settings.

    Words and embedding answer alone, unless the settings say something of the reading model: what
    it says of passages is tested in tests/reading, on the demo and through the command line.
    """

    def make(files: dict[str, str | bytes], settings: str = "", name: str = "desk") -> Desk:
        if "[reading]" not in settings and request.node.path.parent.name != "reading":
            settings += '\n[reading]\nvectors = "off"\n'
        folder = tmp_path / name
        (folder / "documents").mkdir(parents=True, exist_ok=True)
        (folder / "yonder.toml").write_text(settings, encoding="utf-8")
        write_files(folder / "documents", files)
        return Desk.open(folder)

    return make


def write_files(folder: Path, files: dict[str, str | bytes]) -> None:
    for key, contents in files.items():
        path = folder / key
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(contents if isinstance(contents, bytes) else contents.encode("utf-8"))


@pytest.fixture(scope="session")
def postgres() -> Iterator[tuple[str, Callable[[str], None]]]:
    """A PostgreSQL server of our own: its address, and a way to start and stop it."""
    server = postgresql_server()
    try:
        running = server.__enter__()
    except FileNotFoundError as error:
        needs(str(error))
    yield running
    server.__exit__(None, None, None)


@pytest.fixture(autouse=True, scope="session")
def on_this_machine_only() -> Iterator[None]:
    """A test that would leave the machine fails, and says where it wanted to go."""
    real = socket.socket.connect

    def connect(self: socket.socket, address: Any) -> None:
        inet = self.family in (socket.AF_INET, socket.AF_INET6)
        host = "127.0.0.1" if inet and address[0] == "localhost" else str(address[0])
        if inet and not ipaddress.ip_address(host.partition("%")[0]).is_loopback:
            raise AssertionError(f"a test wanted to leave this machine, for {address[0]}")
        real(self, address)

    patch = pytest.MonkeyPatch()
    patch.setattr(socket.socket, "connect", connect)
    patch.setenv("SE_OFFLINE", "true")  # the driver of a browser is not fetched
    yield
    patch.undo()
