"""Three more collections of questions and answers that nobody here wrote.

    python benchmarks/faq_collections.py DEST

writes ``python-faq``, ``debian-faq-de`` and ``debian-faq-fr`` below DEST, each with ``documents/``
and ``questions.jsonl``: the headings of Python's and Debian's FAQ are the questions, the text
below each is its answer, among sections of the other manuals of Python and of Debian in that
language. They are in the order of the files: every second question is for fitting, the others for
the figures. None of the packages is among those the lexicon is trained on. Only for measuring:
nothing of them enters the repository.
"""

from __future__ import annotations

import hashlib
import html
import json
import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

PACKAGES = """python3.11-doc debian-faq-de debian-faq-fr debian-reference-de debian-reference-fr
maint-guide-de maint-guide-fr""".split()
Section = tuple[str, str]  # heading and text


def restructured(path: Path) -> Iterator[Section]:
    parts = re.split(r"^(\S.+(?:\n\S.+)?)\n([=\-~^*\"])\2{3,}[ ]*$", path.read_text(), flags=re.M)
    for heading, body in zip(parts[1::3], parts[3::3], strict=True):
        words = re.sub(r"^\.\. .*$", "", body, flags=re.M)
        for _ in range(2):
            words = re.sub(r":[\w:]+:`[~!]?([^`<]*?)(?: ?<[^>]*>)?`", r"\1", words)
            words = re.sub(r"`([^`<]*?) ?<[^>]*>`_+", r"\1", words)
        yield " ".join(heading.split()).replace("``", ""), words.replace("``", "").strip()


def web(path: Path) -> Iterator[Section]:
    text = path.read_text(encoding="utf-8")
    text = re.sub(r'<div class="(navheader|navfooter|toc)">.*?</(table|dl)>', " ", text, flags=re.S)
    parts = re.split(r"<h[1-6][^>]*>(.*?)</h[1-6]>", text, flags=re.S)
    for heading, body in zip(parts[1::2], parts[2::2], strict=True):
        named = re.sub(r"^(Kapitel|Chapitre)?[\s\d.]*", "", plain(heading))
        yield named, plain(re.sub(r"</(p|li|pre|h\d)>", "\n\n", body))


def plain(text: str) -> str:
    lines = html.unescape(re.sub(r"<[^>]+>", "", text)).replace("\xa0", " ").split("\n\n")
    return "\n\n".join(kept for line in lines if (kept := " ".join(line.split())))


def write(target: Path, asked: list[Section], among: list[Section]) -> None:
    documents = target / "documents"
    documents.mkdir(parents=True)

    def put(text: str) -> str:
        name = hashlib.sha1(text.encode()).hexdigest()[:12] + ".txt"
        (documents / name).write_text(text, encoding="utf-8")
        return name

    with (target / "questions.jsonl").open("w", encoding="utf-8") as file:
        for number, (heading, body) in enumerate(asked):
            own = {
                "id": f"q{number:03d}",
                "text": heading,
                "split": "test" if number % 2 else "fit",
                "relevant": [put(body)],
            }
            file.write(json.dumps(own, ensure_ascii=False) + "\n")
    for _, body in among:
        if 200 < len(body) < 6000:
            put(body)
    print(f"{target.name}: {len(asked)} questions, {len(list(documents.iterdir()))} documents")


def asked_in(sections: Iterator[Section]) -> Iterator[Section]:
    return (own for own in sections if own[0].endswith("?") and len(own[1]) > 80)


def main() -> None:
    target = Path(sys.argv[1])
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        for package in PACKAGES:
            subprocess.run(
                ["apt-get", "download", "-qq", package], cwd=folder, check=True, capture_output=True
            )
        for archive in folder.glob("*.deb"):
            subprocess.run(["dpkg-deb", "-x", archive, folder / "x"], check=True)
        docs = folder / "x/usr/share/doc"
        sources = docs / "python3.11/html/_sources"
        write(
            target / "python-faq",
            [
                own
                for path in sorted(sources.glob("faq/*.txt"))
                for own in asked_in(restructured(path))
            ],
            [
                own
                for name in ("tutorial", "howto", "reference", "using", "library", "extending")
                for path in sorted(sources.glob(f"{name}/*.txt"))
                for own in restructured(path)
            ],
        )
        for language in ("de", "fr"):
            questions = sorted(docs.glob(f"debian/FAQ/{language}/*.html"))
            others = [
                *docs.glob(f"debian-reference-{language}/**/*.html"),
                *docs.glob(f"maint-guide-{language}/**/*.html"),
                *(folder / "x").glob(f"usr/share/debian-reference/*.{language}.html"),
                *(folder / "x").glob(f"usr/share/**/maint-guide/**/*.{language}.html"),
            ]
            write(
                target / f"debian-faq-{language}",
                [own for path in questions for own in asked_in(web(path))],
                [own for path in sorted(set(others)) for own in web(path)],
            )


if __name__ == "__main__":
    main()
