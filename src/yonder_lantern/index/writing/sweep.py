"""Deleting what no generation in use needs any more."""

from __future__ import annotations

import shutil
from pathlib import Path

from ...platform.storage import FileLock
from ..manifest import Manifest
from ..reading_vectors import is_of_a_segment
from ..store import DocumentStore


def sweep(folder: Path, manifest: Manifest, store: DocumentStore) -> None:
    """Delete what no generation in use needs any more."""
    for lease in (folder / "leases").iterdir():
        if lease.name == str(manifest.generation):
            continue
        lock = FileLock(lease, shared=False)
        free = lock.take()
        if free:
            lease.unlink(missing_ok=True)
        lock.release()
        if not free:
            return  # an older generation is still being read: sweep another time
    names = {entry.name for entry in manifest.segments}
    embedding_entry = manifest.embedding
    wanted = {
        "segments": names,
        "vectors": {f"{name}.{embedding_entry.key}" for name in names}
        if embedding_entry
        else set(),
        "deletions": {e.deletions for e in manifest.segments},
        "rows": {e.rows for e in manifest.segments},
        "embeddings": {embedding_entry.hash} if embedding_entry else set(),
        "topics": {manifest.topics.name} if manifest.topics else set(),
    }
    for name, kept in wanted.items():
        for path in (folder / name).iterdir():
            if path.name not in kept and not is_of_a_segment(path.name, names):
                shutil.rmtree(path) if path.is_dir() else path.unlink()
    store.sweep(manifest.generation)
