"""What the documents show is what the program does."""

from __future__ import annotations

import json
import re
import shlex
import shutil
import sys
from pathlib import Path

import pytest

from yonder_lantern import Desk
from yonder_lantern.evaluation import load_questions
from yonder_lantern.interface.cli.main import VERBS, yonder
from yonder_lantern.settings import (
    Settings,
    load_profile,
    load_settings,
)

ROOT = Path(__file__).parents[2]
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").rglob("*.md"))]


def blocks(page: Path, language: str) -> list[str]:
    found = re.findall(rf"^```{language}\n(.*?)^```", page.read_text(), re.MULTILINE | re.DOTALL)
    return [str(one) for one in found]


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.stem)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)(?:#[^)]*)?\)", page.read_text()):
        assert (page.parent / target).exists(), f"{page.name}: {target}"


@pytest.mark.parametrize("page", [p for p in PAGES if blocks(p, "python")], ids=lambda p: p.stem)
def test_python_shown_runs(page: Path, demo: Path, tmp_path: Path, monkeypatch) -> None:
    monkeypatch.chdir(tmp_path)
    if page.stem != "README":  # which begins with an empty folder
        shutil.copytree(demo, tmp_path / "harbour")
    for block in blocks(page, "python"):
        known = {"desk": Desk.open("harbour")} if Path("harbour").exists() else {}
        exec(compile(block, page.name, "exec"), known)


@pytest.mark.parametrize("page", [p for p in PAGES if blocks(p, "toml")], ids=lambda p: p.stem)
def test_settings_shown_are_valid(page: Path, tmp_path: Path, monkeypatch) -> None:
    for block in blocks(page, "toml"):
        for name in re.findall(r"\$\{(\w+)\}", block):
            monkeypatch.setenv(name, "x")
        (tmp_path / "yonder.toml").write_text(block)
        if block.startswith("# model.toml"):
            assert load_profile(tmp_path / "yonder.toml").name
        else:
            load_settings(tmp_path)


@pytest.mark.parametrize("page", [p for p in PAGES if blocks(p, "sh")], ids=lambda p: p.stem)
def test_commands_shown_are_understood(page: Path) -> None:
    seen = 0
    for block in blocks(page, "sh"):
        for line in block.splitlines():
            for part in re.split(r"\||&&", line):
                words = shlex.split(part, comments=True)
                if words[:1] == ["python"]:
                    assert (ROOT / words[1]).exists(), part
                    seen += 1
                if words[:1] != ["yonder"] and not (words and words[0].endswith("bin/yonder")):
                    continue
                context = yonder.make_context("yonder", [], resilient_parsing=True)
                assert words[1] in VERBS, part
                command = yonder.get_command(context, words[1])
                assert command is not None
                command.make_context(words[1], list(words[2:]), parent=context)
                seen += 1
    assert seen


def test_the_question_shown_is_one(tmp_path: Path, demo: Path) -> None:
    (shown,) = blocks(ROOT / "docs" / "howto" / "question-sets.md", "json")
    path = tmp_path / "questions.jsonl"
    path.write_text(json.dumps(json.loads(shown)))
    desk = Desk.open(demo)
    located = load_questions(path).located(lambda id_: getattr(desk.document(id_), "text", None))
    assert len(located[0]) == 1


def test_every_verb_is_in_the_readme() -> None:
    text = (ROOT / "README.md").read_text()
    assert not [verb for verb in VERBS if f"yonder {verb}" not in text]


def test_every_section_of_the_settings_is_in_the_reference() -> None:
    text = (ROOT / "docs" / "reference" / "settings.md").read_text()
    assert not [name for name in Settings.__struct_fields__ if f"[{name}" not in text]


def test_the_reference_is_what_the_code_says() -> None:
    sys.path.insert(0, str(ROOT / "docs"))
    try:
        from generate_reference import pages
    finally:
        sys.path.pop(0)
    stale = [path.name for path, text in pages().items() if path.read_text() != text]
    assert not stale, "run python docs/generate_reference.py"
