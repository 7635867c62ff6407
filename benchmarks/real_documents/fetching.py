"""Packages → folders of documents, as their files ship.

HTML stays as it is. Man pages, which no format here reads, are set as HTML by mandoc, each page
whole.
"""

from __future__ import annotations

import gzip
import subprocess
from collections.abc import Iterator
from pathlib import Path

from catalogue import Collection


def unpacked(package: str, kept: Path) -> tuple[Path, str]:
    """Where a package's files are, and its version; downloaded where it is not there yet."""
    folder = kept / package
    version = folder / ".version"
    if not version.exists():
        folder.mkdir(parents=True, exist_ok=True)
        for old in folder.glob("*.deb"):
            old.unlink()
        asked = ["apt-get", "download", "-qq", package]
        done = subprocess.run(asked, cwd=folder, check=False, capture_output=True, text=True)
        if done.returncode:
            raise SystemExit(f"{package} cannot be downloaded: {done.stderr.strip()}")
        (archive,) = folder.glob("*.deb")
        subprocess.run(["dpkg-deb", "-x", archive.name, "files"], cwd=folder, check=True)
        asked = ["dpkg-deb", "-f", archive.name, "Version"]
        told = subprocess.run(asked, cwd=folder, check=True, capture_output=True, text=True)
        archive.unlink()
        version.write_text(told.stdout.strip(), encoding="utf-8")
    return folder / "files", version.read_text(encoding="utf-8")


def shipped(collection: Collection, files: Path) -> Iterator[tuple[str, Path]]:
    """The names and paths of a collection's files in one unpacked package."""
    seen = set()
    for pattern in collection.files:
        for path in sorted(files.rglob(pattern)):
            _, cut, name = path.as_posix().rpartition("/" + collection.root)
            if cut and path.is_file() and not path.is_symlink() and name not in seen:
                seen.add(name)
                yield name, path


def write_documents(collection: Collection, kept: Path, target: Path) -> dict[str, str]:
    """Copy a collection's documents below ``target``; the versions of its packages."""
    versions = {}
    for package in collection.packages:
        files, versions[package] = unpacked(package, kept)
        for name, path in shipped(collection, files):
            if collection.shape == "pages":
                own = target / name.removesuffix(".gz")
                own = own.with_name(own.name + ".html")
                data = as_html(path)
            elif path.suffix == ".gz":
                own, data = target / name.removesuffix(".gz"), gzip.decompress(path.read_bytes())
            else:
                own, data = target / name, path.read_bytes()
            own.parent.mkdir(parents=True, exist_ok=True)
            own.write_bytes(data)
    if not target.exists():
        raise SystemExit(f"{collection.name}: no files; have the packages moved them?")
    return versions


def as_html(page: Path) -> bytes:
    """A man page, set as HTML."""
    try:
        done = subprocess.run(["mandoc", "-T", "html", page], check=False, capture_output=True)
    except FileNotFoundError:
        raise SystemExit("mandoc is missing: install the package mandoc") from None
    if not done.stdout:
        raise SystemExit(f"{page.name}: {done.stderr.decode(errors='replace')}")
    return done.stdout
