"""Recordings behind an address: one, or those that the entries of a feed enclose."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from urllib.parse import unquote, urlsplit

from ...core import FormatError, Item, LimitError, ServiceError, Stamp, YonderError, optional
from ...platform.http import Client, Reply
from ...platform.storage import private_folder, write_bytes
from ...settings import FolderSettings, RecordingSettings
from .folder import FolderSource
from .source import SourceContext, fail_with

_FOLDER = "fetched"
_MOST = 500  # recordings of a feed
_TYPES = {"audio/mpeg": ".mp3", "audio/ogg": ".ogg", "audio/wav": ".wav", "audio/x-wav": ".wav",
          "audio/mp4": ".m4a", "audio/flac": ".flac", "video/mp4": ".mp4",
          "video/webm": ".webm"}  # fmt: skip


class FetchedRecordings:
    """A folder of what was fetched; a recording that was fetched once is not fetched again.

    Parameters
    ----------
    settings : RecordingSettings
        Its ``recordings`` is an address.
    context : SourceContext
    suffixes : collection of str
        What recordings end in.
    """

    def __init__(
        self, settings: RecordingSettings, context: SourceContext, suffixes: frozenset[str]
    ) -> None:
        self._settings = settings
        self._context = context
        self._suffixes = suffixes
        self.folder = context.state / _FOLDER
        self._failed: list[tuple[str, YonderError]] = []

    def check(self) -> None:
        """Nothing is asked before a gather."""

    def items(self) -> Iterator[Item]:
        """What was fetched, by name; and what could not be."""
        private_folder(self.folder)
        self._fetch()
        audience = frozenset(self._settings.audience)
        for name, error in self._failed:
            read = partial(fail_with, error)
            yield Item(self._settings.name, name, read, Stamp(0, 0), audience, {}, "x.vtt")
        files = FolderSource.open(
            FolderSettings(
                name=self._settings.name,
                folder=str(self.folder),
                include=self._settings.include,
                exclude=self._settings.exclude,
                audience=self._settings.audience,
            ),
            self._context,
        )
        yield from files.items()

    def _fetch(self) -> None:
        address = self._settings.recordings
        self._failed = []
        with Client(
            private_hosts=self._settings.private_hosts,
            most_bytes=self._context.limits.bytes,
            holders=(address,),
            cancel=self._context.cancel,
        ) as client:
            if self._is_recording(address):
                self._keep(client, address, "")
                return
            reply = client.get(address)
            if reply.status != 200:
                raise ServiceError(
                    f"the server answers with status {reply.status}", address, "fix the address"
                )
            if reply.kind in _TYPES:
                self._write(address, reply)
                return
            for link, kind in _enclosed(reply.body)[:_MOST]:
                self._keep(client, link, kind)

    def _is_recording(self, address: str) -> bool:
        return Path(urlsplit(address).path).suffix.lower() in self._suffixes

    def _keep(self, client: Client, address: str, kind: str) -> None:
        """Fetch one, if it is not there yet."""
        if not self._is_recording(address) and kind not in _TYPES:
            return
        if self._path(address, kind).exists():
            return
        try:
            reply = client.get(address)
            if reply.status != 200:
                raise ServiceError(f"the server answers with status {reply.status}", address)
            self._write(address, reply, kind)
        except (ServiceError, LimitError) as error:
            self._failed.append((self._path(address, kind).name, error))

    def _write(self, address: str, reply: Reply, kind: str = "") -> None:
        beside = self.folder / ".coming"
        write_bytes(beside, reply.body)
        beside.replace(self._path(address, kind or reply.kind))

    def _path(self, address: str, kind: str) -> Path:
        """Where a recording is kept: its own name, with a mark of the whole address."""
        last = Path(unquote(urlsplit(address).path))
        suffix = last.suffix.lower()
        if suffix not in self._suffixes:
            suffix = _TYPES.get(kind, ".mp3")
        stem = re.sub(r"[^\w.-]+", "-", last.stem).strip("-.")[:60] or "recording"
        mark = hashlib.sha256(address.encode("utf-8", "replace")).hexdigest()[:8]
        return self.folder / f"{stem}-{mark}{suffix}"


def _enclosed(data: bytes) -> list[tuple[str, str]]:
    """The recordings that a feed's entries enclose: addresses and media types.

    Raises
    ------
    FormatError
        It is no feed.
    """
    feedparser = optional("feedparser", "web", "reading a feed")
    found = feedparser.parse(data)
    if not found.get("version"):
        raise FormatError("not a recording or a feed of recordings")
    links = [one for entry in found.entries for one in entry.get("enclosures", [])]
    return [
        (str(one.get("href", "")), str(one.get("type", ""))) for one in links if one.get("href")
    ]
