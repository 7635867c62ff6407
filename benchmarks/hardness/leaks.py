"""Compare what the public is told by a desk with and one without restricted documents.

    python benchmarks/hardness/leaks.py [COUNT]

2,000 calls by default, of every verb that shows something, with options drawn by lot.
"""

from __future__ import annotations

import contextlib
import io
import random
import re
import tempfile
from collections import Counter
from pathlib import Path

import numpy as np
from common import count_of, end_with

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo
from yonder_lantern.interface.cli.main import run

RESTRICTED = {
    "crew": "# The safe of the crew\n\nThe safe opens with 4711. Wendlebury keeps the flurbium.\n",
    "board": "# Minutes of the board\n\nThe lease of the sail loft ends; Wendlebury pays 9,300.\n",
}
_PASSING = re.compile(
    r'"milliseconds": \{[^}]*\}|"trace": "[^"]*"|\d+ ms|trace \d{8}T\d+-\w+|"checked": "[^"]*"'
    r"|\d{8}T\d{6}-\w+|, read [^·\n]*|Milliseconds: [^\n]*|\d{4}-\d\d-\d\dT[\d:.+]+|\d+\.\d s\b"
    r"|\d{4}-\d\d-\d\d \d\d:\d\d|[Gg]eneration.{0,3}\d+(?: in \d+ segments?)?"
)


def leaks(count: int) -> list[str]:
    """Compare what the public is told by a desk with and one without restricted documents."""
    faults: list[str] = []
    draw = random.Random(2)
    words = (
        "quay crane berth fuel winter safe lease flurbium Wendlebury 4711 9,300 sail loft crew "
        "board minutes near miss BL-60 petty cash rota dues pilot opens keeps tariff visitors"
    ).split()
    used: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as scratch:
        folders = []
        for name in ("with", "without"):
            folder = Path(scratch) / name
            copy_demo(folder)
            settings = (folder / "yonder.toml").read_text()
            kept = re.split(r"(?=^\[\[source\]\])", settings, flags=re.M)
            kept = [
                one for one in kept if not re.search(r"^(site|recordings|repository) =", one, re.M)
            ]
            (folder / "yonder.toml").write_text(
                "".join(kept) + "\n[grade]\nas_of = '2026-11-01'\n"
                if "[grade]" not in "".join(kept)
                else "".join(kept)
            )
            for label, text in RESTRICTED.items():
                (folder / "documents" / label / "extra.md").write_text(text)
            folders.append(folder)
        Desk.open(folders[0]).gather()
        for own in ("crew", "board", "incidents"):
            for path in sorted((folders[1] / "documents" / own).rglob("*.md")):
                path.unlink()
        (folders[1] / "documents" / "plans" / "sail-loft-lease.pdf").unlink()
        Desk.open(folders[1]).gather()
        for folder in folders:
            desk = Desk.open(folder)
            desk.ask("What does the safe open with?")
            desk.talk("Who keeps the flurbium?", desk.conversations.start())
            desk.ask("When does the quay close?", audience=["public"])
        for _ in range(count):
            arguments = _call(draw, words)
            used[arguments[0]] += 1
            told = [_told(arguments, folder) for folder in folders]
            if told[0] != told[1]:
                faults.append(f"{arguments}: {_difference(*told)}")
    print(f"{count} calls {dict(used)}: {len(faults)} leaks")
    return faults


def _call(draw: random.Random, words: list[str]) -> list[str]:
    """A verb with options, as a caller of the public."""
    question = " ".join(draw.sample(words, draw.randint(1, 5)))
    where = draw.choice(
        [
            "",
            "source = 'crew'",
            "audience = 'crew'",
            "title LIKE '%safe%'",
            "topic <> ''",
            "year > 2000",
        ]
    )
    document = draw.choice(
        ["crew/extra.md", "board/extra.md", "handbook/berths.md", "crew/extra.md#9"]
    )
    verbs: list[list[str]] = [
        ["find", question],
        ["find", question, "--why"],
        ["find", question, "--where", where],
        ["find", question, "--stage", draw.choice(["lexical", "vector"])],
        ["find", "--similar-to", document],
        ["find", question, "--why-not", document],
        ["find", f'"{question}"'],
        ["find", draw.choice(["flurbiun", "Wendleburry", "saffe", "leese"])],
        ["ask", question],
        ["ask", f"What is {question}?", "--passages", str(draw.randint(1, 12))],
        ["look"],
        ["look", "--documents"],
        ["look", "--details"],
        ["look", "--topics"],
        ["look", "--sizes"],
        ["look", "--duplicates"],
        ["look", "--random", "400", "--seed", "1"],
        ["look", document.partition("#")[0]],
        ["look", "--source", draw.choice(["crew", "board", "handbook"])],
        ["look", "--failures"],
        ["trace"],
        ["trace", "--last"],
        ["export", "out.npz", "--where", where],
    ]
    own = draw.choice(verbs)
    own = [*own, "--audience", "public"]
    if own[0] in ("find", "ask") or (own[0] == "look" and draw.random() < 0.5):
        own += ["--as-of", draw.choice(["2026-11-01", "2025-06-01"])]
    return [*own, *(["--json"] if draw.random() < 0.5 else [])]


def _told(arguments: list[str], folder: Path) -> str:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        own = ["--desk", str(folder)]
        if arguments[0] == "export":
            arguments = [arguments[0], str(folder / arguments[1]), *arguments[2:]]
        status = run([arguments[0], *own, *arguments[1:]])
    text = (out.getvalue() + err.getvalue()).replace(str(folder), "DESK")
    if arguments[0] == "export" and status == 0:
        with np.load(arguments[1]) as arrays:
            text += "".join(f"{name} {arrays[name]!r}\n" for name in sorted(arrays.files))
    return f"{status}\n{_PASSING.sub('~', text)}"


def _difference(one: str, other: str) -> str:
    lines = [(a, b) for a, b in zip(one.splitlines(), other.splitlines(), strict=False) if a != b]
    if not lines:
        return "one is longer"
    at = next((n for n, (a, b) in enumerate(zip(*lines[0], strict=False)) if a != b), 0)
    one, other = (own[max(0, at - 40) : at + 60] for own in lines[0])
    return f"{one!r} instead of {other!r}"


if __name__ == "__main__":
    end_with(leaks(count_of(2000)))
