"""A desk's settings and state as one file, and back.

The file is a tar archive (POSIX.1-2001), compressed with gzip (RFC 1952). Its first member,
``manifest.json``, names the others with their SHA-256.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import tarfile
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ..core import CallError, IndexStateError, StateError, Store
from ..index import copy_index
from ..platform.storage import FileLock, open_private, private_folder, sync_folder, write_bytes
from ..settings import COMPLETE, RESTORING, STATE_FOLDER
from ..version import __version__

_MANIFEST = "manifest.json"
_FORMAT = 1
_BESIDE = ("prompts", "deploy")  # folders of the desk that are copied whole
_SUFFIXES = (".toml", ".jsonl", ".j2")  # of files in the desk's own folder
_OLD = ".yonder-before-restoring"
_WAIT = 600.0  # seconds for a gather under way
SERVED_LOCK = "served.lock"  # of the state: held by whoever serves the desk


@dataclass(frozen=True, slots=True)
class Restored:
    """What a restore put in place: when it was backed up, by which version, how many files."""

    made: str
    version: str
    files: int


def write_backup(folder: Path, state: Path, stores: Sequence[Store], path: Path) -> Path:
    """Write a backup; see `Desk.backup`."""
    if path.exists():
        raise CallError("this file is there already", str(path), "choose another name")
    with _scratch(state) as copy:
        _copy_desk(folder, copy)
        for store in stores:
            store.copy_to(copy / STATE_FOLDER)
        _copy_index(state, copy / STATE_FOLDER)
        making = path.with_name(f"{path.name}.part")
        try:
            with open_private(making, "wb") as file:
                _pack(copy, file)
                file.flush()
                os.fsync(file.fileno())
            making.replace(path)
            sync_folder(path.parent)
        finally:
            making.unlink(missing_ok=True)
    return path


def restore(folder: Path, path: Path | None = None) -> Restored:
    """Put what a backup holds in place of a desk's settings and state.

    All of it is unpacked and checked first; what was there stays until then. A restore that was
    killed while it put things in place is finished by the next one.

    Parameters
    ----------
    folder : Path
        The desk's; made when missing.
    path : Path, optional
        The backup. Without: finish a restore that was interrupted.

    Raises
    ------
    CallError
        There is no such file, nothing was interrupted, or the desk is being served.
    StateError
        It is no backup, of a later version, or damaged.
    """
    making = folder / RESTORING
    unfinished = (making / COMPLETE).exists()
    if path is None and not unfinished:
        raise CallError("no restore was interrupted", str(folder), "name a backup")
    folder.mkdir(parents=True, exist_ok=True)
    with _not_served(folder / STATE_FOLDER):
        if not unfinished:
            shutil.rmtree(making, ignore_errors=True)
            private_folder(making)
            assert path is not None
            _unpack(path, making)
        told = json.loads((making / COMPLETE).read_bytes())
        _put_in_place(folder, making)
    return Restored(told["made"], told["version"], told["files"])


def restore_servers(folder: Path, stores: Sequence[Any]) -> None:
    """Put what a backup holds of stores on a database server into it, all or none of each."""
    for store in stores:
        if hasattr(store, "restore_from"):
            store.restore_from(folder / STATE_FOLDER)


@contextmanager
def _scratch(state: Path) -> Iterator[Path]:
    """A folder beside the state, where its files can be linked; gone in the end."""
    private_folder(state)
    for left in state.glob("backup-*"):  # of one that was killed
        if time.time() - left.stat().st_mtime > 2 * _WAIT:
            shutil.rmtree(left, ignore_errors=True)
    made = Path(tempfile.mkdtemp(prefix="backup-", dir=state))
    try:
        yield made
    finally:
        shutil.rmtree(made, ignore_errors=True)


def _copy_desk(folder: Path, copy: Path) -> None:
    """The desk's own files: settings, profiles, prompts, question sets."""
    for path in sorted(folder.iterdir()):
        if path.is_file() and (path.suffix in _SUFFIXES or path.name == ".gitignore"):
            shutil.copy2(path, copy / path.name)
        elif path.is_dir() and path.name in _BESIDE:
            ignored = shutil.ignore_patterns("wheels", "*.pem", "*.key")
            shutil.copytree(path, copy / path.name, ignore=ignored)


def _copy_index(state: Path, copy: Path) -> None:
    """The newest generation; a gather under way ends first."""
    if not (state / "index" / _MANIFEST).exists():
        return
    end = time.monotonic() + _WAIT
    while True:
        try:
            copy_index(state / "index", copy / "index")
            return
        except IndexStateError:
            if time.monotonic() > end:
                raise
            time.sleep(0.2)


