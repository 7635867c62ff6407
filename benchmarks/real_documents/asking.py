"""The questions of a collection: written by reading, and made of its headings, terms and options.

Written ones are those in ``questions/``, bound to the documents as they are today. The others ask
for a heading that is a question, for a term that a list defines, or for an option that it
describes; what is expected of them is the whole section or entry.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from html.parser import HTMLParser
from pathlib import Path

from binding import Bound, digest, found_again
from catalogue import Collection

from yonder_lantern.core import Block, BlockKind, Document

DERIVED = ("heading", "term", "option")
MOST = 100  # derived questions of a collection, evenly spread over it
_NUMBERING = re.compile(r"^(?:[A-Z]\.?)?[\d.]+\s+")
_LEAST = 80  # characters that an answer must have
_QUESTIONS = Path(__file__).parent / "questions"


@dataclass(frozen=True)
class Spot:
    """A stretch of a document that answers; ``body`` is where its heading or term ends."""

    document: str
    start: int
    end: int
    body: int


@dataclass(frozen=True)
class Asked:
    """A question with what is expected: spots any of which will do; none where it has no answer.

    ``phrases`` are what must be said, as numbers of words and hashes.
    """

    id: str
    question: str
    kind: str
    spots: tuple[Spot, ...]
    phrases: tuple[tuple[int, str], ...] = ()

    @property
    def derived(self) -> bool:
        return self.kind in DERIVED

    def as_json(self) -> str:
        return json.dumps(asdict(self), ensure_ascii=False)


def read_asked(path: Path) -> list[Asked]:
    """Questions as `Asked.as_json` wrote them."""
    found = []
    for line in path.read_text(encoding="utf-8").splitlines():
        own = json.loads(line)
        own["spots"] = tuple(Spot(**spot) for spot in own["spots"])
        own["phrases"] = tuple((words, hash_) for words, hash_ in own["phrases"])
        found.append(Asked(**own))
    return found


def written(collection: Collection, documents: Mapping[str, Document]) -> tuple[list[Asked], int]:
    """The questions written by reading, and how many lost the words that answer them."""
    path = _QUESTIONS / f"{collection.name}.jsonl"
    if not path.exists():
        return [], 0
    texts = {id_.removeprefix("documents/"): own.text for id_, own in documents.items()}
    found, lost = [], 0
    for line in path.read_text(encoding="utf-8").splitlines():
        own = json.loads(line)
        spots = []
        for group in own["expected"]:
            for one in group:
                if there := found_again(Bound(**one), texts):
                    spots.append(Spot(f"documents/{there[0]}", *there[1:], body=there[1]))
        if own["expected"] and not spots:
            lost += 1
            continue
        phrases = tuple((one["words"], one["hash"]) for one in own["answer"])
        found.append(
            Asked(f"{collection.name}-{own['id']}", own["question"], own["kind"], tuple(spots),
                  phrases)
        )  # fmt: skip
    return found, lost


def derived(collection: Collection, documents: Mapping[str, Document], folder: Path) -> list[Asked]:
    """The questions made of headings, terms or options, evenly spread over the collection."""
    of: dict[str, list[Spot]] = {}
    for id_, document in documents.items():
        if collection.asked == "headings":
            pairs = heading_questions(document)
        else:
            page = (folder / id_).read_text(encoding="utf-8", errors="replace")
            pairs = entries(document, terms_of(page), collection)
        for question, start, end, body in pairs:
            of.setdefault(question, []).append(Spot(id_, start, end, body))
    every = list(of)
    step = max(1.0, len(every) / MOST)
    chosen = [every[int(at * step)] for at in range(min(MOST, len(every)))]
    kind = collection.asked.removesuffix("s")
    return [
        Asked(f"{collection.name}-d{digest(question)[:6]}", question, kind, tuple(of[question]))
        for question in chosen
    ]


def heading_questions(document: Document) -> Iterator[tuple[str, int, int, int]]:
    """Headings that are questions, where their sections begin and end, and the heading ends."""
    for at, block in enumerate(document.blocks):
        if block.kind is not BlockKind.HEADING:
            continue
        heading = plain_heading(document.text[block.start : block.end])
        end = section_end(document, at)
        if heading.endswith("?") and 2 < len(heading.split()) < 25 and end - block.end > _LEAST:
            yield heading, block.start, end, block.end


def plain_heading(text: str) -> str:
    """A heading without its number.

    Examples
    --------
    >>> plain_heading("A.1.1 What is it?"), plain_heading("J.2 Why?"), plain_heading("A boat?")
    ('What is it?', 'Why?', 'A boat?')
    """
    return _NUMBERING.sub("", " ".join(text.split()))


def section_end(document: Document, at: int) -> int:
    """Where the section of a heading ends: at the next one that is not below it."""
    own = document.blocks[at]
    for block in document.blocks[at + 1 :]:
        if block.kind is BlockKind.HEADING and block.level <= own.level:
            return block.start
    return len(document.text)


def entries(
    document: Document, terms: Sequence[str], collection: Collection
) -> Iterator[tuple[str, int, int, int]]:
    """Terms or options of a document's lists, where their entries begin and end, and the term."""
    starts: list[tuple[int, int]] = []  # of blocks that are terms
    blocks = document.blocks
    at = 0
    for term in terms:
        for number in range(at, len(blocks)):
            if " ".join(document.text[blocks[number].start : blocks[number].end].split()) == term:
                starts.append((number, blocks[number].start))
                at = number + 1
                break
    for location, (number, start) in enumerate(starts):
        following = starts[location + 1][1] if location + 1 < len(starts) else len(document.text)
        end = min(following, _next_heading(blocks, number, len(document.text)))
        named = _named(document.text[blocks[number].start : blocks[number].end], collection)
        if named and end - blocks[number].end > _LEAST:
            yield _worded(named, document, collection), start, end, blocks[number].end


