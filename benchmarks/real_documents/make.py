"""Make the collections of real documents.

    python benchmarks/real_documents/make.py WORK [COLLECTION ...]

downloads the packages (apt-get download), writes and gathers a desk for each collection below
WORK, and beside it `COLLECTION-without`, the same without what answers some of its questions.
What is asked of each stands in `asked.jsonl`: questions written by reading, questions made of
headings, terms and options, questions of the other collections, and those whose answers were
taken away. `questions.jsonl` holds the first two as a question set for `yonder grade`.
`COLLECTION-masked` is the collection without the headings that questions were made of, so that
the words of the question stand over its answer no more: readers do not ask in a page's words.
Short texts (`short_texts.py`) have neither.
What is there already is not made again. Nothing of it enters the repository.
"""

from __future__ import annotations

import json
import random
import shutil
import sys
import time
from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from asking import Asked, derived, read_asked, written
from catalogue import BY_NAME, COLLECTIONS, UNSEEN, Collection
from cutting_out import cuttable, without
from fetching import write_documents
from masking import mask, where_now
from short_texts import write_short_texts

from yonder_lantern import Desk
from yonder_lantern.core import Document
from yonder_lantern.desk.look_inside import look_at_documents

OTHERS = 40  # questions of the other collections asked of each
TAKEN = 20  # derived questions whose answers are taken away, beside all the written ones


def documents_of(desk: Desk) -> dict[str, Document]:
    """All documents of a desk, by id."""
    found = {view.id: desk.document(view.id) for view in look_at_documents(desk)}
    return {id_: own for id_, own in found.items() if own is not None}


def gather(folder: Path) -> Desk:
    (folder / "yonder.toml").write_text("", encoding="utf-8")
    desk = Desk.open(folder, record=False)
    started = time.perf_counter()
    report = desk.gather()
    print(f"{folder.name}: {report}, {time.perf_counter() - started:.0f} s", flush=True)
    return Desk.open(folder, record=False)


def make(collection: Collection, work: Path) -> None:
    """One collection with its own questions, and the same without some answers."""
    folder, bare = work / collection.name, work / f"{collection.name}-without"
    masked = work / f"{collection.name}-masked"
    for made in (folder, bare, masked):
        if made.exists() and not (made / "own.jsonl").exists():
            shutil.rmtree(made)  # begun and not finished
    if collection.shape == "short texts":
        if not folder.exists():
            own, versions = write_short_texts(collection, work / "packages", folder / "documents")
            gather(folder)
            (folder / "versions.json").write_text(json.dumps(versions, indent=1), encoding="utf-8")
            write_asked(folder / "own.jsonl", own)
        return
    if not folder.exists():
        versions = write_documents(collection, work / "packages", folder / "documents")
        desk = gather(folder)
        documents = documents_of(desk)
        own, lost = written(collection, documents)
        if lost:
            print(f"{collection.name}: {lost} written questions lost the words that answer them")
        own += derived(collection, documents, folder)
        (folder / "versions.json").write_text(json.dumps(versions, indent=1), encoding="utf-8")
        write_question_set(folder / "questions.jsonl", own, documents)
        write_asked(folder / "own.jsonl", own)
    if not bare.exists():
        documents = documents_of(Desk.open(folder, record=False))
        taken = [one for one in read_asked(folder / "own.jsonl") if one.spots and cuttable(one)]
        chosen = [one for one in taken if not one.derived]
        rest = [one for one in taken if one.derived]
        chosen += random.Random(collection.name).sample(rest, min(TAKEN, len(rest)))
        without(chosen, documents, folder, bare)
        gather(bare)
        gone = (replace(one, id=f"{one.id}-gone", spots=(), phrases=()) for one in chosen)
        write_asked(bare / "own.jsonl", gone)
    if collection.asked == "headings" and not masked.exists():
        documents = documents_of(Desk.open(folder, record=False))
        asked = [one for one in read_asked(folder / "own.jsonl") if one.kind == "heading"]
        mask(asked, documents, folder, masked)
        there = documents_of(gather(masked))
        write_asked(masked / "own.jsonl", where_now(asked, documents, there))


def write_asked(path: Path, asked: Iterable[Asked]) -> None:
    path.write_text("".join(f"{one.as_json()}\n" for one in asked), encoding="utf-8")


def write_question_set(path: Path, asked: list[Asked], documents: dict[str, Document]) -> None:
    """The questions as the library's own question set: with the words that are expected."""
    with path.open("w", encoding="utf-8") as file:
        for one in asked:
            group = []
            for spot in one.spots:
                text = documents[spot.document].text
                quote = text[spot.start : spot.end]
                occurrence = 1 + sum(text.startswith(quote, at) for at in range(spot.start))
                group.append({"document": spot.document, "quote": quote, "occurrence": occurrence})
            own = {
                "id": one.id.removeprefix(path.parent.name + "-"),
                "question": one.question,
                "kind": one.kind,
                "expected": [group] if group else [],
            }
            file.write(json.dumps(own, ensure_ascii=False) + "\n")


def write_all_asked(work: Path, names: list[str]) -> None:
    """What is asked of each: its own questions, and some of the other families'."""
    own = {name: read_asked(work / name / "own.jsonl") for name in names}
    for name in names:
        family = BY_NAME[name].family
        strange = [
            one
            for other in names
            if BY_NAME[other].family not in (family, *(unseen.family for unseen in UNSEEN))
            for one in own[other]
            if one.spots
        ]
        chosen = random.Random(f"others of {name}").sample(strange, min(OTHERS, len(strange)))
        others = [replace(one, id=f"{one.id}-of-{name}", spots=(), phrases=()) for one in chosen]
        write_asked(work / name / "asked.jsonl", own[name] + others)
        if (bare := work / f"{name}-without").exists():
            shutil.copyfile(bare / "own.jsonl", bare / "asked.jsonl")
        if (masked := work / f"{name}-masked").exists():
            hidden = [replace(one, id=f"{one.id}-masked") for one in others]
            write_asked(masked / "asked.jsonl", read_asked(masked / "own.jsonl") + hidden)
        counts = Counter("derived" if one.derived else "written" for one in own[name] if one.spots)
        unanswered = sum(not one.spots for one in own[name])
        taken = len(read_asked(bare / "own.jsonl")) if bare.exists() else 0
        print(
            f"{name}: {counts['written']} written questions with an answer and {unanswered} "
            f"without, {counts['derived']} derived, {len(others)} of other collections, "
            f"{taken} with the answer taken away"
        )


def main() -> None:
    work, chosen = Path(sys.argv[1]), sys.argv[2:]
    for collection in (*COLLECTIONS, *UNSEEN):
        if not chosen or collection.name in chosen:
            make(collection, work)
    made = [one for one in BY_NAME if (work / one / "own.jsonl").exists()]
    write_all_asked(work, made)


if __name__ == "__main__":
    main()
