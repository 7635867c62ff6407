"""Whether the location of a citation is where its words are: pages of PDF, lines, rows.

    python benchmarks/hardness/locations.py DESK [EACH]

Of each document of a gathered folder, EACH (40) blocks drawn at random are looked for where their
location says: on the page of a PDF as PDFium gives its text, on the lines of a text, in the row of
a table as Python's csv reads it. Prints the share for each kind, and what failed.
"""

from __future__ import annotations

import csv
import random
import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "real_documents"))

from make import documents_of

from yonder_lantern import Desk
from yonder_lantern.core import Document, Location, location_of

_LETTERS = 40  # of the words that are looked for


def letters(text: str) -> str:
    return "".join(filter(str.isalnum, text)).casefold()


def there(path: Path, document: Document, where: Location) -> tuple[str, str]:
    """The kind of a location, and the letters that stand there."""
    if where.pages:
        import pypdfium2

        pages = pypdfium2.PdfDocument(path)
        numbers = range(where.pages[0] - 1, where.pages[1])
        return "page", letters("".join(pages[n].get_textpage().get_text_range() for n in numbers))
    if where.rows and document.format == "delimited":
        with path.open(encoding="utf-8", errors="replace", newline="") as file:
            rows = list(csv.reader(file))
        return "row", letters("".join(rows[where.rows[0] - 1]))
    if where.lines and document.format in ("text", "plain", "markdown"):
        lines = path.read_text(encoding="utf-8").splitlines()
        return "lines", letters("".join(lines[where.lines[0] - 1 : where.lines[1]]))
    return "", ""


def main() -> None:
    folder, each = Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 40
    right: Counter[str] = Counter()
    of: Counter[str] = Counter()
    for id_, document in documents_of(Desk.open(folder, record=False)).items():
        path = folder / id_
        if not path.is_file():
            continue
        chance = random.Random(id_)
        blocks = [block for block in document.blocks if block.end - block.start >= 8]
        for block in chance.sample(blocks, min(each, len(blocks))):
            where = location_of(document, block.start, block.end)
            kind, found = there(path, document, where)
            if not kind:
                continue
            of[kind] += 1
            words = document.text[block.start : block.end]
            if letters(words)[:_LETTERS] in found:
                right[kind] += 1
            else:
                print(f"- {id_}, {where}: {words[:70]!r}")
    for kind, count in of.items():
        print(f"{kind}: {right[kind]} of {count} ({right[kind] / count:.1%}) are where it says")


if __name__ == "__main__":
    main()
