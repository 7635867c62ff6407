"""Speed of the lexical stage beside SQLite's own full-text index, on the same texts.

    python benchmarks/words.py PASSAGES.TXT [COUNT]

Builds both from the same passages, each a document of its own, and times queries of six common
words; then what adding 100 documents costs, and filters.
"""

from __future__ import annotations

import random
import resource
import sqlite3
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from sklearn.feature_extraction.text import TfidfVectorizer
from timing import median_ms

from yonder_lantern import Desk
from yonder_lantern.core import Caller
from yonder_lantern.search import analyser_for
from yonder_lantern.search.lexical import score_lexically
from yonder_lantern.text.stopwords import STOP_WORDS

QUERIES = 40
STOPS = STOP_WORDS["en"]
SETTINGS = '[desk]\nlanguage = "en"\n[embedding]\ndimensions = 64\n'


def common_words(texts: list[str]) -> list[str]:
    counts = Counter(word for text in texts[:20_000] for word in set(text.lower().split()))
    return [w for w, _ in counts.most_common(400) if w.isalpha() and w not in STOP_WORDS["en"]][
        :150
    ]


def main() -> None:
    path = Path(sys.argv[1])
    count = int(sys.argv[2]) if len(sys.argv) > 2 else 100_000
    with path.open(encoding="utf-8") as file:
        texts = [line.strip() for line, _ in zip(file, range(count), strict=False)]
    words = common_words(texts)
    draw = random.Random(3)
    queries = [draw.sample(words, 6) for _ in range(QUERIES)]
    size = sum(map(len, texts)) / 1e6
    print(f"{len(texts):,} passages, {size:.0f} MB of text")
    with tempfile.TemporaryDirectory() as made:
        began = time.perf_counter()
        base = sqlite3.connect(Path(made) / "fts.sqlite")
        base.execute("CREATE VIRTUAL TABLE t USING fts5(words, tokenize='porter unicode61')")
        base.executemany("INSERT INTO t VALUES (?)", ((text,) for text in texts))
        base.commit()
        fts_built = time.perf_counter() - began
        began = time.perf_counter()
        TfidfVectorizer().fit_transform(texts)
        peer_built = time.perf_counter() - began

        folder = Path(made) / "desk"
        folder.mkdir()
        (folder / "yonder.toml").write_text(SETTINGS)
        (folder / "documents").mkdir()
        desk = Desk.open(folder, record=False)
        items = {f"p{n}.txt": text for n, text in enumerate(texts)}
        began = time.perf_counter()
        report = desk.gather(items=items)
        built = time.perf_counter() - began
        print(f"built: FTS5 {fts_built:.1f} s, TfidfVectorizer {peer_built:.1f} s")
        print(f"gather: {built:.1f} s, {built / peer_built:.1f} × TfidfVectorizer")
        print(f"  {report.passages:,} passages")

        def by_fts(query: list[str]) -> list[object]:
            wanted = " OR ".join(query)
            return base.execute(
                "SELECT rowid FROM t WHERE t MATCH ? ORDER BY bm25(t) LIMIT 10", (wanted,)
            ).fetchall()

        snapshot = desk.snapshot()
        seen = snapshot.passages_of(snapshot.visible_documents(Caller(), Caller().at()))

        def by_words(query: list[str]) -> object:
            terms = {term: 1.0 for word in query for term in analyser_for("en").terms(word)}
            return score_lexically(snapshot, seen, terms).best(10, None)

        def whole(query: list[str]) -> object:
            return desk.find(" ".join(query), limit=10)

        theirs, ours = median_ms(by_fts, queries), median_ms(by_words, queries)
        print(f"six common words: FTS5 {theirs:.1f} ms, lexical stage {ours:.1f} ms")
        print(f"  {ours / theirs:.3f} × FTS5")
        plain = median_ms(whole, queries)
        print(f"find, everything: {plain:.1f} ms")
        for share in (0.01, 0.99):
            some = {f"p{n}.txt" for n in range(len(texts)) if draw.random() < share}
            table = ", ".join(f"'{key}'" for key in list(some)[:200])
            where = f"key IN ({table})" if share < 0.5 else f"NOT key IN ({table})"
            filtered = median_ms(
                lambda q, w=where: desk.find(" ".join(q), limit=10, where=w), queries
            )
            print(f"find where …, {where[:12]}…: {filtered:.1f} ms, {filtered / plain:.2f} ×")
        began = time.perf_counter()
        desk.gather(items={f"more{n}.txt": f"{texts[n]} again" for n in range(100)}, complete=False)
        print(f"adding 100 documents: {time.perf_counter() - began:.2f} s")
        files = (path for path in (folder / ".yonder").rglob("*") if path.is_file())
        index = sum(path.stat().st_size for path in files) / 1e6
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"index {index:.0f} MB, {index / size:.1f} × the text; peak memory {peak:.0f} MB")


if __name__ == "__main__":
    main()
