"""The texts the reading model is trained on, and the pieces it knows.

    python training/reading/groups.py WORK [COLLECTIONS]

reads the packages that training/texts.py took apart (WORK/packages) and writes WORK/groups.jsonl,
a heading with what stands below it a line, and WORK/pieces.json and WORK/tokenizer.json: the
commonest pieces of the teacher's in these texts. Nothing of it enters the repository.

What the figures are measured on is left out by the packages' names, and, where the folder of the
collections is given (benchmarks/real_documents/make.py makes it), so is every section that shares
eight words in a row with one of their documents.
"""

from __future__ import annotations

import json
import random
import re
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from student import teacher_folder, tokenizer_in

HELD_OUT = re.compile(
    r"perl-doc|^python.*-doc|faq|debian-handbook|anarchism|doc-debian|debian-policy"
    r"|debian-reference|developers-reference|maint-guide|git-doc|^git$|fetchmail|privoxy|putty"
    r"|apcupsd|django"
)
PIECES = 16_000
_EACH, _OF_DICTIONARIES = 1500, 2500  # sections of a package
_IN_A_ROW = 8
_SPECIAL = ("[PAD]", "[UNK]", "[CLS]", "[SEP]")
_LATIN = 0x250
_SEED = 5
_WORD = re.compile(r"\w+")


def runs(text: str) -> Iterator[int]:
    words = _WORD.findall(text.lower())
    return (hash(tuple(words[at : at + _IN_A_ROW])) for at in range(len(words) - _IN_A_ROW + 1))


def groups(work: Path, held: set[int]) -> list[list[list[str]]]:
    chance = random.Random(_SEED)
    found = []
    for path in sorted((work / "packages").glob("*.json")):
        if HELD_OUT.search(path.stem):
            continue
        own = json.loads(path.read_text(encoding="utf-8"))
        chance.shuffle(own)
        for group in own[: _OF_DICTIONARIES if "dict" in path.stem else _EACH]:
            if not any(run in held for _, text in group for run in runs(text)):
                found.append(group)
    chance.shuffle(found)
    return found


def pieces_of(found: list[list[list[str]]]) -> list[str]:
    """Single letters and the commonest pieces, in the teacher's order."""
    known = (teacher_folder() / "vocab.txt").read_text(encoding="utf-8").splitlines()
    tokenizer = tokenizer_in(teacher_folder() / "tokenizer.json")
    counts: Counter[str] = Counter()
    for at in range(0, len(found), 2000):
        texts = [text for group in found[at : at + 2000] for _, text in group]
        for encoding in tokenizer.encode_batch(texts, add_special_tokens=False):
            counts.update(encoding.tokens)
    kept = set(_SPECIAL)
    kept |= {
        one for one in known if len(bare := one.removeprefix("##")) == 1 and ord(bare) < _LATIN
    }
    for piece, _ in counts.most_common():
        if len(kept) >= PIECES:
            break
        kept.add(piece)
    return [piece for piece in known if piece in kept]


def tokenizer_of(pieces: list[str]) -> dict:
    """The teacher's tokenizer, knowing these pieces alone."""
    number = {piece: at for at, piece in enumerate(pieces)}
    kept = json.loads((teacher_folder() / "tokenizer.json").read_text(encoding="utf-8"))
    kept["model"]["vocab"] = number
    kept["added_tokens"] = [
        {**one, "id": number[one["content"]]}
        for one in kept["added_tokens"]
        if one["content"] in number
    ]
    for name, one in kept["post_processor"].get("special_tokens", {}).items():
        one["ids"] = [number[name]]
    kept["padding"] = kept["truncation"] = None
    return kept


def main() -> None:
    work = Path(sys.argv[1])
    held: set[int] = set()
    for folder in (Path(one) for one in sys.argv[2:]):
        for path in folder.glob("*/documents/**/*"):
            if path.is_file():
                held.update(runs(re.sub(r"<[^>]+>", " ", path.read_text("utf-8", "replace"))))
    found = groups(work, held)
    with (work / "groups.jsonl").open("w", encoding="utf-8") as file:
        for group in found:
            file.write(json.dumps(group, ensure_ascii=False) + "\n")
    pieces = pieces_of(found)
    (work / "pieces.json").write_text(json.dumps(pieces, ensure_ascii=False), encoding="utf-8")
    (work / "tokenizer.json").write_text(
        json.dumps(tokenizer_of(pieces), ensure_ascii=False), encoding="utf-8"
    )
    print(f"{len(found):,} sections, {len(pieces):,} pieces")


if __name__ == "__main__":
    main()
