"""Compare three passage sizes on one question set.

Relevance is judged by spans of the documents, not by passage numbers, so settings that cut
differently can be compared. To be fair to small passages, each setting is given the same number
of tokens to read, not the same number of passages.

python examples/compare_passage_sizes.py
"""

import tempfile
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo, demo_services

BUDGET = 1440  # tokens that are read for each question: eight passages of 180

folder = Path(tempfile.mkdtemp()) / "harbour"
copy_demo(folder)
desk = Desk.open(folder, record=False)
with demo_services(folder):
    desk.gather()
variants = [{"passages.tokens": tokens, "find.limit": BUDGET // tokens} for tokens in (90, 360)]
comparison = desk.compare(variants, split="test", by="characters@1000")
for result in comparison.results:
    told = result.grades.measure("characters@1000")
    print(f"{result.variant.name}: {told} of the expected characters in the first 1,000 tokens")
for name in ("tokens=90, limit=16", "tokens=360, limit=4"):
    print(f"{name}: {comparison.conclusion(name)}")
print(comparison.grounds())
