"""Files that are archives inside (office files, EPUB): opened with limits."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from types import TracebackType
from typing import IO

from ...core import FormatError, LimitError, Limits

_COMPOUND = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_DAMAGE = (
    zipfile.BadZipFile,
    zlib.error,
    struct.error,
    EOFError,
    OSError,
    NotImplementedError,
    RuntimeError,
    ValueError,
)
_MOST_ENTRIES = 10_000


class Archive:
    """A ZIP archive whose expanded size has been seen to be within the limits.

    Sizes are those that the archive's own list gives, and are held to when an
    entry is read: one that is longer than it says is refused.
    """

    def __init__(self, data: bytes, limits: Limits, what: str) -> None:
        if data.startswith(_COMPOUND):
            raise FormatError(
                f"it is protected by a password, or older than today's {what} format",
                remedy="save it anew without a password",
            )
        try:
            self._zip = zipfile.ZipFile(io.BytesIO(data))
        except _DAMAGE:
            raise FormatError(
                f"it is not a {what} file, or only part of one",
                remedy="fix its name, or fetch it again",
            ) from None
        entries = self._zip.infolist()
        total = sum(entry.file_size for entry in entries)
        if len(entries) > _MOST_ENTRIES or total > limits.expanded_bytes:
            raise LimitError(
                f"unpacked it has {len(entries)} files of {total / 1e6:.0f} MB; "
                f"the limit is {limits.expanded_bytes / 1e6:.0f} MB",
                remedy="raise gather.max_expanded_megabytes, or exclude it",
            )
        if any(entry.flag_bits & 1 for entry in entries):
            raise FormatError("it is protected by a password", remedy="save it without one")
        self.names = [entry.filename for entry in entries]

    def __enter__(self) -> Archive:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._zip.close()

    def read(self, name: str) -> bytes:
        """The contents of one entry; `FormatError` when it is not there or is damaged."""
        try:
            with self._zip.open(name) as entry:
                return _whole(entry, self._zip.getinfo(name).file_size)
        except KeyError:
            raise FormatError(f"a part of it is missing: {name}", remedy="save it anew") from None
        except _DAMAGE as error:
            raise FormatError(
                f"a part of it is damaged: {name} ({error})", remedy="fetch it again"
            ) from None

    @classmethod
    def checked(cls, data: bytes, limits: Limits, what: str) -> list[str]:
        """Read every entry, so that a library that opens it meets no surprise; their names."""
        with cls(data, limits, what) as archive:
            for name in archive.names:
                if not name.endswith("/"):
                    archive.read(name)
            return archive.names


def _whole(entry: IO[bytes], size: int) -> bytes:
    data = entry.read(size + 1)
    if len(data) > size:
        raise zipfile.BadZipFile("longer than it says")
    return data
