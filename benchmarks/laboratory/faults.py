"""Faults put in on purpose: how many of them the analysis of failures names rightly.

    python benchmarks/laboratory/faults.py WORK DESK [DESK ...] [--faults N]

Of each desk a copy is made below WORK. A fault is one of: a document left out, a document damaged,
a document that the asker may not see, a bad cut, a search that finds nothing by one stage or the
other, a limit of one, a threshold that nothing meets, a judgement of a place that does not answer.
Each is put in for one question that is answered rightly without it; what the analysis says of that
question is held against what was done. A question that is answered rightly all the same shows no
fault, and another is drawn.
"""

from __future__ import annotations

import json
import random
import shutil
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.evaluation import Cause, load_questions
from yonder_lantern.evaluation.questions import Question, as_line

SEED = 3


@dataclass
class Fault:
    """A fault: what it does, and what it may be called."""

    name: str
    causes: frozenset[Cause]
    settings: dict[str, object]
    before: Callable[[Desk, Question, Path], Question | None]
    gathers: bool = True
    of_finding: bool = False  # it shows only where the passage is no longer found


def unchanged(_: Desk, question: Question, __: Path) -> Question:
    return question


def left_out(_: Desk, question: Question, folder: Path) -> Question | None:
    return question if _file(question, folder, lambda path: path.unlink()) else None


def damaged(_: Desk, question: Question, folder: Path) -> Question | None:
    def break_it(path: Path) -> None:
        path.unlink()
        (path.parent / f"{path.name}.pdf").write_bytes(b"%PDF-1.7 nothing of it is left")

    if not _file(question, folder, break_it):
        return None
    raw = json.loads(as_line(question))
    for group in raw["expected"]:
        for one in group:
            one["document"] += ".pdf"
    return _question(raw)


def other_asker(desk: Desk, question: Question, folder: Path) -> Question | None:
    raw = json.loads(as_line(question))
    if question.audience:
        return None
    raw["audience"] = ["nobody"]
    del desk, folder
    return _question(raw)


def long_span(desk: Desk, question: Question, folder: Path) -> Question | None:
    """A whole section is expected, which passages of the smallest size cut many times."""
    del folder
    raw = json.loads(as_line(question))
    one = raw["expected"][0][0]
    document = desk.document(one["document"])
    if document is None:
        return None
    at = document.text.find(one["quote"])
    quote = document.text[at : at + 1200]
    if len(quote.split()) < 150:
        return None
    raw["expected"] = [[{"document": one["document"], "quote": quote}]]
    raw.pop("answer", None)
    return _question(raw)


def other_language(desk: Desk, question: Question, folder: Path) -> Question | None:
    """The question in words that no document has."""
    del desk, folder
    raw = json.loads(as_line(question))
    raw["question"] = " ".join(
        word[::-1] if len(word) > 3 else word for word in question.question.casefold().split()
    )
    return _question(raw)


def wrong_place(desk: Desk, question: Question, folder: Path) -> Question | None:
    """The expected place is another; what an answer must say stays."""
    del folder
    if not question.answer:
        return None
    raw = json.loads(as_line(question))
    own = raw["expected"][0][0]
    document = desk.document(own["document"])
    if document is None or len(raw["expected"]) > 1:
        return None
    spans = desk.passages_of(document.id)
    at = document.text.find(own["quote"])
    far = [span for span in spans if not span[0] <= at < span[1]]
    if not far:
        return None
    start, end = far[0]
    raw["expected"] = [[{"document": document.id, "quote": document.text[start:end][:300]}]]
    return _question(raw)


FAULTS = [
    Fault("a document left out", frozenset({Cause.NOT_GATHERED}), {}, left_out),
    Fault("a document damaged", frozenset({Cause.UNREADABLE}), {}, damaged),
    Fault("an asker who may not see it", frozenset({Cause.NOT_VISIBLE}), {}, other_asker, False),
    Fault(
        "a bad cut",
        frozenset({Cause.CUT_BADLY}),
        {"passages.tokens": 20, "passages.overlap": 0, "find.join": False},
        long_span,
    ),
    Fault(
        "a stage that is broken: no words, vectors of two dimensions",
        frozenset({Cause.NOT_RETRIEVED, Cause.RANKED_LOW}),
        {"find.lexical_weight": 0.0, "find.candidates": 10, "embedding.method": "latent",
         "embedding.dimensions": 2},
        unchanged,
        of_finding=True,
    ),
    Fault(
        "a question in words that no document has",
        frozenset({Cause.NOT_RETRIEVED, Cause.RANKED_LOW}),
        {},
        other_language,
        False,
        of_finding=True,
    ),
    Fault(
        "a ranking upside down",
        frozenset({Cause.RANKED_LOW, Cause.NOT_RETRIEVED}),
        {"find.weights.coverage": -2, "find.weights.nearness": -2, "find.limit": 3},
        unchanged,
        False,
        of_finding=True,
    ),
    Fault("a threshold that nothing meets", frozenset({Cause.DECLINED}),
          {"answer.min_support": 1.0}, unchanged, False),
    Fault("a judgement of another place", frozenset({Cause.JUDGED}), {}, wrong_place, False),
]  # fmt: skip


