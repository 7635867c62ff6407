"""A million passages of real text, from Debian packages that are free to use.

    python benchmarks/real_passages.py FOLDER [COUNT]

downloads documentation and dictionaries with ``apt-get download`` and writes
``FOLDER/passages.txt``, one passage of 12 to 64 words a line, in random order. Only for
measuring speed: nothing of it enters the repository.
"""

from __future__ import annotations

import gzip
import html
import random
import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

PACKAGES = """linux-doc-6.1 dict-gcide wordnet-base bible-kjv-text manpages manpages-dev
debian-reference-en git-doc bash-doc doc-debian developers-reference debian-policy gnu-standards
aptitude-doc-en libreoffice-help-en-us gimp-help-en octave-doc r-doc-html postgresql-doc-15
sqlite3-doc apache2-doc maxima-doc rust-doc libboost1.81-doc""".split()
WORDS = 64
FEWEST = 12
_TAGS = re.compile(r"<(script|style).*?</\1>|<[^>]+>", re.S)
_TEXTS = (".html", ".htm", ".xhtml", ".txt", ".rst", ".md", ".1", ".3", ".5", ".8", ".gz", ".dz")


def texts(folder: Path) -> Iterator[str]:
    files = sorted(path for path in folder.rglob("*") if path.is_file() and not path.is_symlink())
    random.Random(1).shuffle(files)
    for path in files:
        if not path.name.lower().endswith(_TEXTS):
            continue
        most = 60_000_000 if path.suffix == ".dz" else 3_000_000
        try:
            with gzip.open(path) if path.suffix in (".gz", ".dz") else path.open("rb") as file:
                text = file.read(most).decode("utf-8", "replace")
        except (OSError, EOFError, gzip.BadGzipFile):
            continue
        yield html.unescape(_TAGS.sub(" ", text)) if "<p" in text[:20_000].lower() else text


def passages(folder: Path) -> Iterator[str]:
    seen = set()
    for text in texts(folder):
        for paragraph in re.split(r"\n\s*\n", text):
            words = paragraph.split()
            for at in range(0, len(words), WORDS):
                own = words[at : at + WORDS]
                start = hash(tuple(own[:10]))
                if len(own) >= FEWEST and start not in seen:
                    seen.add(start)
                    yield " ".join(own)


def main() -> None:
    target, count = Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1_000_000
    target.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        for package in PACKAGES:
            subprocess.run(["apt-get", "download", "-qq", package], cwd=folder, check=False)
        for archive in folder.glob("*.deb"):
            subprocess.run(["dpkg-deb", "-x", archive, folder / "x"], check=True)
            archive.unlink()
        found = list(passages(folder / "x"))
    random.Random(2).shuffle(found)
    (target / "passages.txt").write_text("\n".join(found[:count]) + "\n", encoding="utf-8")
    print(f"{len(found[:count]):,} of {len(found):,} passages in {target / 'passages.txt'}")


if __name__ == "__main__":
    main()
