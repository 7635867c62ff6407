"""Look for thirty secrets in all that is printed and in every byte under a desk.

    python benchmarks/hardness/secret_values.py

Every setting that can hold one has one; every verb is run as it is, for programs and for
debugging, against servers that echo, refuse, break off, redirect or are not there.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import subprocess
import sys
import tempfile
from http.server import BaseHTTPRequestHandler
from pathlib import Path

from common import end_with

from secret_desk import SECRETS, leaked, settings_for
from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.platform.simulated.http_services import served


class _Failing(BaseHTTPRequestHandler):
    """Says back what it was asked, in one of many ways to fail."""

    mode = "echo"

    def do_GET(self) -> None:
        self._answer(b"")

    def do_POST(self) -> None:
        self._answer(self.rfile.read(int(self.headers.get("content-length", "0"))))

    def _answer(self, said: bytes) -> None:
        told = f"{self.path} {dict(self.headers)}".encode() + said
        body = b"<title>T</title><main><h1>Tide</h1><p>The tide. " + told + b"</p></main>"
        status = {"echo": 200, "json": 200, "401": 401, "500": 500, "redirect": 302}.get(
            self.mode, 200
        )
        if self.mode == "cut":
            self.send_response(200)
            self.send_header("content-length", "99999")
            self.end_headers()
            self.wfile.write(body)
            self.close_connection = True
            return
        if self.mode == "json":
            body = json.dumps(
                {"said": told.decode("latin-1"), "segments": told.decode("latin-1")}
            ).encode()
        self.send_response(status)
        if self.mode == "redirect":
            self.send_header("location", f"http://127.0.0.1:9/{self.path}")
        self.send_header("content-type", "text/html" if self.mode != "json" else "application/json")
        self.send_header("content-length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, format: str, *args: object) -> None:
        pass


def secrets() -> list[str]:
    """Look for thirty secrets in all that is printed and in every byte under the desk."""
    faults: list[str] = []
    os.environ |= SECRETS
    calls = 0
    for mode in ("echo", "json", "401", "500", "redirect", "cut", "down"):
        with tempfile.TemporaryDirectory() as scratch, contextlib.ExitStack() as stack:
            host = "127.0.0.1:9"
            if mode != "down":
                handler = type("Handler", (_Failing,), {"mode": mode})
                host = stack.enter_context(served(handler, 0)).removeprefix("http://")
            folder = Path(scratch) / "desk"
            (folder / "documents").mkdir(parents=True)
            (folder / "sound").mkdir()
            (folder / "documents" / "a.md").write_text("# Quay\n\nThe quay is long.\n")
            shutil.copy(DEMO_FOLDER / "documents/plans/noticeboard.png", folder / "documents")
            shutil.copy(DEMO_FOLDER / "recordings/storm-debrief.wav", folder / "sound")
            (folder / "yonder.toml").write_text(settings_for(host))
            for arguments in _verbs():
                for extra in ([], ["--json"], ["--debug"]):
                    calls += 1
                    done = subprocess.run(
                        [sys.executable, "-m", "yonder_lantern", *arguments, *extra],
                        cwd=folder,
                        input=b"How is the tide?\n",
                        capture_output=True,
                        check=False,
                    )
                    for name in leaked(done.stdout + done.stderr):
                        faults.append(f"{mode}: {arguments + extra} prints {name}")
            for path in folder.rglob("*"):
                data = str(path).encode() + (path.read_bytes() if path.is_file() else b"")
                faults += [
                    f"{mode}: {path.relative_to(folder)} holds {name}" for name in leaked(data)
                ]
    print(f"30 secrets, {calls} calls, 7 kinds of server: {len(faults)} leaks")
    return faults


def _verbs() -> list[list[str]]:
    return [
        ["gather"],
        ["gather", "--dry-run"],
        ["gather", "--set", "embedding.method=remote", "--set", "embedding.service=near"],
        ["check"],
        ["look"],
        ["look", "--documents"],
        ["look", "--failures"],
        ["look", "--details"],
        ["find", "tide", "--why"],
        ["ask", "How is the tide?"],
        ["ask", "How is the tide?", "--show-prompt"],
        ["ask", "How is the tide?", "--image", "documents/noticeboard.png"],
        ["talk"],
        ["trace"],
        ["trace", "--last"],
        ["costs"],
        ["grade"],
        ["export", "out.npz"],
        ["gather", "--rebuild"],
    ]


if __name__ == "__main__":
    end_with(secrets())
