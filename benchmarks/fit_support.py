"""How many false statements the support check catches, and how many true ones it refuses.

    python benchmarks/fit_support.py [--fit]

True statements are the sentences, items and rows of the demo's documents that answer its questions
and twice as many others, some of them reworded by rule, and those of ``paraphrases.jsonl``,
written by hand. False ones are made of them (``corrupting.py``), or cite something else. Documents
are split in two: thresholds are chosen on the one half (``--fit`` shows how), figures are of the
other.
"""

from __future__ import annotations

import json
import random
import sys
import zlib
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from corrupting import KINDS, Case, introduced, reworded, shortened

from yonder_lantern import Desk
from yonder_lantern.answer.check import Evidence, check
from yonder_lantern.answer.evidence import near_words
from yonder_lantern.answer.units import Unit, document_units, explained_by
from yonder_lantern.core import BlockKind
from yonder_lantern.demo import copy_demo
from yonder_lantern.desk.look_inside import look_at_documents
from yonder_lantern.evaluation import load_questions
from yonder_lantern.evaluation.statistics.intervals import bootstrap_mean
from yonder_lantern.search import analyser_for

SEED = 7
EACH = 90  # false statements of a kind


def units(desk: Desk) -> Iterator[Unit]:
    for view in look_at_documents(desk):
        document = desk.document(view.id)
        if document and document.language == "en":
            for unit in document_units(document, analyser_for(document.language)):
                if unit.kind is not BlockKind.CODE:
                    yield unit


def cases(desk: Desk, folder: Path) -> list[Case]:
    chance = random.Random(SEED)
    every = list(units(desk))
    found = [unit for unit in every if 4 <= len(unit.text.split()) <= 60]
    answering = {
        (one.document, " ".join(one.quote.split()))
        for question in load_questions(folder / "questions.jsonl").questions
        for group in question.expected
        for one in group
    }
    used = [
        unit
        for unit in found
        if any(
            unit.document.id == document and quote in " ".join(unit.text.split())
            for document, quote in answering
        )
    ]
    rest = [unit for unit in found if unit not in used]
    used += chance.sample(rest, min(len(rest), 2 * len(used)))
    made: list[Case] = []
    true: list[tuple[str, Unit]] = []
    for unit in used:
        split = split_of(unit.document.id)
        own = Evidence(unit.text, unit.context_header, explained_by(unit))
        plain = " ".join(unit.text.split())
        sentence = unit.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        made.append(Case(plain, own, "as it stands", split, True))
        true.append((plain, unit))
        if new := reworded(plain):
            made.append(Case(new, own, "reworded by rule", split, True))
            true.append((new, unit))
        if sentence and (new := shortened(plain)):
            made.append(Case(new, own, "shortened", split, True))
        if sentence:
            made.append(
                Case(introduced(plain, unit.document.title), own, "introduced", split, True)
            )
    for line in Path(__file__).with_name("paraphrases.jsonl").read_text("utf-8").splitlines():
        one = json.loads(line)
        quote = " ".join(one["quote"].split())
        flat = {id(unit): " ".join(unit.text.split()) for unit in every}
        own = [unit for unit in every if unit.document.id == one["document"]]
        held = [u for u in own if quote in flat[id(u)] or flat[id(u)] in quote]
        if not held:
            held = [u for u in own if flat[id(u)][:40] in quote or quote[:40] in flat[id(u)]]
        if not held:
            raise SystemExit(f"not in {one['document']}: {quote}")
        unit = held[0]
        text = "\n".join(dict.fromkeys([*(u.text for u in held), one["quote"]]))
        whole = Evidence(text, unit.context_header, explained_by(unit))
        split = split_of(one["document"])
        made.append(Case(one["statement"], whole, "by hand", split, True))
        true.append((one["statement"], unit))
    for kind, corrupt in KINDS.items():
        chance.shuffle(true)
        count = 0
        for plain, unit in true:
            if unit.kind is BlockKind.ROW and kind in (
                "something added",
                "a negation more or less",
            ):
                continue
            new = corrupt(plain, chance)
            if new and count < EACH:
                count += 1
                own = Evidence(unit.text, unit.context_header, explained_by(unit))
                made.append(Case(new, own, kind, split_of(unit.document.id), False))
    chance.shuffle(true)
    for plain, unit in true[:EACH]:
        near = [
            u
            for u in found
            if u.document.id == unit.document.id and abs(u.start - unit.start) > 400
        ]
        for kind, among in (("cites another passage", near), ("cites another document", found)):
            others = [u for u in among if u.text != unit.text]
            if others:
                other = chance.choice(others)
                own = Evidence(other.text, other.context_header, explained_by(other))
                made.append(Case(plain, own, kind, split_of(unit.document.id), False))
    return made


def split_of(document: str) -> str:
    return "test" if zlib.crc32(document.encode()) % 2 else "fit"


def main() -> None:
    with TemporaryDirectory() as made:
        folder = Path(made) / "demo"
        copy_demo(folder)
        desk = Desk.open(folder, record=False)
        desk.gather()
        found = cases(desk, folder)
        near = near_words(desk.snapshot().embedding)
    english = analyser_for("en")
    if "--fit" in sys.argv:
        for least in (0.4, 0.5, 0.6, 0.7, 0.8):
            own = [case for case in found if case.split == "fit"]
            seen = [
                check(c.statement, [c.evidence], english, near=near, least=least).supported
                for c in own
            ]
            caught = [not ok for ok, case in zip(seen, own, strict=True) if not case.true]
            refused = [not ok for ok, case in zip(seen, own, strict=True) if case.true]
            print(f"least {least}: caught {sum(caught) / len(caught):.3f}, "
                  f"refused {sum(refused) / len(refused):.3f}")  # fmt: skip
        return
    split = "fit" if "--show" in sys.argv else "test"
    table: dict[tuple[bool, str], list[bool]] = defaultdict(list)
    for case in found:
        if case.split == split:
            verdict = check(case.statement, [case.evidence], english, near=near)
            table[case.true, case.kind].append(verdict.supported)
            if "--show" in sys.argv and verdict.supported != case.true:
                print(f"{case.kind}: {case.statement}\n   {' '.join(case.evidence.text.split())}\n"
                      f"   {'; '.join(map(str, verdict.faults))}")  # fmt: skip
    for true in (True, False):
        print(f"\n| {'true: refused' if true else 'false: caught'} | cases | share |")
        print("|---|---|---|")
        every: list[bool] = []
        for (own_true, kind), ok in table.items():
            if own_true is true:
                every += ok
                print(row(kind, ok))
        print(row("all", every))


def row(kind: str, supported: list[bool]) -> str:
    share = bootstrap_mean([float(not one) for one in supported], seed=1, resamples=2000)
    return f"| {kind} | {len(supported)} | {share} |"


if __name__ == "__main__":
    main()
