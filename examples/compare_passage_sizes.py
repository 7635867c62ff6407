"""Grade three passage sizes on one question set.

Relevance is judged by spans of the documents, not by passage numbers, so settings that cut
differently can be compared. To be fair to small passages, each setting is given the same number
of tokens to read, not the same number of passages.

python examples/compare_passage_sizes.py
"""

import tempfile
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services

BUDGET = 900  # tokens that are read for each question

folder = Path(tempfile.mkdtemp()) / "harbour"
copy_demo(folder)
for tokens in (90, 180, 300):
    limit = BUDGET // tokens
    settings = {"passages.tokens": tokens, "find.limit": limit}
    desk = Desk.open(folder, settings=settings, record=False)
    with demo_services(folder):
        passages = desk.gather().passages
    grades = desk.grade(split="test")
    print(
        f"{tokens} tokens: {passages} passages, {limit} read; on held questions nDCG@10 "
        f"{grades.measure('ndcg@10', split='held')}, answered rightly "
        f"{grades.measure('right', split='held')}"
    )
