"""Whether the link of a citation in a page leads to the words cited, in a real browser.

    python benchmarks/hardness/anchors.py WORK [EACH]

WORK holds collections as `real_documents/make.py` makes them. Of each whose documents are HTML
pages, EACH (100) blocks drawn at random are opened in headless Chromium by their file and the
anchor of their location. Right: the element that the link opens holds the words, or comes right
before them: no other anchor stands between it and their beginning. Prints the share for each, and
what failed.
"""

from __future__ import annotations

import random
import sys
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))
sys.path.insert(0, str(Path(__file__).parents[1] / "real_documents"))

from make import documents_of

from browser import headless
from yonder_lantern import Desk
from yonder_lantern.core import BlockKind, Document, location_of

_JUDGE = """
const [anchor, words] = arguments;
const letters = (text) => text.replace(/[^\\p{L}\\p{N}]/gu, "");
const wanted = letters(words).slice(0, 60), begins = letters(words).slice(0, 10);
const named = (one) => one.id || one.getAttribute("name");
const opened = anchor ? document.getElementById(anchor)
  ?? document.getElementsByName(anchor)[0] : document.body;
if (!opened) return "no such element";
if (letters(opened.textContent).includes(wanted)) return "holds it";
const all = [...document.querySelectorAll("[id], a[name]")];
const after = all.find((one) => (opened.compareDocumentPosition(one)
  & Node.DOCUMENT_POSITION_FOLLOWING) && !opened.contains(one) && named(one) !== anchor);
const range = document.createRange();
range.setStartBefore(opened);
if (after) range.setEndBefore(after); else range.setEndAfter(document.body.lastChild);
const between = letters(range.toString());
return between.includes(wanted) || between.includes(begins) ? "right before it" : "elsewhere";
"""


def drawn(documents: dict[str, Document], each: int, name: str) -> list[tuple[str, int, int]]:
    """Blocks of all documents, each as likely as any other."""
    found = [
        (id_, block.start, block.end)
        for id_, document in documents.items()
        if document.format == "html"
        for block in document.blocks
        if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM, BlockKind.ROW, BlockKind.CODE)
        and block.end - block.start >= 20
    ]
    return random.Random(name).sample(found, min(each, len(found)))


def judged(folder: Path, each: int, browser: object) -> Iterator[tuple[str, str, str]]:
    documents = documents_of(Desk.open(folder, record=False))
    for id_, start, end in drawn(documents, each, folder.name):
        document = documents[id_]
        anchor = location_of(document, start, end).anchor or ""
        address = f"file://{quote(str((folder / id_).resolve()))}"
        browser.get(f"{address}#{quote(anchor)}" if anchor else address)  # type: ignore[attr-defined]
        words = document.text[start:end]
        yield browser.execute_script(_JUDGE, anchor, words), f"{id_}#{anchor}", words[:70]  # type: ignore[attr-defined]


def main() -> None:
    work, each = Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 100
    right = of = 0
    print("| pages | citations | the element holds it | comes right before it | elsewhere |")
    print("|---|---|---|---|---|")
    wrong = []
    with headless() as browser:
        for folder in sorted(work.iterdir()):
            if folder.name.endswith(("-without", "-masked")) or not (folder / ".yonder").exists():
                continue
            found = list(judged(folder, each, browser))
            if not found:
                continue
            verdicts = [one[0] for one in found]
            holds, before = verdicts.count("holds it"), verdicts.count("right before it")
            apart = len(found) - holds - before
            print(f"| {folder.name} | {len(found)} | {holds} | {before} | {apart} |", flush=True)
            wrong += [one for one in found if one[0] not in ("holds it", "right before it")]
            right += holds + before
            of += len(found)
    print(f"| all | {of} | | | {of - right}: {right / of:.1%} right |")
    for verdict, where, words in wrong[:30]:
        print(f"- {verdict}: {where}: {words!r}")


if __name__ == "__main__":
    main()