def _next_heading(blocks: Sequence[Block], number: int, last: int) -> int:
    after = (one.start for one in blocks[number + 1 :] if one.kind is BlockKind.HEADING)
    return next(after, last)


def _named(term: str, collection: Collection) -> str:
    """What a term or option is called: of several spellings the last long one."""
    if collection.asked == "terms":
        named = " ".join(term.replace("¶", "").split())
        return named if re.fullmatch(r"[A-Za-z][A-Za-z -]{2,40}", named) else ""
    first = re.split(r"[\s=<\[,]", term.strip(), maxsplit=1)[0]
    usual = r"-{1,2}[A-Za-z][\w-]*" if collection.shape == "pages" else r"[A-Z]{4,}"
    return first if re.fullmatch(usual, first) else ""


def _worded(named: str, document: Document, collection: Collection) -> str:
    if collection.shape == "pages":
        program = document.id.rpartition("/")[2].partition(".")[0]
        named = f"the option {named} of {program}"
    return collection.wording.format(named)


def terms_of(page: str) -> list[str]:
    """The texts of the ``dt`` elements of a page, in order."""
    reader = _Terms()
    reader.feed(page)
    reader.close()
    return reader.found


class _Terms(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self._open: list[str] | None = None

    def handle_starttag(self, tag: str, attrs: object) -> None:  # noqa: ARG002
        if tag in ("dt", "dd", "dl"):
            self._end()
        if tag == "dt":
            self._open = []

    def handle_endtag(self, tag: str) -> None:
        if tag in ("dt", "dl"):
            self._end()

    def handle_data(self, data: str) -> None:
        if self._open is not None and data.strip() not in ("¶", "#"):
            self._open.append(data)

    def _end(self) -> None:
        if self._open is not None and (text := " ".join("".join(self._open).split())):
            self.found.append(text)
        self._open = None
