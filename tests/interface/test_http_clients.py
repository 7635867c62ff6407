"""Other programs call a served desk: curl, JavaScript, a messenger."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from conftest import HANGS, Ran
from yonder_lantern import Desk

MakeDesk = Callable[..., Desk]
ROOT = Path(__file__).parent.parent.parent
FILES = {
    "fuel.md": "# Fuel berth\n\nThe fuel berth is open from 08:00 to 18:30 in summer and from "
    "09:00 to 15:00 in winter.\n",
}
SETTINGS = '[serve.webhook.phone]\nsecret = "${HOOK_SECRET}"\n'


@pytest.fixture
def served(make_desk: MakeDesk, monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[str, Desk]]:
    """A desk served by the verb, as a process of its own: its address."""
    monkeypatch.setenv("HOOK_SECRET", "between the two of us")
    desk = make_desk(FILES, SETTINGS)
    desk.gather()
    child = subprocess.Popen(
        [sys.executable, "-m", "yonder_lantern", "serve", "--port", "0", "--log", "json",
         "--allow-visitors"],
        cwd=desk.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert child.stdout
    assert child.stderr
    yield child.stdout.readline().split()[-1].rstrip("/"), desk
    child.terminate()
    _, log = child.communicate(timeout=HANGS)
    lines = [json.loads(line) for line in log.splitlines()]  # every line of it is JSON
    asked = [one for one in lines if one.get("route") == "/questions"]
    assert all(one["status"] == 200 and one["milliseconds"] > 0 for one in asked)


def test_curl_asks_and_reads_a_stream(served: tuple[str, Desk]) -> None:
    curl = shutil.which("curl")
    if curl is None:
        pytest.skip("curl is not installed")
    address, _ = served
    sent = [curl, "-sN", f"{address}/questions", "-H", "content-type: application/json", "-d",
            '{"text": "When is the fuel berth open in summer?"}']  # fmt: skip
    whole = subprocess.run(sent, capture_output=True, text=True, timeout=HANGS, check=True).stdout
    assert "18:30" in json.loads(whole)["text"]
    sent += ["-H", "accept: text/event-stream"]
    told = subprocess.run(sent, capture_output=True, text=True, timeout=HANGS, check=True).stdout
    assert told.startswith("id: 1\nevent: piece\n")


def test_javascript_asks_and_holds_a_conversation(served: tuple[str, Desk]) -> None:
    node = shutil.which("node")
    if node is None:
        pytest.skip("node is not installed")
    script = ROOT / "examples" / "from_javascript.mjs"
    done = subprocess.run([node, str(script), served[0]], capture_output=True, text=True,
                          timeout=HANGS, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "[1] documents/fuel.md" in done.stdout
    assert "And in winter? -> The fuel berth" in done.stdout


def test_a_messenger_sends_signed_messages(
    served: tuple[str, Desk], yonder: Callable[..., Ran], tmp_path: Path
) -> None:
    address, desk = served
    lines = "When is the fuel berth open in summer?\nAnd in winter?\n"
    ran = yonder("simulate", "messenger", "--to", f"{address}/webhooks/phone", stdin=lines,
                 cwd=tmp_path)  # fmt: skip
    assert ran.status == 0, ran.err
    assert ran.out.count("[1] Fuel berth") == 2
    (kept,) = desk.conversations.newest()
    assert kept.turns == 2
    wrong = yonder("simulate", "messenger", "--to", f"{address}/webhooks/phone", stdin="Hello\n",
                   cwd=tmp_path, HOOK_SECRET="of somebody else")  # fmt: skip
    assert wrong.status == 1
    assert "401" in wrong.err
