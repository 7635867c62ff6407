"""Quality on the demo's test questions: finding and answers, overall and by kind.

    python benchmarks/quality.py

prints means with 95 % bootstrap intervals, as Markdown.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services

RETRIEVAL = ("recall@5", "mrr", "ndcg@10")
ANSWERS = (
    "right",
    "answered wrongly",
    "excerpt holds it",
    "declined wrongly",
    "declined rightly",
    "not answered rightly",
)


def main() -> None:
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made) / "desk"
        copy_demo(folder)
        with demo_services(folder):
            Desk.open(folder).gather()
        print("| test questions | " + " | ".join(RETRIEVAL) + " |")
        print("|---|" + "---|" * len(RETRIEVAL))
        grades = Desk.open(folder).grade()
        cells = [str(grades.measure(measure, split="test")) for measure in RETRIEVAL]
        print("| find | " + " | ".join(cells) + " |")
        print()
        print("| min_support | " + " | ".join(ANSWERS) + " |")
        print("|---|" + "---|" * len(ANSWERS))
        for least in (0.0, 0.2, 0.3, 0.4, 0.5):
            grades = Desk.open(folder, settings={"answer.min_support": least}).grade()
            cells = [str(grades.measure(measure, split="test")) for measure in ANSWERS]
            print(f"| {least} | " + " | ".join(cells) + " |")
        print()
        kinds = list(dict.fromkeys(one.kind for one in grades.questions))
        grades = Desk.open(folder).grade()
        print("| kind | asked | recall@5 | ndcg@10 | right | excerpt holds it | declined rightly |")
        print("|---|---|---|---|---|---|---|")
        for kind in kinds:
            only = {"kind": kind, "split": "test"}
            asked = sum(one.kind == kind and one.split == "test" for one in grades.questions)
            cells = []
            for measure in ("recall@5", "ndcg@10", "right", "excerpt holds it", "declined rightly"):
                interval = grades.measure(measure, **only)
                cells.append(f"{interval.mean:.2f}" if interval.count else "·")
            print(f"| {kind} | {asked} | " + " | ".join(cells) + " |")


if __name__ == "__main__":
    main()
