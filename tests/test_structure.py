"""The shape of the code: which layer may import which, and what stays out of start-up."""

from __future__ import annotations

import ast
import importlib.util
import inspect
import re
import subprocess
import sys
from dataclasses import fields
from graphlib import TopologicalSorter
from pathlib import Path

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
    "reading",
    "search",
    "answer",
    "replies",
    "conversation",
    "knowledge",
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
    return found - {package, *(one.stem for one in ROOT.glob("*.py"))}


def modules() -> list[Path]:
    return [path for path in sorted(ROOT.rglob("*.py")) if path.parent != ROOT]


def test_every_package_is_in_the_list_of_layers() -> None:
    packages = {path.parent.name for path in ROOT.glob("*/__init__.py")}
    assert packages == set(LAYERS)


def test_imports_go_down_only() -> None:
    upward = [
        f"{path.relative_to(ROOT)} imports {name}"
        for path in modules()
        for name in imports_of(path)
        if LAYERS.index(name) >= LAYERS.index(path.relative_to(ROOT).parts[0])
    ]
    assert not upward


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


def module_of(path: Path) -> str:
    parts = list(path.relative_to(ROOT).with_suffix("").parts)
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


MODULES = {module_of(path): path for path in modules()}
PACKAGES = {name for name, path in MODULES.items() if path.name == "__init__.py"}


def imported_by(path: Path) -> list[tuple[str, str]]:
    """What a module imports of ours: the module that is named, and the name taken from it."""
    here = list(path.relative_to(ROOT).parts)
    found = []
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if not isinstance(node, ast.ImportFrom) or not 0 < node.level <= len(here):
            continue
        base = [*here[: len(here) - node.level], *((node.module or "").split("."))]
        target = ".".join(part for part in base if part)
        found += [(target, alias.name) for alias in node.names]
    return found


def exported_by(package: str) -> set[str]:
    """The names in a package's ``__all__``."""
    for node in ast.parse(MODULES[package].read_text(encoding="utf-8")).body:
        if isinstance(node, ast.Assign) and ast.unparse(node.targets[0]) == "__all__":
            return set(ast.literal_eval(node.value))
    return set()


def test_no_circles() -> None:
    """Not between modules either, lazy imports and those for types included."""
    edges = {
        name: {
            found
            for target, alias in imported_by(path)
            for found in ([f"{target}.{alias}"] if f"{target}.{alias}" in MODULES else [target])
            if found in MODULES
            and found != name
            # A name that its package exports is the package's, whatever its module is called.
            and not (target in PACKAGES and alias in exported_by(target) and found != target)
        }
        for name, path in MODULES.items()
    }
    TopologicalSorter(edges).prepare()  # raises CycleError, which names the circle


def test_nothing_imports_the_inside_of_another_package() -> None:
    wrong = []
    for name, path in MODULES.items():
        package = name if path.name == "__init__.py" else name.rpartition(".")[0]
        for target, alias in imported_by(path):
            if target not in MODULES or target == "version":
                continue
            owner = target if target in PACKAGES else target.rpartition(".")[0]
            if f"{package}.".startswith(f"{owner}."):
                continue  # its own package, or one that it is in
            if target not in PACKAGES or alias not in exported_by(target):
                wrong.append(f"{name} imports {alias} of {target}")
    assert not wrong


def test_files_are_short_and_their_names_tell_them_apart() -> None:
    long = [
        f"{path.relative_to(ROOT)}: {count} lines"
        for path in modules()
        if (count := len(path.read_text(encoding="utf-8").splitlines())) > 500
    ]
    assert not long
    named: dict[str, list[str]] = {}
    for path in modules():
        if path.name != "__init__.py" and "saltgarth" not in path.parts:
            named.setdefault(path.name, []).append(str(path.parent.relative_to(ROOT)))
    twice = {
        name: folders
        for name, folders in named.items()
        # A verb of the command line is named after what it calls.
        if len([folder for folder in folders if folder != "interface/cli/verbs"]) > 1
    }
    assert not twice


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
        for option in yonder.get_command(
            yonder.make_context("yonder", [], resilient_parsing=True), verb
        ).params
        for name in option.opts
    }
    assert {"--where", "--earlier", "--image", "--audience", "--as-of"} <= offered


def test_every_call_that_takes_a_question_takes_a_query() -> None:
    for name in ("find", "search", "explain", "ask", "stream", "extract", "prompt", "talk"):
        signature = inspect.signature(getattr(Desk, name))
        assert signature.parameters["query"].annotation == "Query | str"
        assert signature.parameters["parts"].annotation == "Unpack[QueryParts]"


_INSIDE = ("segments", "layout", "store", "manifest")


def test_nobody_outside_the_index_touches_its_inside() -> None:
    """All go through the protocols: no segments, layout, store or manifest."""
    wrong = []
    for path in modules():
        inside = path.relative_to(ROOT).parts
        if inside[0] == "index":
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Attribute) and node.attr in _INSIDE:
                wrong.append(f"{path.relative_to(ROOT)}:{node.lineno} .{node.attr}")
    assert not wrong


def _documented(docstring: str, heading: str) -> list[str]:
    """The names that a numpydoc section lists."""
    found = re.search(rf"^{heading}\n-+\n(.*?)(?=^\w[^\n]*\n-+\n|\Z)", docstring, re.M | re.S)
    lines = re.findall(r"^[*\w].*$", found[1], re.M) if found else []
    return [name.strip("* ") for line in lines for name in line.split(" : ")[0].split(", ")]


def _names(class_: ast.ClassDef) -> set[str]:
    """The fields, methods, parameters and attributes of a class."""
    return {
        name
        for node in ast.walk(class_)
        for name in (
            getattr(node, "arg", None),
            getattr(node, "attr", None),
            getattr(node, "id", None),
            getattr(node, "name", None),
        )
        if name
    }


def test_docstrings_name_what_there_is() -> None:
    """A renamed field or parameter is renamed where it is described, too."""
    wrong = []
    nodes = (
        (path, node)
        for path in modules()
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
    )
    for path, node in nodes:
        docstring = (
            ast.get_docstring(node) or ""
            if isinstance(node, ast.ClassDef | ast.FunctionDef)
            else ""
        )
        if isinstance(node, ast.FunctionDef):
            known = {one.arg for one in ast.walk(node.args) if isinstance(one, ast.arg)}
            named = _documented(docstring, "Parameters")
        elif isinstance(node, ast.ClassDef):
            known = _names(node)
            named = _documented(docstring, "Parameters") + _documented(docstring, "Attributes")
        else:
            continue
        place = f"{path.relative_to(ROOT)}: {node.name}"
        wrong += [f"{place}: {name}" for name in named if name not in known]
    assert not wrong


@pytest.mark.parametrize(
    "script",
    sorted(
        path
        for folder in ("benchmarks", "training", "examples", "docs")
        for path in (Path(__file__).parents[1] / folder).rglob("*.py")
    ),
    ids=lambda path: f"{path.parent.name}/{path.stem}",
)
def test_scripts_import_what_there_is(script: Path) -> None:
    """Nothing else notices a name that was changed under a script that is run once a month."""
    for node in ast.walk(ast.parse(script.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(ROOT.name):
            there = importlib.import_module(str(node.module))
            for alias in node.names:
                named = hasattr(there, alias.name)
                assert named or importlib.util.find_spec(f"{node.module}.{alias.name}"), alias.name
