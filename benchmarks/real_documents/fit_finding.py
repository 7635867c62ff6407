"""Fit how passages are ranked on some collections and read it on the one left out.

    python benchmarks/real_documents/fit_finding.py WORK [--why TEXT]

For each family of collections the weights of `[find]` are fitted on all others, as `yonder tune`
fits them, with the same number of questions of each desk (those without the headings that ask
among them), and read on it beside those that ship: nDCG@10 and the weights. In the end they are
fitted on all. What was read is noted in looks.jsonl.
"""

from __future__ import annotations

import argparse
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from asking import Asked, read_asked
from binding import digest
from catalogue import BY_NAME, COLLECTIONS
from measure import note_look
from msgspec import structs
from tables import head, row

from yonder_lantern import Desk
from yonder_lantern.evaluation import Question, TunableDesk, ranking_settings
from yonder_lantern.evaluation.fitting.tune_ranking import Candidates, tune
from yonder_lantern.evaluation.questions.question_set import Expected, Span

_EACH = 60  # questions of a collection
_ANY = Expected(document="-", quote="-")


@dataclass(frozen=True)
class Case:
    """A question with its candidates and expected spans."""

    asked: Asked
    candidates: Candidates

    @property
    def groups(self) -> list[list[Span]]:
        return [[Span(spot.document, spot.start, spot.end, 1) for spot in self.asked.spots]]


class Known:
    """Candidates that were looked up before, by the question's id."""

    def __init__(self, cases: Sequence[Case]) -> None:
        self._cases = {case.asked.id: case.candidates for case in cases}

    def candidates(self, question: Question) -> Candidates:
        return self._cases[question.id]


def collect(folder: Path) -> list[Case]:
    """Some of a collection's questions, written ones first, in no order, with their candidates."""
    desk = TunableDesk(Desk.open(folder, record=False), None)
    asked = [one for one in read_asked(folder / "asked.jsonl") if one.spots]
    asked.sort(key=lambda one: (one.derived, digest(one.id)))
    found = []
    for one in asked[:_EACH]:
        question = Question(id=one.id, question=one.question, expected=((_ANY,),))
        found.append(Case(one, desk.candidates(question)))
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("work", type=Path)
    parser.add_argument("--why", default="weights of finding fitted on the others, read here")
    given = parser.parse_args()
    families: dict[str, list[Case]] = defaultdict(list)
    settings: dict[str, float] = {}
    for name in (one.name for one in COLLECTIONS):
        for folder in (given.work / name, given.work / f"{name}-masked"):
            if (folder / "asked.jsonl").exists():
                families[BY_NAME[name].family] += collect(folder)
                own = Desk.open(folder, record=False)
                settings = ranking_settings(own)
    head("nDCG@10 on the family left out, spans", "gain over what ships", "fitted on the others")
    gains = []
    for outer, left_out in families.items():
        unseen = {case.asked.id for case in left_out}
        cases = [case for own in families.values() for case in own]
        questions = [
            Question(
                id=case.asked.id,
                question=case.asked.question,
                expected=((_ANY,),),
                split="test" if case.asked.id in unseen else "fit",
            )
            for case in cases
        ]
        fitted = tune(Known(cases), questions, [case.groups for case in cases], settings, folds=2)
        if (gain := fitted.test) is not None:
            gains.append(gain.mean)
            changed = {k: v for k, v in fitted.after.items() if v != settings[k]}
            told = ", ".join(f"{key} {value:g}" for key, value in changed.items()) or "the same"
            row(outer, f"{gain.mean:+.3f} [{gain.low:+.3f}, {gain.high:+.3f}]",
                told)  # fmt: skip
    row("mean over families", f"{np.mean(gains):+.3f}", "·")
    fitted = tune(
        Known(cases),
        [structs.replace(one, split="fit") for one in questions],
        [case.groups for case in cases],
        settings,
        folds=2,
    )
    changed = {key: value for key, value in fitted.after.items() if value != settings[key]}
    row("fitted on all", "·", ", ".join(f"{key} {value:g}" for key, value in changed.items()))
    note_look(list(families), "finding fitted without each", given.why)


if __name__ == "__main__":
    main()
