"""What `find` gives for words that no document of a desk has.

    python benchmarks/unknown_words.py DESK

DESK has been gathered from real documents. Invented words should find nothing; words that the
documents tell of in other words may.
"""

from __future__ import annotations

import random
import sys

from yonder_lantern import Desk

_OTHER_SUBJECTS = (
    "automobile bicycle physician lawyer dwelling courtroom beverage guitar penguin vaccine "
    "umbrella kitchen soccer wedding salary passport harvest volcano dentist mortgage lullaby "
    "tariff monsoon orchard vineyard"
).split()


def invented(count: int) -> list[str]:
    """Words of a consonant and a vowel in turns, drawn by lot; the same each time."""
    draw = random.Random(3)
    return [
        "".join(
            draw.choice("bcdfghjklmnpqrstvwxz") + draw.choice("aeiou")
            for _ in range(draw.randint(2, 4))
        )
        for _ in range(count)
    ]


def main() -> None:
    desk = Desk.open(sys.argv[1], record=False)
    for name, words in (("invented", invented(60)), ("other subjects", _OTHER_SUBJECTS)):
        unknown = [found for found in map(desk.search, words) if not any(found.known.values())]
        nothing = sum(not found.hits for found in unknown)
        print(f"{name}: {len(unknown)} words that no document has, nothing found for {nothing}")


if __name__ == "__main__":
    main()
