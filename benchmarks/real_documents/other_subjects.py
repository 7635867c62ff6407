"""Whether a question about one thing is answered with what is said of another.

    python benchmarks/real_documents/other_subjects.py WORK

asks 100 questions of the collection of man pages: each for an option of a program that has no such
option, while another program has it. Both names stand in the collection, often. Every answer is
about another subject, and wrong. Prints how many were answered, and those.
"""

from __future__ import annotations

import random
import re
import sys
from pathlib import Path

from asking import read_asked
from make import documents_of

from yonder_lantern import Desk

ASKED = 100
_OPTION = re.compile(r"What does the option (\S+) of (\S+) do\?")


def questions(folder: Path, desk: Desk) -> list[str]:
    """Questions for options of programs whose pages do not name them."""
    pages = {
        id_.rpartition("/")[2].partition(".")[0]: document.text
        for id_, document in documents_of(desk).items()
    }
    options = [
        found[1]
        for one in read_asked(folder / "own.jsonl")
        if (found := _OPTION.fullmatch(one.question)) and len(found[1]) > len("-x")
    ]
    pairs = [(option, name) for option in options for name in pages if option not in pages[name]]
    chosen = random.Random("other subjects").sample(pairs, ASKED)
    return [f"What does the option {option} of {name} do?" for option, name in chosen]


def main() -> None:
    folder = Path(sys.argv[1]) / "man-pages"
    desk = Desk.open(folder, record=False)
    asked = questions(folder, desk)
    answered = 0
    for question in asked:
        answer = desk.ask(question)
        if answer.answered:
            answered += 1
            where = answer.citations[0].document if answer.citations else ""
            print(f"{question}\n   {where}: {' '.join(answer.text.split())[:120]}")
    print(f"{answered} of {len(asked)} questions about another subject were answered")


if __name__ == "__main__":
    main()
