"""Write the reference pages from the code.

    python docs/generate_reference.py

writes `reference/command-line.md`, `reference/python.md` and `reference/json.md`, and a JSON Schema
for each kind of output into `reference/schemas/`. A test compares them with what the code says now.
"""

from __future__ import annotations

import inspect
import json
import re
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

import click

import yonder_lantern
from yonder_lantern import Desk, Query
from yonder_lantern.core import Citation, Document, GatherReport, Hit, Statement
from yonder_lantern.core.outgoing import KINDS, schema_of
from yonder_lantern.interface.cli.main import VERBS, yonder

REFERENCE = Path(__file__).parent / "reference"
WIDTH = 100


def command_line() -> str:
    """Every verb with its help, as the program prints it."""
    context = click.Context(yonder, info_name="yonder", max_content_width=WIDTH)
    parts = [
        "# The command line\n\nGenerated from the code by `python docs/generate_reference.py`.\n",
        "Exit status: 0 done; 1 the answer is no (declined, nothing found, a check failed); 2 the "
        "call or the\nsettings are wrong; 3 something broke; 130 interrupted.\n",
    ]
    for verb in VERBS:
        command = yonder.get_command(context, verb)
        assert command is not None
        inner = click.Context(
            command, info_name=verb, parent=context, max_content_width=WIDTH, terminal_width=WIDTH
        )
        text = command.get_help(inner)
        parts.append(f"## yonder {verb}\n\n```text\n{text.rstrip()}\n```\n")
    return "\n".join(parts)


def python() -> str:
    """The public names with their signatures and docstrings."""
    parts = [
        "# Python\n\nGenerated from the code by `python docs/generate_reference.py`. "
        "Errors are subclasses of `YonderError`; each has\n`what`, `where`, `remedy` and the exit "
        "status of the command line.\n",
        _class(Desk),
    ]
    methods = [
        (name, one)
        for name, one in inspect.getmembers(Desk)
        if not name.startswith("_") and (inspect.isfunction(one) or inspect.ismethod(one))
    ]
    for name, method in sorted(methods, key=lambda pair: _line(pair[1])):
        parts.append(_callable(f"Desk.{name}", method))
    parts += [_class(one) for one in (Query, yonder_lantern.Answer, Statement, Citation, Hit)]
    parts += [_class(one) for one in (Document, GatherReport)]
    parts += [
        _class(getattr(yonder_lantern, n)) for n in ("Piece", "Cited", "Withdrawn", "Finished")
    ]
    return "\n".join(parts)


def _line(method: Any) -> tuple[str, int]:
    code = inspect.unwrap(getattr(method, "__func__", method)).__code__
    return code.co_filename, code.co_firstlineno


def _docstring(one: Any) -> str:
    text = inspect.getdoc(one) or ""
    return f"```text\n{text}\n```\n"


def _callable(name: str, one: Any) -> str:
    signature = str(inspect.signature(one)).replace("yonder_lantern.", "")
    signature = re.sub(r"self(, )?", "", signature, count=1)
    return f"### {name}\n\n```text\n{name}{signature}\n```\n\n{_docstring(one)}"


def _class(one: Any) -> str:
    listed = ""
    if is_dataclass(one):
        listed = "```text\n" + "\n".join(f"{f.name}: {f.type}" for f in fields(one)) + "\n```\n\n"
    return f"## {one.__name__}\n\n{listed}{_docstring(one)}"


def outgoing() -> str:
    """The kinds of JSON that go out."""
    parts = [
        "# JSON\n\nGenerated from the code by `python docs/generate_reference.py`. What `--json` "
        "prints and traces hold is one\ndefinition; each kind has a JSON Schema (draft 2020-12). A "
        "version goes up when a key is removed or\nmeans something else; keys may be added.\n",
        "| kind | version | schema | what it is |",
        "|---|---|---|---|",
    ]
    for kind, (made_of, version) in KINDS.items():
        said = (inspect.getdoc(made_of) or "").split("\n")[0]
        said = re.sub(r"``", "`", said)
        parts.append(f"| {kind} | {version} | [{kind}.json](schemas/{kind}.json) | {said} |")
    return "\n".join(parts) + "\n"


def pages() -> dict[Path, str]:
    """Every generated file with its text."""
    found = {
        REFERENCE / "command-line.md": command_line(),
        REFERENCE / "python.md": python(),
        REFERENCE / "json.md": outgoing(),
    }
    for kind in KINDS:
        text = json.dumps(schema_of(kind), indent=2, ensure_ascii=False) + "\n"
        found[REFERENCE / "schemas" / f"{kind}.json"] = text
    return found


if __name__ == "__main__":
    for path, text in pages().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
        print(path)
