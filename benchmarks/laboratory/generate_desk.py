"""A desk of generated documents, with a question for every fortieth of them."""

from __future__ import annotations

import json
import random
import re
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from generate import documents

from yonder_lantern import Desk

EVERY = 40


def generated_desk(folder: Path, count: int) -> Path:
    """Make the desk, if it is not there."""
    if (folder / "questions.jsonl").exists():
        return folder
    (folder / "documents").mkdir(parents=True, exist_ok=True)
    (folder / "yonder.toml").write_text("")
    generator = random.Random(5)
    lines = []
    for number, text in enumerate(documents(count)):
        (folder / "documents" / f"{number:06}.md").write_text(text)
        if number % EVERY == 0:
            said = [one for one in re.findall(r"(?m)^For each .*?(?=\.|$)", text) if len(one) > 40]
            if said:
                quote = generator.choice(said)
                asked = re.sub(r"For each (\w+) the (\w+) pays \d+ crowns and the (\w+) pays \d+",
                               r"How many crowns does the \2 pay for each \1?", quote)  # fmt: skip
                expected = [[{"document": f"documents/{number:06}.md", "quote": quote}]]
                lines.append({"id": f"q{number}", "question": asked, "expected": expected})
    Desk.open(folder).gather()
    (folder / "questions.jsonl").write_text("".join(f"{json.dumps(one)}\n" for one in lines))
    return folder
