"""The texts a lexicon is fitted on: English from Debian packages that are free to use.

    python training/texts.py WORK

downloads the packages named in ``packages.txt`` and the descriptions of all packages, and
writes ``WORK/texts/NNN.jsonl``: one text a line, at most some 64 word pieces long, in an
order in which any first part is a fair sample. Nothing of it enters the repository.

A line holds ``group`` (a heading and what stands below it share one), ``kind`` (``heading``,
``question`` or ``passage``) and ``text``.
"""

from __future__ import annotations

import gzip
import html
import json
import random
import re
import subprocess
import sys
import tempfile
from collections.abc import Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

WORDS = 44  # of a passage at most: some 64 word pieces
FEWEST = 5
CHUNKS = 3  # passages of one section at most
EACH = 20_000  # groups of one package at most
SHARD = 16_000
SEED = 20261123
UNSEEN = re.compile(r"perl-doc|^python.*-doc$|faq|debian-handbook|anarchism")  # for the figures

Section = tuple[str, str, str]  # the title of the whole, a heading, the text below it

_TAGS = re.compile(r"<[^>]+>")
_HIDDEN = re.compile(r"<(script|style|pre|screen|programlisting|nav)\b.*?</\1>", re.S | re.I)
_HEADING = re.compile(
    r"<(h[1-6]|title|dt)\b[^>]*>(.*?)</\1>|<(?:p|li|dd|td|blockquote)\b[^>]*>", re.S | re.I
)
_UNDERLINED = re.compile(r"^(\S.{2,90})\n([=\-~*^\".])\2{3,}\s*$", re.M)
_SENTENCE = re.compile(r"(?<=[.!?:;])\s+(?=[A-Z0-9(\"'])")
_IGNORED = re.compile(r"changelog|copyright")
_ENGLISH = ["-o", "Acquire::Languages=en"]
_NOTES = re.compile(r"\\[^\\]*\\,?|\[[^\]]*\]|--\s?[A-Z][\w.]*")  # sounds, origins, authors
_ROFF = re.compile(r"\\f[A-Z]|\\f\(..|\\s[-+]?\d+|\\[&/,|^%]|\\\*\(..|\\m\[[^]]*\]")


def of_html(text: str) -> Iterator[Section]:
    """Sections of HTML, and of the XML of manuals whose titles and paragraphs are named alike."""
    text = _HIDDEN.sub(" ", text)
    title = heading = ""
    at = 0
    for match in _HEADING.finditer(text):
        if body := plain(text[at : match.start()]):
            yield title, heading, body
        at = match.end()
        if match[1]:
            heading = plain(match[2])
            if match[1].lower() in ("title", "h1"):
                title = title or heading
    if body := plain(text[at:]):
        yield title, heading, body


def plain(text: str) -> str:
    return " ".join(html.unescape(_TAGS.sub(" ", text)).replace("¶", " ").split())


def of_roff(text: str) -> Iterator[Section]:
    """Sections of a manual page."""
    title, heading, words = "", "", []
    tagged = False
    for line in text.splitlines():
        if line.startswith((".SH", ".SS", ".TP", ".PP", ".P", ".IP", ".HP", ".Sh", ".Pp", ".It")):
            if words:
                yield title, heading, " ".join(words)
                words = []
            argument = _unescaped(line[3:]).strip(' "')
            if line.startswith((".SH", ".SS", ".Sh")):
                heading = argument.capitalize()
            tagged = line.startswith(".TP")
        elif line.startswith(".TH"):
            title = _unescaped(line[3:]).split(" ")[1:2][0] if " " in line else ""
        elif line.startswith((".\\", "'")):
            continue
        else:
            said = line
            if line.startswith("."):
                said = line[3:] if line[1:2].isupper() or line[1:3].isalpha() else ""
            cleaned = _unescaped(said).replace('"', "").strip()
            if tagged and cleaned:
                words, tagged = [cleaned + ":"], False
            elif cleaned:
                words.append(cleaned)
    if words:
        yield title, heading, " ".join(words)


def _unescaped(line: str) -> str:
    return _ROFF.sub("", line).replace("\\-", "-").replace("\\(aq", "'").replace("\\e", "\\")