def _pack(copy: Path, file: Any) -> None:
    files = sorted(path for path in copy.rglob("*") if path.is_file())
    names = [path.relative_to(copy).as_posix() for path in files]
    manifest = {
        "format": _FORMAT,
        "made": datetime.now(UTC).isoformat(timespec="seconds"),
        "version": __version__,
        "files": {name: _digest(path) for name, path in zip(names, files, strict=True)},
    }
    data = json.dumps(manifest, indent=1).encode()
    with tarfile.open(fileobj=file, mode="w:gz", compresslevel=3, format=tarfile.PAX_FORMAT) as tar:
        head = tarfile.TarInfo(_MANIFEST)
        head.size, head.mode, head.mtime = len(data), 0o600, int(time.time())
        tar.addfile(head, io.BytesIO(data))
        for name, path in zip(names, files, strict=True):
            tar.add(path, name, recursive=False, filter=_as_private)


def _as_private(info: tarfile.TarInfo) -> tarfile.TarInfo:
    """A member that names no user of this machine; links are files of their own."""
    info.uid = info.gid = 0
    info.uname = info.gname = ""
    return info


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _unpack(path: Path, making: Path) -> None:
    """Unpack a backup and hold every file against the manifest."""
    try:
        with tarfile.open(path, "r:gz") as tar:
            head = tar.next()
            if head is None or head.name != _MANIFEST:
                raise StateError("this is no backup of a desk", str(path), "name another file")
            manifest = json.loads(_read(tar, head))
            if manifest["format"] > _FORMAT:
                raise StateError(
                    f"this backup was made by a later version ({manifest['version']})",
                    str(path), "install that version",
                )  # fmt: skip
            left = dict(manifest["files"])
            while (member := tar.next()) is not None:
                _unpack_member(tar, member, left.pop(member.name, ""), making)
            if left:
                raise ValueError(f"{len(left)} files are missing")
    except FileNotFoundError:
        raise CallError("there is no such file", str(path), "name a backup") from None
    except (tarfile.TarError, ValueError, KeyError, TypeError, EOFError, OSError) as error:
        raise StateError(
            f"the backup is damaged: {error}", str(path), "use another; nothing was changed"
        ) from None
    told = {"made": manifest["made"], "version": manifest["version"],
            "files": len(manifest["files"])}  # fmt: skip
    write_bytes(making / COMPLETE, json.dumps(told).encode())
    sync_folder(making)


def _unpack_member(
    tar: tarfile.TarFile, member: tarfile.TarInfo, digest: str, making: Path
) -> None:
    """One file, nowhere but below the folder, if it is as the manifest says."""
    target = (making / member.name).resolve()
    if not member.isfile() or not target.is_relative_to(making.resolve()) or not digest:
        raise ValueError(f"{member.name!r} does not belong there")
    private_folder(target.parent)
    data = _read(tar, member)
    if hashlib.sha256(data).hexdigest() != digest:
        raise ValueError(f"{member.name} is not as it was")
    write_bytes(target, data)


def _read(tar: tarfile.TarFile, member: tarfile.TarInfo) -> bytes:
    file = tar.extractfile(member)
    assert file is not None
    return file.read()


def _put_in_place(folder: Path, making: Path) -> None:
    """Put what was unpacked in place, one entry after the other; each step can be done again."""
    old = private_folder(folder / _OLD)
    for path in sorted(making.iterdir()):
        if path.name == COMPLETE:
            continue
        target = folder / path.name
        if target.exists():
            _remove(old / path.name)
            target.rename(old / path.name)
        path.rename(target)
    sync_folder(folder)
    shutil.rmtree(making)
    shutil.rmtree(old, ignore_errors=True)


def _remove(path: Path) -> None:
    if path.is_dir():
        shutil.rmtree(path)
    else:
        path.unlink(missing_ok=True)


@contextmanager
def _not_served(state: Path) -> Iterator[None]:
    """While nobody serves the desk, or gathers."""
    with ExitStack() as stack:
        for place in (state / SERVED_LOCK, state / "index" / "writer.lock"):
            if not place.exists():
                continue
            lock = FileLock(place, shared=False)
            stack.callback(lock.release)
            if not lock.take():
                raise CallError(
                    "the desk is being served, or gathered", str(state), "stop that first"
                )
        yield
