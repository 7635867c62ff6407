"""Six collections of questions and answers that nobody here wrote, as short texts.

    python benchmarks/faq_collections.py DEST

writes each of `NAMES` below DEST, with ``documents/`` and ``questions.jsonl``: the headings of a
FAQ are the questions, the text below each is its answer, a document without its heading, among
sections of other manuals in that language. They are in the order of the files: every second
question is for fitting, the others for the figures. None of the packages is among those the
lexicon is trained on. Only for measuring: nothing of them enters the repository.
"""

from __future__ import annotations

import hashlib
import html
import json
import re
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

PACKAGES = {
    "perl-faq": ("perl-doc",),
    "python-faq": ("python3.11-doc",),
    "debian-faq-de": ("debian-faq-de", "debian-reference-de", "maint-guide-de"),
    "debian-faq-fr": ("debian-faq-fr", "debian-reference-fr", "maint-guide-fr"),
    "fetchmail-faq": ("fetchmail", "mutt"),
    "git-faq": ("git-doc",),
}
NAMES = tuple(PACKAGES)
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
        named = re.sub(r"^(Kapitel|Chapitre)?(?:[A-Z]\d+\.)?[\s\d.]*", "", plain(heading))
        yield named, plain(re.sub(r"</(p|li|pre|h\d)>", "\n\n", body))


def described(path: Path) -> Iterator[Section]:
    """The entries of a page's lists of terms."""
    text = path.read_text(encoding="utf-8")
    for term, told in re.findall(r"<dt[^>]*>(.*?)</dt>\s*<dd[^>]*>(.*?)</dd>", text, flags=re.S):
        yield plain(term), plain(re.sub(r"</(p|li|pre)>", "\n\n", told))


def plain(text: str) -> str:
    lines = html.unescape(re.sub(r"<[^>]+>", "", text)).replace("\xa0", " ").split("\n\n")
    return "\n\n".join(kept for line in lines if (kept := " ".join(line.split())))


def pod(path: Path) -> Iterator[Section]:
    """The sections of a page in Perl's plain old documentation."""
    parts = re.split(r"^=head[1-4] (.*)$", path.read_text(errors="replace"), flags=re.M)
    for heading, body in zip(parts[1::2], parts[2::2], strict=True):
        words = re.sub(
            r"^=(item|over|back|cut|pod|for|begin|end|encoding)\b ?", "", body, flags=re.M
        )
        yield without_codes(heading), without_codes(words)


def without_codes(text: str) -> str:
    for _ in range(4):
        text = re.sub(r"[BCFIXLSZ]<<+ (.*?) >>+", r"\1", text, flags=re.S)
        text = re.sub(r"[BCFIXLSZ]<([^<>]*)>", lambda match: match[1].split("|")[0], text)
    return text.replace("E<gt>", ">").replace("E<lt>", "<").strip()


def asked_in(sections: Iterator[Section]) -> Iterator[Section]:
    return (own for own in sections if own[0].endswith("?") and len(own[1]) > 80)


def sections(name: str, files: Path) -> tuple[list[Section], list[Section]]:
    """A collection's questions with their answers, and the sections that they are among.

    ``files`` is where its packages are unpacked.
    """
    docs = files / "usr/share/doc"
    read: Callable[[Path], Iterator[Section]] = web
    read_answers: Callable[[Path], Iterator[Section]] | None = None
    if name == "perl-faq":
        read = pod
        pages = sorted((files / "usr/share/perl").glob("*/pod/perl*.pod"))
        answers = [one for one in pages if one.name.startswith("perlfaq")]
        skipped = ("faq", "delta", "hist")
        others = [one for one in pages if not any(part in one.name for part in skipped)]
    elif name == "python-faq":
        read = restructured
        sources = docs / "python3.11/html/_sources"
        answers = sorted(sources.glob("faq/*.txt"))
        parts = ("tutorial", "howto", "reference", "using", "library", "extending")
        others = [path for part in parts for path in sorted(sources.glob(f"{part}/*.txt"))]
    elif name == "git-faq":
        read_answers = described
        answers = [docs / "git/html/gitfaq.html"]
        others = sorted(set(docs.glob("git/html/git*.html")) - {*answers})
    elif name == "fetchmail-faq":
        answers = [docs / "fetchmail/fetchmail-FAQ.html"]
        others = sorted(docs.glob("mutt/html/*.html"))
    elif name.startswith("debian-faq"):
        language = name.rpartition("-")[2]
        answers = sorted(docs.glob(f"debian/FAQ/{language}/*.html"))
        found = {
            *docs.glob(f"debian-reference-{language}/**/*.html"),
            *docs.glob(f"maint-guide-{language}/**/*.html"),
            *files.glob(f"usr/share/debian-reference/*.{language}.html"),
            *files.glob(f"usr/share/**/maint-guide/**/*.{language}.html"),
        }
        others = sorted(found)
    asked = [own for path in answers for own in asked_in((read_answers or read)(path))]
    among = [own for path in others for own in read(path) if 200 < len(own[1]) < 6000]
    if not asked or not among:
        raise SystemExit(f"{name}: no questions or no other sections; have the files moved?")
    return asked, among


def write_texts(documents: Path, asked: list[Section], among: list[Section]) -> list[str]:
    """Write each answer and section as a document of its own; the names of the answers'."""
    documents.mkdir(parents=True)
    names = []
    for _, body in (*asked, *among):
        name = hashlib.sha1(body.encode()).hexdigest()[:12] + ".txt"
        (documents / name).write_text(body, encoding="utf-8")
        names.append(name)
    return names[: len(asked)]


def write(target: Path, asked: list[Section], among: list[Section]) -> None:
    names = write_texts(target / "documents", asked, among)
    with (target / "questions.jsonl").open("w", encoding="utf-8") as file:
        for number, ((heading, _), name) in enumerate(zip(asked, names, strict=True)):
            own = {
                "id": f"q{number:03d}",
                "text": heading,
                "split": "test" if number % 2 else "fit",
                "relevant": [name],
            }
            file.write(json.dumps(own, ensure_ascii=False) + "\n")
    print(
        f"{target.name}: {len(asked)} questions, {len(list(target.glob('documents/*')))} documents"
    )


def main() -> None:
    target = Path(sys.argv[1])
    for name, packages in PACKAGES.items():
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            asked = ["apt-get", "download", "-qq", *packages]
            subprocess.run(asked, cwd=folder, check=True, capture_output=True)
            for archive in folder.glob("*.deb"):
                subprocess.run(["dpkg-deb", "-x", archive, folder / "x"], check=True)
            write(target / name, *sections(name, folder / "x"))


if __name__ == "__main__":
    main()
