"""Audio and video files as a source: their subtitles, or what a service hears on them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from decimal import Decimal
from functools import partial
from pathlib import Path

from ...core import FormatError, Item, Money, SettingsError, Stamp, YonderError, optional
from ...platform.services import Segment, transcribe
from ...settings import FolderSettings, RecordingSettings, ServiceSettings
from .fetched_recordings import FetchedRecordings
from .folder import FolderSource
from .service_cache import Copy, ServiceCache
from .sound import sound_of
from .source import SourceContext

SUFFIXES = frozenset(".wav .mp3 .m4a .ogg .oga .opus .flac .aac .mp4 .m4v .mov .mkv .webm".split())
_SUBTITLES = (".vtt", ".srt")
_STORE = "transcripts"


class RecordingSource:
    """The recordings below a folder, or behind an address.

    Subtitles beside a recording, of its name and ending in ``.vtt`` or ``.srt``,
    are its text. One without is sent to the transcription service that the source
    names, once: what comes back is kept by the recording's own hash.
    """

    def __init__(self, settings: RecordingSettings, context: SourceContext) -> None:
        self._settings = settings
        self._context = context
        self._where = f"[[source]] {settings.name!r}"
        self._files: FolderSource | FetchedRecordings
        if settings.recordings.startswith(("http://", "https://")):
            self._files = FetchedRecordings(settings, context, SUFFIXES)
            return
        self._files = FolderSource.open(
            FolderSettings(
                name=settings.name,
                folder=settings.recordings,
                include=settings.include,
                exclude=settings.exclude,
                audience=settings.audience,
            ),
            context,
        )

    def check(self) -> None:
        """Raise an error when the folder or the transcription's profile is not there."""
        self._files.check()
        self._service()

    def _service(self) -> ServiceSettings | None:
        name = self._settings.transcription
        if not name:
            return None
        if name not in self._context.services:
            known = ", ".join(sorted(self._context.services)) or "none yet"
            raise SettingsError(
                f"there is no service {name!r}",
                f"{self._where}, transcription",
                f"describe it as [service.{name}]; known: {known}",
            )
        return self._context.services[name]

    def items(self) -> Iterator[Item]:
        """The recordings, ordered by path."""
        folder = self._files.folder
        for item in self._files.items():
            if item.unlisted:
                yield item
                continue
            path = folder / item.key
            if not path.exists():  # it could not be fetched, and reading it says why
                yield item
                continue
            if path.suffix.lower() not in SUFFIXES:
                continue
            beside = next(
                (path.with_suffix(one) for one in _SUBTITLES if path.with_suffix(one).exists()),
                None,
            )
            if beside is not None:
                yield self._subtitled(item, beside)
            else:
                yield self._to_transcribe(item, path)

    def _subtitled(self, item: Item, subtitles: Path) -> Item:
        status = subtitles.stat()
        return Item(
            item.source,
            item.key,
            partial(Path.read_bytes, subtitles),
            Stamp(status.st_size, status.st_mtime_ns),
            item.audience,
            {"recording": item.key},
            f"{subtitles.stem}{subtitles.suffix}",
        )

    def _to_transcribe(self, item: Item, path: Path) -> Item:
        service = self._service()
        read = partial(self._transcript, path, service)
        price = Money()
        seconds = 0.0
        if service is not None and not self._known(path, service):
            try:
                seconds = length_of(path)
            except YonderError as error:
                read = partial(_refuse, error)
            price = Money(
                Decimal(service.price) * Decimal(seconds) / 3600,
                service.currency,
                service.simulated,
            )
        return Item(
            item.source,
            item.key,
            read,
            Stamp(0, item.stamp.modified_ns),  # a transcript's size is not the recording's
            item.audience,
            {"recording": item.key},
            f"{path.stem}.vtt",
            price=price,
            seconds=seconds,
        )

    def _known(self, path: Path, service: ServiceSettings) -> bool:
        with ServiceCache(self._context.state, _STORE) as kept:
            return kept.get(self._name(path, service)) is not None

    def _name(self, path: Path, service: ServiceSettings) -> str:
        """What a transcript is kept under: the recording, and what was asked about it."""
        asked = [service.address, service.fields, self._settings.likely_words]
        text = json.dumps(asked, sort_keys=True)
        status = path.stat()
        seen = f"{path} {status.st_size} {status.st_mtime_ns} {text}"  # not hashed again and again
        with ServiceCache(self._context.state, _STORE) as kept:
            known = kept.get(seen)
            if known is not None:
                return str(known.about["name"])
            digest = hashlib.sha256(text.encode())
            with path.open("rb") as opened:
                while chunk := opened.read(1 << 20):
                    digest.update(chunk)
            kept.put(seen, Copy(b"", {"name": digest.hexdigest()}))
        return digest.hexdigest()

    def _transcript(self, path: Path, service: ServiceSettings | None) -> bytes:
        if service is None:
            raise FormatError(
                "it has no subtitles beside it, and its source names no transcription",
                remedy=f"put {path.stem}.vtt beside it, or set `transcription`",
            )
        name = self._name(path, service)
        with ServiceCache(self._context.state, _STORE) as kept:
            known = kept.get(name)
            if known is not None:
                return known.body
            sound, sent_as = sound_of(path)
            segments = transcribe(
                service,
                sound,
                sent_as,
                likely_words=self._settings.likely_words,
                cancel=self._context.cancel,
            )
            data = as_subtitles(segments)
            kept.put(name, Copy(data, {"recording": path.name}))
            return data


def _refuse(error: YonderError) -> bytes:
    raise error


def length_of(path: Path) -> float:
    """How long a recording is, in seconds."""
    mutagen = optional("mutagen", "recordings", "measuring a recording")
    try:
        found = mutagen.File(str(path))
    except Exception as error:
        raise FormatError(
            f"the recording is damaged: {error}", str(path), "fetch it again"
        ) from None
    if found is None or found.info is None:
        raise FormatError("it is not a recording of a known kind", str(path), "exclude it")
    return float(found.info.length)


def as_subtitles(segments: list[Segment]) -> bytes:
    """What was heard, as WebVTT.

    Examples
    --------
    >>> print(as_subtitles([Segment(1.5, 3.0, "Keep to the channel.", "Pilot")]).decode())
    WEBVTT
    <BLANKLINE>
    00:00:01.500 --> 00:00:03.000
    <v Pilot>Keep to the channel.
    <BLANKLINE>
    """
    cues = ["WEBVTT\n"]
    for one in segments:
        words = " ".join(one.words.split()).replace("&", "&amp;").replace("<", "&lt;")
        voice = f"<v {one.speaker.replace('>', '')}>" if one.speaker else ""
        cues.append(f"{_clock(one.begin)} --> {_clock(one.end)}\n{voice}{words}\n")
    return "\n".join(cues).encode("utf-8")


def _clock(seconds: float) -> str:
    thousandths = round(seconds * 1000)
    minutes, rest = divmod(thousandths, 60_000)
    return f"{minutes // 60:02d}:{minutes % 60:02d}:{rest // 1000:02d}.{rest % 1000:03d}"
