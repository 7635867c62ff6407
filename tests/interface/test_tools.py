"""The tool protocol, by its own client: in another process, over HTTP, and without manners."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from conftest import HANGS, WITH_CREW, Ran, needs_package, write_files
from serving import running
from yonder_lantern import Desk
from yonder_lantern.policy import AccessTokens

pytest.importorskip("mcp")
import anyio
from mcp.client import Client
from mcp.client.stdio import StdioServerParameters

from yonder_lantern.interface.http import app
from yonder_lantern.interface.tools import TOOLS

SECRET = "zanzibar-7731"


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    needs_package("uvicorn")
    made = tmp_path_factory.mktemp("tools")
    write_files(made / "documents", {"quay.md": "# Quay\n\nThe quay closes at 22:00 in summer.\n"})
    write_files(made / "crew", {"safe.md": f"# Safe\n\nThe code of the safe is {SECRET}.\n"})
    (made / "yonder.toml").write_text(WITH_CREW)
    expected = [[{"document": "documents/quay.md", "quote": "closes at 22:00"}]]
    line = {"id": "a", "question": "When does the quay close?", "expected": expected}
    (made / "questions.jsonl").write_text(json.dumps(line))
    Desk.open(made).gather()
    return made


def started(folder: Path, *arguments: str) -> StdioServerParameters:
    command = ["-m", "yonder_lantern", "serve", "--tools", "--desk", str(folder), *arguments]
    return StdioServerParameters(command=sys.executable, args=command, env=dict(os.environ))


def with_client(target: Any, work: Callable[[Client], Any]) -> Any:
    """What a piece of work with a connected client gives."""
    found: list[Any] = []

    async def run() -> None:
        with anyio.fail_after(HANGS):
            async with Client(target) as client:
                found.append(await work(client))

    anyio.run(run)
    return found[0]


def test_another_process_finds_asks_and_reads(folder: Path) -> None:
    async def work(client: Client) -> None:
        assert {one.name for one in (await client.list_tools()).tools} == set(TOOLS)
        found = (await client.call_tool("find_passages", {"question": "quay"})).structured_content
        assert found is not None
        assert found["hits"][0]["document"] == "documents/quay.md"
        asked = await client.call_tool("ask", {"question": "When does the quay close in summer?"})
        answer = asked.structured_content
        assert answer is not None
        assert answer["status"] == "answer"
        cited = answer["citations"][0]
        span = {"document": cited["document"], "start": cited["start"], "end": cited["end"]}
        read = (await client.call_tool("read_document", span)).structured_content
        assert read is not None
        assert read["text"] == cited["quote"]
        listed = (await client.call_tool("list_documents", {})).structured_content
        assert listed is not None
        for one in listed["documents"]:
            contents = (await client.read_resource(one["address"])).contents
            assert contents[0].text.startswith("# ")  # type: ignore[union-attr]
        prompt = await client.get_prompt("grounded_answer", {"question": "quay"})
        assert "22:00" in prompt.messages[0].content.text  # type: ignore[union-attr]
        graded = (await client.call_tool("grade", {})).structured_content
        assert graded is not None
        assert graded["measures"]["recall@5"]["mean"] == 1.0

    with_client(started(folder), work)


def test_several_clients_share_one_set_of_notes(folder: Path) -> None:
    async def leave(client: Client) -> str:
        told = await client.call_tool("leave_note", {"text": "The crane is out of order."})
        assert told.structured_content is not None
        return str(told.structured_content["id"])

    async def find(client: Client) -> list[Any]:
        found = await client.call_tool("find_notes", {"question": "Is the crane in order?"})
        assert found.structured_content is not None
        return list(found.structured_content["notes"])

    id_ = with_client(started(folder, "--audience", "public", "--as", "first"), leave)
    (note,) = with_client(started(folder, "--audience", "public", "--as", "second"), find)
    assert (note["id"], note["by"]) == (id_, "first")

    async def withdraw(client: Client) -> bool:
        return bool((await client.call_tool("withdraw_note", {"note": id_})).is_error)

    assert with_client(started(folder, "--audience", "public", "--as", "second"), withdraw)
    assert not with_client(started(folder, "--audience", "public", "--as", "first"), withdraw)
    assert with_client(started(folder), find) == []


def test_wrong_calls_are_errors_that_say_what_to_do(folder: Path) -> None:
    async def work(client: Client) -> None:
        for name, arguments in (
            ("ask", {}),
            ("ask", {"question": ""}),
            ("ask", {"question": "x" * 100_000}),
            ("find_passages", {"question": "quay", "limit": 0}),
            ("find_passages", {"question": "quay", "where": "no such ="}),
            ("find_passages", {"question": ["quay"]}),
            ("read_document", {"document": "none"}),
            ("read_document", {"document": "documents/quay.md", "start": -5}),
            ("read_document", {"document": "documents/quay.md", "start": 10**9}),
            ("leave_note", {"text": ""}),
            ("withdraw_note", {"note": "none"}),
            ("grade", {"split": "odd"}),
        ):
            told = await client.call_tool(name, arguments)
            assert told.is_error, name
            text = told.content[0].text  # type: ignore[union-attr]
            assert str(folder) not in text
            assert "Traceback" not in text
        assert not (await client.call_tool("ask", {"question": "quay?"})).is_error  # still there

    with_client(started(folder), work)


def test_nothing_restricted_gets_out(folder: Path) -> None:
    Desk.open(folder).as_caller(["crew"]).notes.leave(f"Remember {SECRET}", by="crew")

    async def work(client: Client) -> None:
        told = []
        for name, arguments in (
            ("ask", {"question": "What is the code of the safe?"}),
            ("ask", {"question": "code", "earlier": ["What is the code of the safe?"]}),
            ("find_passages", {"question": "code of the safe", "limit": 50}),
            ("find_passages", {"question": "safe", "where": "source = 'crew'"}),
            ("read_document", {"document": "crew/safe.md"}),
            ("list_documents", {}),
            ("find_notes", {"question": "Remember the code"}),
            ("leave_note", {"text": "x", "audience": ["crew"]}),
            ("leave_note", {"text": "x", "about": "crew/safe.md"}),
            ("grade", {}),
        ):
            told.append(str(await client.call_tool(name, arguments)))
        with pytest.raises(Exception, match="document"):
            await client.read_resource("yonder://document/crew%2Fsafe.md")
        told.append(str(await client.get_prompt("grounded_answer", {"question": "safe code"})))
        assert SECRET not in " ".join(told)
        listed = await client.call_tool("list_documents", {})
        assert "crew" not in str(listed.structured_content)

    with_client(started(folder, "--audience", "public"), work)


@pytest.fixture(scope="module")
def served(folder: Path) -> Iterator[str]:
    with running(app(Desk.open(folder), allow_visitors=True)) as address:
        yield f"{address}tools"


def test_over_http_the_tokens_of_the_other_routes_hold(folder: Path, served: str) -> None:
    import httpx2
    from mcp.client.streamable_http import streamable_http_client

    tokens = AccessTokens(folder / ".yonder" / "access")
    crew = tokens.make("crew", ["crew", "public"], per_minute=3)

    def by(secret: str) -> Any:
        headers = {"Authorization": f"Bearer {secret}"} if secret else {}
        return streamable_http_client(served, http_client=httpx2.AsyncClient(headers=headers))

    async def code(client: Client) -> str:
        return str(await client.call_tool("find_passages", {"question": "code of the safe"}))

    assert SECRET not in with_client(by(""), code)
    assert SECRET in with_client(by(crew), code)

    async def flood(client: Client) -> list[bool]:
        asked = {"question": "When does the quay close?"}
        return [bool((await client.call_tool("ask", asked)).is_error) for _ in range(4)]

    assert with_client(by(crew), flood)[-1]  # more than three a minute
    with pytest.raises(BaseException, match=r".*"):  # a group of errors of the client's own
        with_client(by("wrong"), code)


def test_over_http_notes_are_left_by_those_who_have_the_right(folder: Path, served: str) -> None:
    import httpx2
    from mcp.client.streamable_http import streamable_http_client

    tokens = AccessTokens(folder / ".yonder" / "access")
    secrets = {
        "nobody": "",
        "reader": tokens.make("reader", ["public"]),
        "writer": tokens.make("writer", ["public"], rights=("ask", "leave notes")),
    }

    async def leave(client: Client) -> bool:
        told = await client.call_tool("leave_note", {"text": "The gate sticks."})
        found = await client.call_tool("find_notes", {"question": "Does the gate stick?"})
        assert not found.is_error
        return not told.is_error

    left = {}
    for name, secret in secrets.items():
        headers = {"Authorization": f"Bearer {secret}"} if secret else {}
        client = httpx2.AsyncClient(headers=headers)
        left[name] = with_client(streamable_http_client(served, http_client=client), leave)
    assert left == {"nobody": False, "reader": False, "writer": True}
    left_by = [n.by for n in Desk.open(folder).notes.standing() if "gate sticks" in n.text]
    assert left_by == ["token writer"]


def test_a_client_that_vanishes_leaves_nothing_running(folder: Path) -> None:
    command = [sys.executable, "-m", "yonder_lantern", "serve", "--tools", "--desk", str(folder)]
    process = subprocess.Popen(
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    assert process.stdin is not None
    process.stdin.write(b'{"jsonrpc": "2.0", "id": 1, "method": "nonsense"}\nnot json\n')
    process.stdin.close()
    assert process.wait(HANGS) == 0


def test_how_to_reach_it_is_explained(folder: Path, yonder: Callable[..., Ran]) -> None:
    told = yonder(
        "serve", "--tools", "--explain", "--audience", "public", "--json", cwd=folder
    ).json
    assert told["arguments"][-2:] == ["--audience", "public"]
    assert told["address"] == "http://127.0.0.1:8800/tools"

    async def work(client: Client) -> int:
        return len((await client.list_tools()).tools)

    told_server = StdioServerParameters(
        command=told["command"], args=told["arguments"], env=dict(os.environ)
    )
    assert with_client(told_server, work) == len(TOOLS)
