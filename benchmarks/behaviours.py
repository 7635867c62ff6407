"""Where a stranger who knows only the file names would look for a behaviour.

    python benchmarks/behaviours.py

For each of 20 behaviours, in a practitioner's words, files are ranked by the words that their
paths share with it; rare words weigh more. Prints the first guess and how many are right. It
stands in for a person: a reader who knows only the paths is the real measure.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from pathlib import Path

import yonder_lantern
from yonder_lantern.text import Analyser

ROOT = Path(yonder_lantern.__file__).parent
BEHAVIOURS = [
    ("BM25 scores of the lexical stage", "search/lexical.py"),
    ("fuse the lexical and the vector scores", "search/fuse.py"),
    ("rerank candidates with features", "search/rerank.py"),
    ("fold near-duplicate hits of a search", "search/folding.py"),
    ("a filter WHERE on metadata", "search/metadata_filter.py"),
    ("repair the spelling of a word with the visible vocabulary", "search/visible_vocabulary.py"),
    ("who may see what: visibility of documents to a caller", "core/visibility.py"),
    ("write vectors of a new index segment", "index/writing/write_segment_vectors.py"),
    ("merge index segments in the background", "index/writing/background_merge.py"),
    ("sweep what an old index generation no longer needs", "index/writing/sweep.py"),
    ("cut a document into passages", "ingest/passages/cut.py"),
    ("the context header of a passage", "ingest/passages/context_header.py"),
    ("read a PDF format", "ingest/formats/pdf/read_pdf.py"),
    ("crawl a web site as a source", "ingest/sources/site.py"),
    ("turn a follow-up question in a conversation into a full one", "conversation/follow_up.py"),
    ("check that a statement is borne out by its citation", "answer/check/check_statement.py"),
    ("aggregate table rows into a total for an answer", "answer/aggregate_rows.py"),
    ("rate limit of requests to a service", "platform/rate_limit.py"),
    ("the budget of money for an answer", "observe/answer_budget.py"),
    ("fit the threshold for declining in evaluation", "evaluation/threshold.py"),
]


def words_of(text: str, analyser: Analyser) -> list[str]:
    """The stems of a text or of a path."""
    return analyser.terms(re.sub(r"[/_.]", " ", text))


def main() -> None:
    analyser = Analyser("en")
    paths = [
        str(path.relative_to(ROOT))
        for path in sorted(ROOT.rglob("*.py"))
        if path.name != "__init__.py" and "saltgarth" not in path.parts
    ]
    words = {path: words_of(path.removesuffix(".py"), analyser) for path in paths}
    files_with = Counter(word for one in words.values() for word in set(one))
    right = 0
    for behaviour, expected in BEHAVIOURS:
        asked = set(words_of(behaviour, analyser))

        def score(path: str, asked: set[str] = asked) -> float:
            shared = asked & set(words[path])
            found = sum(math.log(len(paths) / files_with[word]) for word in shared)
            return found / math.sqrt(len(words[path]))

        guess = max(paths, key=score)
        right += guess == expected
        print(f"{'yes' if guess == expected else 'NO ':<4}{behaviour:<64}{guess}")
    print(f"{right} of {len(BEHAVIOURS)} at the first guess; {len(paths)} files")


if __name__ == "__main__":
    main()
