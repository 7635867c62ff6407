"""Made-up documents in any number, for measuring speed; the same seed gives the same documents."""

from __future__ import annotations

import random
from pathlib import Path

SYLLABLES = "ba ke lo mi nu ra se ti vo za cre dul fen gor hal jin mar pel sto wyn".split()
TEMPLATES = (
    "The {a} of the {b} is {c} when the {d} has been {e}ed",
    "No {a} may be {e}ed at the {b} before the {d} is {c}",
    "For each {a} the {b} pays {n} crowns and the {d} pays {m}",
    "Ask for the {a} at the {b}, which is {c} from {n} to {m}",
    "A {c} {a} is kept in the {b} with code {k}-{n}",
)


def words(count: int, generator: random.Random) -> list[str]:
    """Made-up words, each different."""
    found: dict[str, None] = {}
    while len(found) < count:
        found["".join(generator.choices(SYLLABLES, k=generator.randint(2, 4)))] = None
    return list(found)


def documents(count: int, *, seed: int = 1, sentences: int = 40) -> list[str]:
    """Documents of sections whose words are spread as words are: few common, many rare.

    Parameters
    ----------
    count : int
    seed : int
    sentences : int
        About how many a document has; forty are some 420 words.
    """
    generator = random.Random(seed)
    vocabulary = words(20_000, generator)
    ranks = [1 / (rank + 10) for rank in range(len(vocabulary))]
    pool = generator.choices(vocabulary, weights=ranks, k=400_000)
    made = []
    for number in range(count):
        topic = generator.choices(vocabulary, weights=ranks, k=25)
        parts = [f"# {generator.choice(topic)} {number}"]
        for section in range(4):
            parts.append(f"## {generator.choice(topic)} {section}")
            lines = []
            for _ in range(sentences // 4):
                pick = [
                    generator.choice(topic) if generator.random() < 0.5 else generator.choice(pool)
                    for _ in range(5)
                ]
                lines.append(
                    generator.choice(TEMPLATES).format(
                        a=pick[0],
                        b=pick[1],
                        c=pick[2],
                        d=pick[3],
                        e=pick[4],
                        k=pick[0][:2].upper(),
                        n=generator.randint(1, 999),
                        m=generator.randint(1, 999),
                    )
                    + "."
                )
            parts.append("\n".join(lines))
        made.append("\n\n".join(parts) + "\n")
    return made


def write_desk(folder: Path, count: int, *, seed: int = 1) -> int:
    """A desk folder with generated documents; the bytes of text in it."""
    total = 0
    for number, text in enumerate(documents(count, seed=seed)):
        path = folder / "documents" / f"{number // 100:03d}" / f"{number:05d}.md"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
        total += len(text.encode())
    (folder / "yonder.toml").write_text("")
    return total


def questions(count: int, *, seed: int = 2) -> list[str]:
    """Questions of three to nine words, some common, some rare."""
    generator = random.Random(1)
    vocabulary = words(20_000, generator)
    ranks = [1 / (rank + 10) for rank in range(len(vocabulary))]
    own = random.Random(seed)
    return [
        "What is the " + " ".join(own.choices(vocabulary, weights=ranks, k=own.randint(2, 8))) + "?"
        for _ in range(count)
    ]
