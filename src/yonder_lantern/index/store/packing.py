"""A document as the bytes and strings of a row, and back; a change of either is noticed."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from typing import Any, overload

import numpy as np

from ...core import (
    OPEN_END,
    OPEN_START,
    Block,
    BlockKind,
    Difference,
    Document,
    Mark,
    Origin,
    OriginRun,
    microseconds,
)

_KINDS = {int(kind): kind for kind in BlockKind}


class _PackedRuns(Sequence[OriginRun]):
    """Runs as they are kept: a web page has thousands, and few of them are ever looked at."""

    def __init__(self, packed: bytes) -> None:
        self._rows = np.frombuffer(packed, dtype="<i4").reshape(-1, 4)

    def __len__(self) -> int:
        return len(self._rows)

    @overload
    def __getitem__(self, at: int) -> OriginRun: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[OriginRun]: ...
    def __getitem__(self, at: int | slice) -> OriginRun | Sequence[OriginRun]:
        if isinstance(at, slice):
            return tuple(OriginRun(*row) for row in self._rows[at].tolist())
        return OriginRun(*self._rows[at].tolist())

    def __iter__(self) -> Iterator[OriginRun]:
        return (OriginRun(*row) for row in self._rows.tolist())

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and tuple(self) == tuple(other)

    def __hash__(self) -> int:
        return hash(tuple(self))

    def __reduce__(self) -> tuple[type[_PackedRuns], tuple[bytes]]:
        return _PackedRuns, (self._rows.tobytes(),)


def metadata_of(document: Document) -> str:
    """What `DocumentStore.metadata` would give for a document."""
    return json.dumps(
        [
            json.dumps(dict(document.metadata), ensure_ascii=False, default=str),
            json.dumps(sorted(document.audience)),
            microseconds(document.valid_from, OPEN_START),
            microseconds(document.valid_until, OPEN_END),
            document.title,
            document.language,
        ]
    )


def _pack_blocks(blocks: tuple[Block, ...]) -> bytes:
    rows = [(int(b.kind), b.start, b.end, b.level, b.under, b.header) for b in blocks]
    return np.array(rows, dtype=np.int64).reshape(-1, 6).astype("<i4").tobytes()


def _pack_runs(origin: Origin) -> bytes:
    rows = [(r.start, r.end, r.original_start, r.original_end) for r in origin.runs]
    return np.array(rows, dtype=np.int64).reshape(-1, 4).astype("<i4").tobytes()


def packed(document: Document) -> tuple[bytes, bytes, str, str]:
    """A document's outline, runs, differences and marks, as they are kept."""
    return (
        _pack_blocks(document.blocks),
        _pack_runs(document.origin),
        json.dumps([[d.start, d.end, d.words] for d in document.origin.differences]),
        json.dumps(
            [
                [m.start, m.end, m.row, m.seconds, m.page, m.part, m.lines, m.anchor]
                for m in document.marks
            ]
        ),
    )


def content_hash(text: str, packed: tuple[bytes, bytes, str, str]) -> str:
    digest = hashlib.sha256(text.encode("utf-8", "surrogatepass"))
    for part in packed:
        digest.update(b"\0")
        digest.update(part if isinstance(part, bytes) else part.encode())
    return digest.hexdigest()


def linked_ids(document: Document) -> frozenset[str]:
    """The ids that a document's metadata names as belonging with it."""
    named = document.metadata.get("linked") or []
    return frozenset(str(one) for one in ([named] if isinstance(named, str) else named))


def checksum_of(text: str, packed: Sequence[bytes | str]) -> int:
    """The CRC-32 of a text and its outline, which is worked out faster than their hash."""
    found = zlib.crc32(text.encode("utf-8", "surrogatepass"))
    for part in packed:
        found = zlib.crc32(part if isinstance(part, bytes) else part.encode(), found)
    return found


def _mark(
    start: int, end: int, row: Any, seconds: Any, page: Any, part: str, lines: Any, anchor: str
) -> Mark:
    return Mark(
        start,
        end,
        row,
        tuple(seconds) if seconds else None,
        page,
        part,
        tuple(lines) if lines else None,
        anchor,
    )


def _moment(value: int) -> datetime | None:
    if value in (OPEN_START, OPEN_END):
        return None
    return datetime.fromtimestamp(value / 1_000_000, UTC)


def unpacked(row: tuple[object, ...]) -> Document:
    (_, id_, source, key, version, title, language, format_, text, blocks, origin) = row[:11]
    differences, marks, metadata, audience, valid_from, valid_until = row[11:17]
    packed = np.frombuffer(blocks, dtype="<i4").reshape(-1, 6).tolist()  # type: ignore[call-overload]
    return Document(
        id=str(id_),
        source=str(source),
        key=str(key),
        version=str(version),
        title=str(title),
        language=str(language),
        format=str(format_),
        text=str(text),
        blocks=tuple(Block(_KINDS[kind], *rest) for kind, *rest in packed),
        origin=Origin(
            _PackedRuns(origin),  # type: ignore[arg-type]
            tuple(Difference(*one) for one in json.loads(str(differences))),
        ),
        marks=tuple(_mark(*one) for one in json.loads(str(marks))),
        metadata=json.loads(str(metadata)),
        audience=frozenset(json.loads(str(audience))),
        valid_from=_moment(int(str(valid_from))),
        valid_until=_moment(int(str(valid_until))),
    )