def _file(question: Question, folder: Path, act: Callable[[Path], object]) -> bool:
    """Do something with the file of the one document that is expected, if there is one."""
    documents = {one.document for group in question.expected for one in group}
    if len(documents) != 1 or len(question.expected) != 1:
        return False
    name, _, key = next(iter(documents)).partition("/")
    source = next((one for one in Desk.open(folder).settings.source if one.name == name), None)
    path = folder / getattr(source, "folder", "none") / key
    if not path.is_file():
        return False
    act(path)
    return True


def _question(raw: dict[str, object]) -> Question:
    import msgspec

    return msgspec.convert(raw, Question)


def main() -> None:
    work = Path(sys.argv[1])
    wanted = 200
    arguments = sys.argv[2:]
    if "--faults" in arguments:
        at = arguments.index("--faults")
        wanted = int(arguments[at + 1])
        arguments = arguments[:at]
    generator = random.Random(SEED)
    named: Counter[str] = Counter()
    put_in: Counter[str] = Counter()
    said: Counter[tuple[str, str]] = Counter()
    for folder in map(Path, arguments):
        base = Desk.open(folder, record=False)
        right = {one.id for one in base.grade().questions if one.answerable and one.right}
        questions = [
            one
            for one in load_questions(folder / base.settings.grade.questions).questions
            if one.id in right
        ]
        for fault in FAULTS:
            aim = wanted // len(FAULTS) // len(arguments)
            generator.shuffle(questions)
            done = 0
            for question in questions:
                if done >= aim:
                    break
                cause = tried(base, folder, work, fault, question)
                if cause is None:
                    continue
                done += 1
                put_in[fault.name] += 1
                named[fault.name] += cause in fault.causes
                said[fault.name, cause.value] += 1
            print(f"{folder.name}: {fault.name}: {done}", flush=True)
    print("| fault | put in | named rightly | said |")
    print("|---|---|---|---|")
    for fault in FAULTS:
        own = ", ".join(
            f"{cause} {count}" for (name, cause), count in said.most_common() if name == fault.name
        )
        print(f"| {fault.name} | {put_in[fault.name]} | {named[fault.name]} | {own} |")
    whole = sum(put_in.values())
    print(f"| all | {whole} | {sum(named.values())}, {sum(named.values()) / whole:.0%} | |")


def tried(base: Desk, folder: Path, work: Path, fault: Fault, question: Question) -> Cause | None:
    """What the analysis says of a question after a fault; None if the fault shows in nothing."""
    copy = work / "fault"
    shutil.rmtree(copy, ignore_errors=True)
    if fault.gathers:
        shutil.copytree(
            folder, copy, symlinks=True, ignore=shutil.ignore_patterns("traces", "grades")
        )
    else:
        copy.mkdir(parents=True)
        shutil.copy(folder / "yonder.toml", copy)
        (copy / ".yonder").mkdir()
        (copy / ".yonder" / "index").symlink_to((folder / ".yonder" / "index").resolve())
    changed = fault.before(base, question, copy)
    if changed is None:
        return None
    (copy / "one.jsonl").write_text(as_line(changed) + "\n", encoding="utf-8")
    desk = Desk.open(
        copy, settings={**fault.settings, "grade.questions": "one.jsonl"}, record=False
    )
    if fault.gathers:
        sources = {name.partition("/")[0] for name in _documents(question)}
        desk.gather(sources=sources)
    try:
        grades = desk.grade()
        found = desk.failures(grades)
        ranking = grades.questions[0].ranking if grades.questions else None
        limit = desk.settings.find.limit
    finally:
        desk.close()
    if fault.of_finding and ranking is not None and ranking.value(f"recall@{limit}") == 1:
        return None
    if fault.before is damaged and not grades.left_out:  # its source takes no such files
        return None
    return found[0].cause if found else None


def _documents(question: Question) -> set[str]:
    return {one.document for group in question.expected for one in group}


if __name__ == "__main__":
    main()
