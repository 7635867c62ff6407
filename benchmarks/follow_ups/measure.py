"""Does a follow-up become a question that can be understood alone?

    python benchmarks/follow_ups/measure.py [--show]

`turns.jsonl` was written before the rules for corrections and comparisons were tried on it: what
was asked before, what is said, the words that the question must then hold, and those it must not.
A turn is right when it has all of the first and none of the second.
"""

from __future__ import annotations

import json
import sys
from collections import Counter
from pathlib import Path

from yonder_lantern.conversation import courtesy_of, full_question

TURNS = Path(__file__).parent / "turns.jsonl"


def main() -> None:
    right: Counter[str] = Counter()
    all_: Counter[str] = Counter()
    for line in TURNS.read_text(encoding="utf-8").splitlines():
        one = json.loads(line)
        alone = bool(courtesy_of(one["say"]))
        earlier = [] if alone else one["earlier"]
        became = str(full_question(one["say"], earlier, one["choices"]))
        folded = became.casefold()
        good = all(text.casefold() in folded for text in one["holds"])
        good = good and not any(text.casefold() in folded for text in one["lacks"])
        all_[one["kind"]] += 1
        right[one["kind"]] += good
        if not good and "--show" in sys.argv:
            print(f"{one['id']} {one['kind']}: {one['earlier']} / {one['say']} -> {became}")
    for kind, count in all_.items():
        print(f"{kind:12} {right[kind]:3} of {count}")
    print(f"{'all':12} {sum(right.values()):3} of {sum(all_.values())}")


if __name__ == "__main__":
    main()
