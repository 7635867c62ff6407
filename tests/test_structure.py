"""The shape of the code: which layer may import which, and what stays out of start-up."""

from __future__ import annotations

import ast
import inspect
import subprocess
import sys
from dataclasses import fields
from pathlib import Path

import click
import pytest

import yonder_lantern
from yonder_lantern import Desk, Query
from yonder_lantern.core import QueryParts
from yonder_lantern.interface.cli.main import yonder

ROOT = Path(yonder_lantern.__file__).parent
# From the ground up. A package imports from those before it; the ground's own order counts too.
LAYERS = [
    "core",
    "text",
    "settings",
    "platform",
    "embedding",
    "policy",
    "ingest",
    "index",
    "search",
    "answer",
    "conversation",
    "observe",
    "evaluation",
    "demo",
    "desk",
    "interface",
]


def imports_of(path: Path) -> set[str]:
    """The packages of ours that a module imports, its own left out."""
    package = path.relative_to(ROOT).parts[0]
    depth = len(path.relative_to(ROOT).parts)
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.level == depth:
            names = [node.module] if node.module else [alias.name for alias in node.names]
            found |= {str(name).split(".")[0] for name in names}
        elif isinstance(node, ast.ImportFrom) and (node.module or "").startswith("yonder_lantern."):
            found.add(str(node.module).split(".")[1])
    return found - {package, "version"}


def modules() -> list[Path]:
    return [path for path in sorted(ROOT.rglob("*.py")) if path.parent != ROOT]


def test_every_package_is_in_the_list_of_layers() -> None:
    packages = {path.parent.name for path in ROOT.glob("*/__init__.py")}
    assert packages == set(LAYERS)


@pytest.mark.parametrize("path", modules(), ids=lambda path: str(path.relative_to(ROOT)))
def test_imports_go_down_only(path: Path) -> None:
    own = LAYERS.index(path.relative_to(ROOT).parts[0])
    upward = {name for name in imports_of(path) if LAYERS.index(name) >= own}
    assert not upward, f"{path.relative_to(ROOT)} imports {upward}"


def test_nothing_below_the_interface_prints_or_reads_arguments() -> None:
    wrong = []
    for path in modules():
        if path.relative_to(ROOT).parts[0] == "interface":
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            printing = isinstance(node, ast.Call) and getattr(node.func, "id", "") == "print"
            arguments = isinstance(node, ast.Attribute) and node.attr == "argv"
            if printing or arguments:
                wrong.append(f"{path.relative_to(ROOT)}:{node.lineno}")
    assert not wrong


@pytest.mark.parametrize(
    "arguments",
    [["--help"], ["find", "berth"], ["ask", "Where is the fuel berth?"], ["trace"]],
    ids=lambda arguments: arguments[0],
)
def test_start_up_leaves_heavy_packages_out(arguments: list[str], demo: Path) -> None:
    program = (
        "import sys; from yonder_lantern.interface.cli.main import run; run(sys.argv[1:]); "
        "heavy = {'pandas', 'scipy', 'matplotlib', 'rich', 'yaml', 'markdown_it'}; "
        "print('HEAVY', sorted(heavy & sys.modules.keys()))"
    )
    done = subprocess.run(
        [sys.executable, "-c", program, *arguments], cwd=demo, capture_output=True, text=True
    )
    assert done.stdout.splitlines()[-1] == "HEAVY []"


def test_the_parts_of_a_query_are_listed_once() -> None:
    """Methods and verbs take a query; only `Query` and its typed parts name what it has."""
    parts = {field.name for field in fields(Query)} - {"text"}
    assert set(QueryParts.__annotations__) == parts
    listing = []
    for path in modules():
        inside = path.relative_to(ROOT)
        if inside.parts[0] not in ("desk", "interface") or inside.name == "options.py":
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.FunctionDef):
                named = {one.arg for one in (*node.args.args, *node.args.kwonlyargs)}
                if len(named & {"earlier", "choices", "where", "image"}) > 1:
                    listing.append(f"{path.relative_to(ROOT)}:{node.lineno} {node.name}")
    assert not listing


@pytest.mark.parametrize("verb", ["ask", "find", "talk"])
def test_verbs_that_take_a_question_shape_it_alike(verb: str) -> None:
    offered = {
        name
        for option in yonder.get_command(click.Context(yonder), verb).params
        for name in option.opts
    }
    assert {"--where", "--earlier", "--image", "--audience", "--as-of"} <= offered


def test_every_call_that_takes_a_question_takes_a_query() -> None:
    for name in ("find", "search", "explain", "ask", "stream", "extract", "prompt", "talk"):
        signature = inspect.signature(getattr(Desk, name))
        assert signature.parameters["query"].annotation == "Query | str"
        assert signature.parameters["parts"].annotation == "Unpack[QueryParts]"
