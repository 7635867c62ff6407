"""A FAQ's answers as short documents without their headings, among sections of other manuals.

What is asked is the headings, and what is expected a whole document. Pages with headings are one
shape of documents; what is fitted on them alone loses on this one.
"""

from __future__ import annotations

import shutil
import sys
import tempfile
from pathlib import Path

from asking import Asked, Spot
from binding import digest
from catalogue import Collection
from fetching import unpacked

sys.path.insert(0, str(Path(__file__).parents[1]))
from faq_collections import PACKAGES, sections, write_texts

_SOURCES = {
    "perl-short": "perl-faq",
    "python-short": "python-faq",
    "debian-de-short": "debian-faq-de",
    "debian-fr-short": "debian-faq-fr",
    "fetchmail-short": "fetchmail-faq",
    "git-short": "git-faq",
}


def write_short_texts(
    collection: Collection, kept: Path, target: Path
) -> tuple[list[Asked], dict[str, str]]:
    """Write a collection's documents; what is asked of them, and the versions of its packages."""
    source = _SOURCES[collection.name]
    versions = {}
    with tempfile.TemporaryDirectory() as made:
        for package in PACKAGES[source]:
            files, versions[package] = unpacked(package, kept)
            shutil.copytree(files, made, dirs_exist_ok=True, symlinks=True)
        questions, among = sections(source, Path(made))
    names = write_texts(target, questions, among)
    own: dict[str, Asked] = {}
    for (question, body), name in zip(questions, names, strict=True):
        spot = Spot(f"{target.name}/{name}", 0, len(body), body=0)
        id_ = f"{collection.name}-d{digest(question)[:6]}"
        own.setdefault(id_, Asked(id_, question, "heading", (spot,)))
    return list(own.values()), versions
