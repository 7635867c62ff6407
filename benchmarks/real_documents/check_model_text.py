"""What the support check makes of a real model's sentences, against verdicts by reading.

    python benchmarks/real_documents/check_model_text.py WORK [--fit] [--show]

takes the sentences judged in ``model_text/`` (the demo's stand there, those about real documents
are in WORK/model-text, written by `model_text.py`) and prints, by kind, how many are kept: of the
false ones none should be, of the true ones all. One half of the answers is for fitting (``--fit``);
the figures are of the other. ``--show`` prints the sentences that are dealt with wrongly.
"""

from __future__ import annotations

import argparse
import json
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from binding import Bound, digest, found_again
from make import documents_of
from model_text import COLLECTIONS, JUDGED
from sentences import is_kept, sentences

from yonder_lantern import Desk
from yonder_lantern.answer.checked import CheckedText
from yonder_lantern.answer.context import AnswerContext, ContextPassage
from yonder_lantern.core import Checked, Document, Hit, Location, ScoreBreakdown, SearchResult
from yonder_lantern.evaluation import bootstrap_over_collections

VERDICTS = {
    "true": "borne out",
    "none": "no statement, or broken off",
    "invented": "nothing of it is said",
    "value": "a number, date, place or name is another",
    "relation": "said of something else, or of other doers",
    "reversed": "the opposite is said",
}
FALSE = ("invented", "value", "relation", "reversed")


@dataclass(frozen=True)
class Case:
    """A sentence, what reading made of it, and whether the check keeps it."""

    collection: str
    question: str
    text: str
    verdict: str
    kept: bool


def cases(work: Path, collection: str, split: str) -> Iterator[Case | None]:
    """The judged sentences of a collection's answers, checked; None for an answer not found."""
    desk = Desk.open(work / collection, record=False)
    documents = documents_of(desk)
    texts = {id_: own.text for id_, own in documents.items()}
    written = texts_written(work, collection)
    for line in (JUDGED / f"{collection}.jsonl").read_text("utf-8").splitlines():
        own = json.loads(line)
        text = own.get("text") or written.get(own["id"], "")
        places = [found_again(Bound(**one), texts) for one in own["passages"]]
        if split_of(collection, own["id"]) != split:
            continue
        if not (text and all(places)):
            yield None
        else:
            spans = [location for location in places if location]
            kept = kept_parts(desk, own["question"], spans, documents, text)
            verdicts = {one["hash"]: one["verdict"] for one in own["sentences"]}
            seen = set()
            for start, end in sentences(text):
                hash_ = sentence_hash(text[start:end])
                if hash_ in verdicts and hash_ not in seen:
                    seen.add(hash_)
                    yield Case(
                        collection,
                        own["question"],
                        text[start:end],
                        verdicts[hash_],
                        is_kept((start, end), kept),
                    )


def split_of(collection: str, question: str) -> str:
    """Which half an answer is in: by its question, whatever it was written with."""
    return "fit" if int(digest(f"{collection} {question}"), 16) % 2 else "test"


def texts_written(work: Path, collection: str) -> dict[str, str]:
    path = work / "model-text" / f"{collection}.jsonl"
    if not path.exists():
        return {}
    lines = map(json.loads, path.read_text("utf-8").splitlines())
    return {one["id"]: one["text"] for one in lines}


def sentence_hash(sentence: str) -> str:
    return digest(" ".join(sentence.casefold().split()))


def kept_parts(
    desk: Desk,
    question: str,
    spans: Sequence[tuple[str, int, int]],
    documents: Mapping[str, Document],
    text: str,
) -> list[tuple[int, int]]:
    """Which parts of a model's text the check keeps, with some passages before the model."""
    result, context = put_before(desk.search(question, limit=1), spans, documents)
    own = desk.settings
    checked = CheckedText(result, context, own.answer, desk.snapshot().embedding, own.desk.name)
    kept, at = [], 0
    for event in [*checked.add(text), *checked.end()]:
        if isinstance(event, Checked):
            if event.text.strip():
                kept.append((at, at + len(event.wrote)))
            at += len(event.wrote)
    return kept


def put_before(
    result: SearchResult, spans: Sequence[tuple[str, int, int]], documents: Mapping[str, Document]
) -> tuple[SearchResult, AnswerContext]:
    """What a search would hand on, had it found just these passages."""
    hits = []
    for rank, (id_, start, end) in enumerate(spans, 1):
        own = documents[id_]
        hits.append(
            Hit(
                rank, id_, own.version, own.title, own.language, start, end, own.text[start:end],
                own.title, Location(), 1.0, ScoreBreakdown(()),
            )
        )  # fmt: skip
    passages = tuple(ContextPassage(hit.rank, hit.title, "", "", "", hit.text, hit) for hit in hits)
    there = {hit.document: documents[hit.document] for hit in hits}
    return replace(result, hits=tuple(hits), documents=there), AnswerContext(passages, "=====", 0)


def table(found: Sequence[Case]) -> None:
    print("| sentences of a real model | judged | kept | kept, share |")
    print("|---|---|---|---|")
    for verdict, meaning in VERDICTS.items():
        row(f"{verdict}: {meaning}", [one for one in found if one.verdict == verdict])
    row("all false", [one for one in found if one.verdict in FALSE])
    for collection in COLLECTIONS:
        own = [one for one in found if one.collection == collection]
        row(f"{collection}: false", [one for one in own if one.verdict in FALSE])
        row(f"{collection}: true", [one for one in own if one.verdict == "true"])


def row(name: str, own: Sequence[Case]) -> None:
    by: dict[str, list[float]] = defaultdict(list)
    for one in own:
        by["all"].append(float(one.kept))
    if own:
        share = bootstrap_over_collections(by, seed=1)
        print(f"| {name} | {len(own)} | {sum(one.kept for one in own)} | {share} |")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("work", type=Path)
    parser.add_argument("--fit", action="store_true")
    parser.add_argument("--show", action="store_true")
    given = parser.parse_args()
    split = "fit" if given.fit else "test"
    there = [name for name in COLLECTIONS if (JUDGED / f"{name}.jsonl").exists()]
    every = [case for name in there for case in cases(given.work, name, split)]
    found = [case for case in every if case]
    if missing := len(every) - len(found):
        print(f"{missing} answers are left out: their text or passages are not in {given.work}\n")
    if given.show:
        for one in found:
            if one.verdict != "none" and one.kept != (one.verdict == "true"):
                print(f"{one.collection}, {one.question}\n   {one.verdict}: {one.text}")
    table(found)


if __name__ == "__main__":
    main()
