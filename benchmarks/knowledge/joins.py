"""List names that were joined, to be judged by hand: written alike, or explained as short forms.

    python benchmarks/knowledge/joins.py DESK [DESK ...]

Of each desk at most 45, drawn with a fixed seed.
"""

from __future__ import annotations

import random
import sys
from collections import defaultdict
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.core import Caller, EntityStatement
from yonder_lantern.knowledge import StatementStore, key_of

MOST = 45


def joined(statements: list[EntityStatement]) -> list[tuple[str, ...]]:
    forms: dict[str, set[str]] = defaultdict(set)
    for one in statements:
        forms[key_of(one.subject)].add(one.subject)
    pairs = {tuple(sorted(own)) for own in forms.values() if len(own) > 1}
    pairs |= {(one.subject, one.object) for one in statements if one.relation == "stands for"}
    return sorted(pairs)


def main() -> None:
    for path in map(Path, sys.argv[1:]):
        desk = Desk.open(path, record=False)
        with desk.knowledge() as known:
            known.update()
        store = StatementStore(desk.state / "knowledge")
        pairs = joined(store.all(Caller(), "9999"))
        drawn = random.Random(1).sample(pairs, min(MOST, len(pairs)))
        print(f"\n{path.name}: {len(pairs)} joins, {len(drawn)} drawn")
        for pair in drawn:
            print("  " + "  =  ".join(pair))


if __name__ == "__main__":
    main()
