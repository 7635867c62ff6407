"""How alike two texts are, told from a short signature of each.

References
----------
Broder (1997), On the resemblance and containment of documents.
Li, Owen, Zhang (2012), One permutation hashing.
Shrivastava, Li (2014), Densifying one permutation hashing via rotation.
"""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from functools import lru_cache

import numpy as np

_BINS = 128
_SHINGLE = 3


@lru_cache(maxsize=200_000)
def _hash_of(word: str) -> int:
    return zlib.crc32(word.encode("utf-8", "replace"))


def shape_of(words: Sequence[str]) -> bytes:
    """The signature of a text: for each of some bins, the least hash of three words in a row.

    Parameters
    ----------
    words : sequence of str
        Of the text, folded.

    Examples
    --------
    >>> long = [part for n in range(300) for part in (f"word{n % 50}", "and", str(n))]
    >>> resemblance(shape_of(long), shape_of([*long, "more"])) > 0.9
    True
    """
    hashes = np.fromiter(map(_hash_of, words), np.uint64, len(words))
    size = max(1, len(hashes) - _SHINGLE + 1)
    mixed = np.zeros(size, np.uint64)
    with np.errstate(over="ignore"):
        for at in range(min(_SHINGLE, len(hashes))):
            mixed = mixed * np.uint64(0x9E3779B97F4A7C15) + hashes[at : at + size]
        mixed ^= mixed >> np.uint64(31)
        mixed *= np.uint64(0xBF58476D1CE4E5B9)
        mixed ^= mixed >> np.uint64(29)
    bins = (mixed >> np.uint64(57)).astype(np.int64)
    values = (mixed & np.uint64(0xFFFFFFFF)).astype(np.int64)
    least = np.full(_BINS, 1 << 32, np.int64)
    np.minimum.at(least, bins, values)
    empty = least == 1 << 32
    if empty.all():
        return b""
    for at in np.flatnonzero(empty).tolist():  # an empty bin takes from the next that is not
        step = 1
        while empty[(at + step) % _BINS]:
            step += 1
        least[at] = (least[(at + step) % _BINS] + step * 0x45D9F3B) & 0xFFFFFFFF
    return least.astype("<u4").tobytes()


def resemblance(one: bytes, other: bytes) -> float:
    """The estimated share of word triples that two texts have in common, 0 to 1."""
    if not one or not other:
        return 0.0
    return float(np.mean(np.frombuffer(one, "<u4") == np.frombuffer(other, "<u4")))


def alike(shapes: list[tuple[str, int, bytes]], *, least: float = 0.8) -> list[list[str]]:
    """Groups of documents that are identical or nearly so.

    Parameters
    ----------
    shapes : list of (id, content number, signature)
    least : float
        The resemblance from which two are nearly identical.

    Returns
    -------
    list of list of str
        Ids, each group and the list of them in order.
    """
    leader: dict[int, int] = {}

    def root(at: int) -> int:
        while leader.get(at, at) != at:
            at = leader[at]
        return at

    def join(one: int, other: int) -> None:
        one, other = root(one), root(other)
        leader[max(one, other)] = min(one, other)

    by_content: dict[int, int] = {}
    by_band: dict[tuple[int, bytes], list[int]] = {}
    for at, (_, content, shape) in enumerate(shapes):
        if content in by_content:
            join(by_content[content], at)
            continue
        by_content[content] = at
        for band in range(0, len(shape), 16):  # two that are alike agree in some four bins
            by_band.setdefault((band, shape[band : band + 16]), []).append(at)
    for positions in by_band.values():
        for at in positions[1:]:
            same = root(at) == root(positions[0])
            if not same and resemblance(shapes[positions[0]][2], shapes[at][2]) >= least:
                join(positions[0], at)
    groups: dict[int, list[str]] = {}
    for at, (id_, _, _) in enumerate(shapes):
        groups.setdefault(root(at), []).append(id_)
    return sorted(group for group in groups.values() if len(group) > 1)
