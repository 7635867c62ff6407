"""What prompts make of a real small model: does it answer, refuse, or write back what it was given?

    python benchmarks/real_documents/prompts.py WORK [FOLDER ...] [--context TOKENS] [--questions N]

asks the model server of the tests N written questions of each of two collections, and half as many
of other collections, which these do not answer. Each FOLDER holds prompts (instructions.j2,
question.j2) that take the place of those that ship; without, those that ship are measured. The
server's model is very small (135 million parameters): it shows which prompts so small a model can
follow at all, not how well a larger one answers.
"""

from __future__ import annotations

import argparse
import re
import shutil
import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

from asking import Asked, read_asked
from judging import outcome as outcome_of

from yonder_lantern import Desk, Finished, Piece
from yonder_lantern.answer.marks import is_refusal
from yonder_lantern.core import AnswerStatus
from yonder_lantern.evaluation.questions.question_set import Span

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))
from model_server import model_server

COLLECTIONS = ("putty", "apcupsd")
_ECHOED = re.compile(r"={4,}|</?passage|\bend of \[|^\s*Passages\b|^\s*Question:", re.I | re.M)
_TOKENS = 100  # of an answer


@dataclass(frozen=True)
class Outcome:
    """What became of one question."""

    answerable: bool
    refused: bool
    echoed: bool
    answered: bool
    right: bool


def asked_of(folder: Path, count: int) -> list[Asked]:
    """Some written questions, and half as many of other collections."""
    every = read_asked(folder / "asked.jsonl")
    written = [one for one in every if one.spots and not one.derived]
    others = [one for one in every if "-of-" in one.id]
    return [*_spread(written, count), *_spread(others, count // 2)]


def _spread(some: Sequence[Asked], count: int) -> list[Asked]:
    return [some[at * len(some) // count] for at in range(count)]


def outcomes(
    work: Path, prompts: Path | None, address: str, context: int, count: int
) -> Iterator[tuple[str, Asked, Outcome]]:
    """What becomes of the questions with some prompts."""
    for collection in COLLECTIONS:
        with TemporaryDirectory() as made:
            folder = Path(made) / "desk"
            shutil.copytree(work / collection, folder, ignore=shutil.ignore_patterns("traces"))
            if prompts:
                shutil.copytree(prompts, folder / "prompts", dirs_exist_ok=True)
            model = {
                "address": f"{address}/v1/chat/completions",
                "shape": "roles",
                "context": context,
            }
            model |= {"answer_tokens": _TOKENS, "name": "small"}
            desk = Desk.open(folder, settings={"answer.model": model}, record=False)
            for one in asked_of(folder, count):
                wrote, answer = "", None
                for event in desk.stream(one.question):
                    if isinstance(event, Piece):
                        wrote += event.text
                    elif isinstance(event, Finished):
                        answer = event.answer
                assert answer
                answered = answer.status is AnswerStatus.ANSWER
                spans = [Span(spot.document, spot.start, spot.end, 1) for spot in one.spots]
                yield (
                    wrote,
                    one,
                    Outcome(
                        bool(one.spots),
                        is_refusal(wrote),
                        bool(_ECHOED.search(wrote)),
                        answered,
                        answered and outcome_of(one, answer, spans) == "right",
                    ),
                )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("work", type=Path)
    parser.add_argument("prompts", nargs="*", type=Path)
    parser.add_argument("--context", type=int, default=2000)
    parser.add_argument("--questions", type=int, default=8)
    parser.add_argument("--show", action="store_true", help="print what the model wrote")
    given = parser.parse_args()
    print("| prompts | answerable | refused | written back | answered | right | others declined |")
    print("|---|---|---|---|---|---|---|", flush=True)
    with model_server(context=max(2048, given.context)) as address:
        for prompts in given.prompts or [None]:
            found = []
            for wrote, asked, outcome in outcomes(
                given.work, prompts, address, given.context, given.questions
            ):
                found.append(outcome)
                if given.show:
                    print(f"\n## {asked.question}\n{wrote}\n   {outcome}", flush=True)
            own = [one for one in found if one.answerable]
            others = [one for one in found if not one.answerable]
            counts = [sum(getattr(one, name) for one in own)
                      for name in ("refused", "echoed", "answered", "right")]  # fmt: skip
            counts.append(sum(not one.answered for one in others))
            name = prompts.name if prompts else "shipped"
            print(f"| {name} | {len(own)} | " + " | ".join(map(str, counts))
                  + f" of {len(others)} |", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
