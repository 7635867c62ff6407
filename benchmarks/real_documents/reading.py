"""What reading makes of answers, beside what the script makes of them.

    python benchmarks/real_documents/reading.py WORK STATE draw SAMPLE
    python benchmarks/real_documents/reading.py WORK STATE report

``draw`` prints the answers of a sample that have no verdict yet, each with its question and what
is expected: `mixed` (100 answers to questions that have one, as they come) and `again` (others,
read after the rule of the script had been changed for what the first showed), `wrong` (100 that
the script calls wrong), `unanswerable` (100 given to questions of other collections, or with the
answer taken away). A verdict (r right, p partly, w wrong) is kept in ``verdicts/SAMPLE.jsonl`` with
the id of the question and the hash of the answer, never its words. ``report`` prints the agreement
and the shares that are in truth right; an answer that has changed since has no verdict.
"""

from __future__ import annotations

import json
import sys
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from asking import Asked, read_asked
from binding import digest
from make import documents_of
from results import Result, is_derived, is_gone, is_strange, is_written, not_answered, read_results
from tables import head, row

from yonder_lantern import Desk
from yonder_lantern.evaluation.statistics.intervals import bootstrap_mean

VERDICTS = Path(__file__).parent / "verdicts"
SAMPLES = ("mixed", "again", "wrong", "unanswerable")
MEANING = {"r": "right", "p": "partly", "w": "wrong"}
_COUNT = 100


def fitting(name: str, results: dict[str, list[Result]]) -> list[tuple[str, Result]]:
    """The answers that a sample is drawn from, with the desk of each, in an order of its own."""
    every = [(desk, one) for desk, own in results.items() for one in own if one["text"]]
    given = [pair for pair in every if not not_answered(pair[1])]
    if name in ("mixed", "again"):
        chosen = [pair for pair in every if pair[1]["answerable"]]
    elif name == "wrong":
        chosen = [pair for pair in every if is_wrong(pair[1])]
    else:
        chosen = [pair for pair in given if is_strange(pair[1]) or is_gone(pair[1])]
    return sorted(chosen, key=lambda pair: digest(f"{name} {pair[1]['id']}"))


def key(one: Result) -> tuple[str, str]:
    """What a verdict is kept by: the question, and the hash of the answer."""
    return one["id"], digest(one["text"])


def is_wrong(one: Result) -> bool:
    """Whether the script calls it a wrong answer to a question that has one."""
    return bool(one["answerable"]) and one["outcome"] == "wrong"


def verdicts(name: str) -> dict[tuple[str, str], str]:
    """Verdicts by question and hash of the answer."""
    path = VERDICTS / f"{name}.jsonl"
    if not path.exists():
        return {}
    lines = map(json.loads, path.read_text(encoding="utf-8").splitlines())
    return {(one["id"], one["answer"]): one["verdict"] for one in lines}


def draw(work: Path, name: str, results: dict[str, list[Result]]) -> Iterator[str]:
    known = verdicts(name)
    chosen = fitting(name, results)
    there = sum(key(one) in known for _, one in chosen)
    left = [pair for pair in chosen if key(pair[1]) not in known]
    desks: dict[str, tuple[dict[str, Asked], dict[str, str]]] = {}
    for desk, one in left[: max(0, _COUNT - there)]:
        if desk not in desks:
            asked = {own.id: own for own in read_asked(work / desk / "asked.jsonl")}
            texts = documents_of(Desk.open(work / desk, record=False))
            desks[desk] = asked, {id_: own.text for id_, own in texts.items()}
        asked, texts = desks[desk]
        yield f"{one['id']} {digest(one['text'])}\n  ? {asked[one['id']].question}"
        for spot in asked[one["id"]].spots[:1]:
            expected = " ".join(texts[spot.document][spot.start : spot.end].split())
            yield f"  = {expected[:260]}"
        yield f"  > {' '.join(one['text'].split())[:420]}"


def report(results: dict[str, list[Result]]) -> None:
    head("sample", "read", "of them in truth right", "right or partly", "script agrees")
    for name in SAMPLES:
        known = verdicts(name)
        every = [one for own in results.values() for one in own if key(one) in known]
        if not every:
            continue
        shares(name, every, known)
        for kind, which in (("written", is_written), ("derived", is_derived)):
            shares(f"{name}, {kind}", [one for one in every if which(one)], known)
        pairs = Counter((one["outcome"], MEANING[known[key(one)]]) for one in every)
        told = [f"{script}, read {read}: {n}" for (script, read), n in sorted(pairs.items())]
        row(f"{name}: script …", "; ".join(told), "·", "·", "·")


def shares(name: str, every: Sequence[Result], known: Mapping[tuple[str, str], str]) -> None:
    if not every:
        return
    read = [MEANING[known[key(one)]] for one in every]
    found = (
        [own == "right" for own in read],
        [own != "wrong" for own in read],
        [one["outcome"] == own for one, own in zip(every, read, strict=True)],
    )
    cells = [str(bootstrap_mean([float(one) for one in share], seed=1)) for share in found]
    row(name, str(len(every)), *cells)


def main() -> None:
    work, state, what = Path(sys.argv[1]), sys.argv[2], sys.argv[3]
    results = read_results(work / "results" / state)
    if what == "report":
        report(results)
    else:
        print("\n".join(draw(work, sys.argv[4], results)))


if __name__ == "__main__":
    main()