def of_plain(text: str) -> Iterator[Section]:
    """Sections of text whose headings are underlined, and its paragraphs."""
    parts = _UNDERLINED.split(text)
    title = heading = ""
    for number, part in enumerate(parts):
        if number % 3 == 1:
            heading = " ".join(part.split())
            title = title or heading
        elif number % 3 == 0:
            for paragraph in re.split(r"\n\s*\n", part):
                yield title, heading, " ".join(paragraph.split())


def of_dictionary(index: Path) -> Iterator[Section]:
    """Headwords and definitions of a dictionary in the form of the DICT server (RFC 2229)."""
    digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"

    def number(text: str) -> int:
        value = 0
        for digit in text:
            value = value * 64 + digits.index(digit)
        return value

    with gzip.open(index.with_suffix(".dict.dz")) as file:
        data = file.read()
    for line in index.read_text("utf-8", "replace").splitlines():
        word, at, length = line.split("\t")[:3]
        if word.startswith("00"):
            continue
        own = data[number(at) : number(at) + number(length)].decode("utf-8", "replace")
        yield "", word, " ".join(_NOTES.sub(" ", own.replace("{", "").replace("}", "")).split())


def of_descriptions() -> Iterator[Section]:
    """What each package of the distribution says of itself."""
    listed = ["indextargets", "--format", "$(FILENAME)", "Created-By: Translations"]
    for file in _of_apt(["apt-get", *_ENGLISH, *listed]).split():
        for entry in _of_apt(["/usr/lib/apt/apt-helper", "cat-file", file]).split("\n\n"):
            name = re.search(r"^Package: (\S+)", entry, re.M)
            found = re.search(r"^Description-en: (.*)((?:\n .*)*)", entry, re.M)
            if name and found and not UNSEEN.search(name[1]):
                yield name[1], found[1], " ".join(found[2].replace("\n .", "\n").split())


def _of_apt(command: list[str]) -> str:
    found = subprocess.run(command, capture_output=True, check=True)
    return found.stdout.decode("utf-8", "replace")


def sections(package: Path) -> Iterator[Section]:
    """All sections of an unpacked package."""
    files = sorted(path for path in package.rglob("*") if path.is_file() and not path.is_symlink())
    for path in files:
        name = path.name.lower().removesuffix(".gz")
        if name.endswith(".index") and path.with_suffix(".dict.dz").exists():
            yield from of_dictionary(path)
        elif (
            path.stat().st_size < 4_000_000 and "changelog" not in name and "copyright" not in name
        ):
            if re.search(r"/(?!en|C/)[a-z]{2}(_[A-Z]{2})?/", str(path)[len(str(package)) :]):
                continue  # of another language
            read = None
            if name.endswith((".html", ".htm", ".xhtml", ".page", ".docbook", ".xml")):
                read = of_html
            elif re.search(r"\.[1-8](pm|perl|ssl|tcl|erl)?$", name) and "/man/man" in str(path):
                read = of_roff
            elif name.endswith((".txt", ".rst", ".md", ".info", ".text", ".org")) or re.search(
                r"\.info-\d+$", name
            ):
                read = of_plain
            if read:
                try:
                    with gzip.open(path) if path.suffix == ".gz" else path.open("rb") as file:
                        text = file.read(4_000_000).decode("utf-8", "replace")
                except (OSError, EOFError):
                    continue
                yield from read(text)


def groups(found: Iterable[Section], chance: random.Random) -> Iterator[list[tuple[str, str]]]:
    """Of each section its heading and up to three passages, as kind and text."""
    for title, heading, body in found:
        passages = list(chunks(body))
        if not passages:
            continue
        if len(passages) > CHUNKS:
            start = chance.choice([0, chance.randrange(len(passages) - CHUNKS + 1)])
            passages = passages[start : start + CHUNKS]
        own = [("passage", passage) for passage in passages]
        named = heading if len(heading.split()) > 2 else f"{title} {heading}".strip()
        if 1 <= len(named.split()) <= 20 and named.lower()[:30] != passages[0].lower()[:30]:
            own.insert(0, ("heading", named))
            if chance.random() < 0.25 and named.isascii():
                asked = chance.choice(
                    ["How do I {}?", "What is {}?", "How can I {}?", "What does {} mean?",
                     "Why {}?", "Where is {}?", "How to {}", "Is there {}?", "Tell me about {}."]
                )  # fmt: skip
                own.append(("question", asked.format(named[0].lower() + named[1:].rstrip("."))))
        yield own


