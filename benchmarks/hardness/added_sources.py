"""Is an address taken over HTTP that must not be, or a lawful one refused?

    python benchmarks/hardness/added_sources.py

Posts a hundred addresses to ``/sources``: other schemes, private networks in every spelling,
secrets to be filled in, paths out of the desk, its settings and state, folders for fewer to see;
and twenty that are in order. The settings file and what was gathered tell what was taken.
"""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from common import QUAY, end_with
from starlette.testclient import TestClient

from yonder_lantern import Desk
from yonder_lantern.interface.http import app
from yonder_lantern.policy import AccessTokens

SETTINGS = """
[[source]]
name = "documents"
folder = "documents"
[[source]]
name = "crew"
folder = "crew"
audience = ["crew"]
"""
_HOSTS = (
    "127.0.0.1", "127.1", "localhost", "0.0.0.0", "0", "[::1]", "[::]", "10.0.0.1", "10.255.255.1",
    "172.16.0.1", "172.31.255.1", "192.168.0.1", "169.254.169.254", "100.64.0.1", "192.0.2.1",
    "198.51.100.1", "203.0.113.1", "198.18.0.1", "192.88.99.1", "224.0.0.1", "240.0.0.1",
    "255.255.255.255", "[fe80::1]", "[fc00::1]", "[fd12::1]", "[::ffff:10.0.0.1]", "[::10.0.0.1]",
    "[64:ff9b::7f00:1]", "[2002:7f00:1::]", "[2001:db8::1]", "[3fff::1]", "[2620:4f:8000::1]",
    "[ff02::1]", "[fec0::1]", "2130706433", "0x7f000001", "017700000001",
)  # fmt: skip
_WRONG = (
    *(f"http://{host}/" for host in _HOSTS), "https://127.0.0.1/x.git", "http://[::1]:8800/feed.xml",
    "file:///etc/passwd", "file:/etc/passwd", "FILE:///etc", "file://localhost/etc", "ftp://x.example/",
    "git://x.example/a", "ssh://git@x.example/a", "git@x.example:a.git", "git+ssh://x.example/a",
    "ext::sh -c id", "fd::17", "sqlite:///documents/x.db", "postgresql://x.example/a",
    "data:,x", "javascript:1", "gopher://x.example/", "ldap://x.example/", "//x.example/a",
    "http://", "https://", "http:///x", "http://[", "http://x.example:99999/", "http://u:p@x.example/",
    "https://u@x.example/", "https://${SECRET}.example/", "https://x.example/${SECRET}",
    "${SECRET}", "$HOME", "~", "~root", "/", "/etc", "/etc/passwd", "/proc/self/environ",
    "..", "../..", "../x",
    ".", "./", "", " ", "yonder.toml", "./yonder.toml", "questions.jsonl", "prompts", "deploy",
    ".yonder", ".yonder/access", ".yonder/access/tokens.json", "documents/../.yonder",
    "documents/../crew", "crew", "./crew", "crew/duty.md", "documents/.hidden", "documents/out",
    "documents/nothing", "documents\\..\\crew", "documents\x00", "documents\n",
)  # fmt: skip


def main() -> None:
    os.environ["SECRET"] = "hunter2-hunter2"
    faults: list[str] = []
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        for path in ("documents/quay.md", "crew/duty.md", "documents/.hidden/x.md", "prompts/a.j2"):
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / path).write_text(QUAY)
        for number in range(20):
            (folder / f"documents/part-{number}").mkdir()
            (folder / f"documents/part-{number}/a.md").write_text(f"# Berth {number}\n\nIt is.\n")
        (folder / "documents/out").symlink_to("/etc")
        (folder / "deploy").mkdir()
        (folder / "questions.jsonl").touch()
        settings = folder / "yonder.toml"
        settings.write_text(SETTINGS)
        desk = Desk.open(folder)
        desk.gather()
        rights = ("ask", "add sources")
        secret = AccessTokens(desk.state / "access").make(
            "adder", ["public", "crew"], rights=rights, per_minute=0
        )
        headers = {"authorization": f"Bearer {secret}"}
        with TestClient(app(desk), "http://127.0.0.1", raise_server_exceptions=False) as client:
            for address in _WRONG:
                before = settings.read_bytes()
                reply = client.post("/sources", json={"address": address}, headers=headers)
                if reply.status_code not in (403, 422) or "hunter2" in reply.text:
                    faults.append(f"{address!r}: {reply.status_code}")
                if settings.read_bytes() != before:
                    faults.append(f"{address!r} was written")
            for number in range(20):
                sent = {"address": f"documents/part-{number}"}
                begun = client.post("/sources", json=sent, headers=headers)
                if begun.status_code != 202:
                    faults.append(f"{sent['address']} was refused: {begun.status_code}")
                    continue
                done = client.get(begun.headers["location"], headers=headers)
                if done.status_code != 200:
                    faults.append(f"{sent['address']}: {done.text}")
    print(f"{len(_WRONG)} addresses that must not be taken, 20 that may: {len(faults)} wrong")
    end_with(faults)


if __name__ == "__main__":
    main()
