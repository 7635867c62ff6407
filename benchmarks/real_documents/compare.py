"""Whether two states of the code differ on the collections of real documents.

    python benchmarks/real_documents/compare.py WORK BEFORE AFTER

BEFORE and AFTER are states that `measure.py` has measured. Prints how many questions have other
ranks, scores or answers (none, where a change is to leave results as they are), and for each
figure the difference, as the mean over collections, with the p of a paired randomisation test.
With ten figures one p in twenty below 0.05 is chance. Exit status 1 where anything differs, or a
question was asked of one state only.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from results import (
    Result,
    is_derived,
    is_gone,
    is_strange,
    is_unanswered,
    is_written,
    not_answered,
    read_results,
    values,
)
from tables import Results, Which, head, row

from yonder_lantern.evaluation import paired_randomisation

_SAME = 1e-6  # of scores


def squared_error(one: Result) -> float:
    return float((one["support"] - (one["outcome"] == "right")) ** 2)


FIGURES: dict[str, tuple[Which, Callable[[Result], float]]] = {
    "written: right document in the 5 best": (is_written, lambda one: 0 < one["document"] <= 5),
    "written: right passage before the answerer": (is_written, lambda one: one["given"]),
    "written: right, nothing declined": (is_written, lambda one: one["outcome"] == "right"),
    "written: right, as shipped": (is_written, lambda one: one["shipped"] == "right"),
    "written: wrong, as shipped": (is_written, lambda one: one["shipped"] == "wrong"),
    "written: squared error of support": (is_written, squared_error),
    "derived: right, nothing declined": (is_derived, lambda one: one["outcome"] == "right"),
    "of another collection: not answered": (is_strange, not_answered),
    "written, not answered there: not answered": (is_unanswered, not_answered),
    "answer taken away: not answered": (is_gone, not_answered),
}


def asked_once(before: Results, after: Results) -> int:
    """How many questions only one of the two states was asked."""
    ids = [
        {(name, one["id"]) for name, own in state.items() for one in own}
        for state in (before, after)
    ]
    return len(ids[0] ^ ids[1])


def common(
    before: Results, after: Results
) -> tuple[dict[str, list[Result]], dict[str, list[Result]]]:
    """The questions that both states were asked, in the same order."""
    first: dict[str, list[Result]] = {}
    second: dict[str, list[Result]] = {}
    for name, own in before.items():
        other = {one["id"]: one for one in after.get(name, ())}
        both = [one for one in own if one["id"] in other]
        first[name], second[name] = both, [other[one["id"]] for one in both]
    return first, second


def differing(before: Results, after: Results) -> int:
    """Print in how many questions ranks, scores, answers and support differ; all together."""
    pairs = [pair for name, own in before.items() for pair in zip(own, after[name], strict=True)]
    ranks = sum(one["hits"] != other["hits"] for one, other in pairs)
    scores = sum(
        one["hits"] == other["hits"]
        and not np.allclose(one["scores"], other["scores"], rtol=0, atol=_SAME)
        for one, other in pairs
    )
    texts = sum(one["text"] != other["text"] for one, other in pairs)
    support = sum(abs(one["support"] - other["support"]) > _SAME for one, other in pairs)
    outcomes = sum(one["shipped"] != other["shipped"] for one, other in pairs)
    print(
        f"of {len(pairs)} questions differ: ranks {ranks}, scores {scores}, answers {texts}, "
        f"support {support}, outcome as shipped {outcomes}"
    )
    return ranks + scores + texts + support + outcomes


def main() -> None:
    work, names = Path(sys.argv[1]), sys.argv[2:4]
    states = [read_results(work / "results" / name) for name in names]
    for name, state in zip(names, states, strict=True):
        if not state:
            raise SystemExit(f"{name}: nothing was measured, see measure.py")
    alone = asked_once(*states)
    before, after = common(*states)
    found = differing(before, after)
    if alone:
        print(f"{alone} questions were asked of one state only and are left out below")
    head("", *names, "difference", "p")
    for name, (which, value) in FIGURES.items():
        old, new = values(before, which, value), values(after, which, value)
        difference, p = paired_randomisation(old, new, generator=np.random.default_rng(1))
        means = [float(np.mean([np.mean(own) for own in part.values()])) for part in (old, new)]
        row(name, f"{means[0]:.3f}", f"{means[1]:.3f}", f"{difference:+.3f}", f"{p:.3f}")
    raise SystemExit(1 if found or alone else 0)


if __name__ == "__main__":
    main()