def chunks(body: str) -> Iterator[str]:
    """Passages of whole sentences where they are short enough."""
    words: list[str] = []
    for sentence in _SENTENCE.split(body[:20_000]):
        own = sentence.split()
        if len(words) + len(own) > WORDS and words:
            yield from _kept(words)
            words = []
        words += own
        while len(words) > WORDS:
            yield from _kept(words[:WORDS])
            words = words[WORDS:]
    yield from _kept(words)


def _kept(words: list[str]) -> Iterator[str]:
    text = " ".join(words)
    letters = sum(character.isalpha() and character.isascii() for character in text)
    if len(words) >= FEWEST and letters > 0.6 * len(text) and len(text) < 12 * len(words):
        yield text


def of_package(name: str, folder: Path) -> list[list[tuple[str, str]]]:
    """The groups of one package: downloaded, unpacked, read and thrown away; kept in a file."""
    kept = folder / f"{name}.json"
    if not kept.exists():
        beside = kept.with_suffix(".new")
        beside.write_text(json.dumps(_read_package(name)), encoding="utf-8")
        beside.rename(kept)
    found: list[list[tuple[str, str]]] = json.loads(kept.read_text(encoding="utf-8"))
    return found


def _read_package(name: str) -> list[list[tuple[str, str]]]:
    chance = random.Random(f"{SEED} {name}")
    if name == "descriptions":  # fetched here: an installation may leave them out
        _of_apt(["apt-get", *_ENGLISH, "update", "-q"])
        return list(groups(of_descriptions(), chance))
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        command = ["apt-get", "download", "-qq", name]
        if subprocess.run(command, cwd=folder, check=False, capture_output=True).returncode:
            return []
        archive = next(folder.glob("*.deb"))
        subprocess.run(["dpkg-deb", "-x", archive, folder / "x"], check=True)
        archive.unlink()
        return list(groups(sections(folder / "x"), chance))


def main() -> None:
    target = Path(sys.argv[1]) / "texts"
    if target.exists():
        print(f"{target} is there already")
        return
    names = Path(__file__).with_name("packages.txt").read_text(encoding="utf-8").split()
    if unseen := [name for name in names if UNSEEN.search(name)]:
        raise SystemExit(f"kept for measuring, not for training: {', '.join(unseen)}")
    chance = random.Random(SEED)
    seen: set[int] = set()
    kept: list[tuple[str, list[tuple[str, str]]]] = []
    names.insert(0, "descriptions")
    folder = target.with_name("packages")
    folder.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(2) as pool:
        read = pool.map(of_package, names, [folder] * len(names))
        for name, found in zip(names, read, strict=True):
            fresh = []
            for own in found:
                mark = hash(next(text for kind, text in own if kind == "passage").lower()[:80])
                if mark not in seen:
                    seen.add(mark)
                    fresh.append(own)
            chance.shuffle(fresh)
            kept += [(name, own) for own in fresh[:EACH]]
            print(f"{name}: {len(fresh):,} sections, {min(len(fresh), EACH):,} kept", flush=True)
    chance.shuffle(kept)
    beside = target.with_name("texts.new")
    beside.mkdir(parents=True, exist_ok=True)
    lines: list[str] = []
    shard = 0
    for group, (name, own) in enumerate(kept):
        for kind, text in own:
            line = {"group": group, "package": name, "kind": kind, "text": text}
            lines.append(json.dumps(line, ensure_ascii=False) + "\n")
        if len(lines) >= SHARD or group == len(kept) - 1:
            (beside / f"{shard:03d}.jsonl").write_text("".join(lines), encoding="utf-8")
            shard, lines = shard + 1, []
    beside.rename(target)
    print(f"{len(kept):,} sections in {shard} shards")


if __name__ == "__main__":
    main()
