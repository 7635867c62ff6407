"""Texts of any length through a model that takes so many pieces: in parts, a few at a time."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager
from functools import cache
from typing import Any

import numpy as np

from ..platform.storage import Array
from .spherical import unit_rows


def vectors_of_all(
    texts: Sequence[Sequence[int]],
    most: int,
    vectors: Callable[[Sequence[Sequence[int]]], Array],
    dimensions: int,
    at_once: int = 4096,
) -> Array:
    """Unit vectors of texts given as pieces; of a longer one, the mean of its parts by length.

    Parameters
    ----------
    texts : sequence of sequence of int
        The signs for start and end included.
    most : int
        The most pieces of one part.
    vectors : callable
        Gives unit vectors of some parts of about the same length.
    dimensions : int
    at_once : int, default 4096
        Pieces of the texts that are worked on together; 1 is one text at a time, whose vector is
        then the same to the bit whatever else is asked for.

    Returns
    -------
    float32 array, shape (texts, dimensions)
    """
    parts: list[Sequence[int]] = []
    owners: list[int] = []
    for owner, text in enumerate(texts):
        own = _in_parts(text, most)
        parts += own
        owners += [owner] * len(own)
    found = np.zeros((len(parts), dimensions), dtype=np.float32)

    def fill(batch: Sequence[int]) -> None:
        found[batch] = vectors([parts[at] for at in batch])

    batches = _batches(parts, at_once)
    with _one_thread_each():
        if len(batches) == 1:
            fill(batches[0])
        else:  # a batch on each core, instead of all cores on each matrix: nothing waits
            with ThreadPoolExecutor(_cores()) as pool:
                list(pool.map(fill, reversed(batches)))  # the longest first: the end is then even
    if len(parts) == len(texts):
        return found
    whole = np.zeros((len(texts), dimensions), dtype=np.float32)
    sizes = np.array([len(part) for part in parts], dtype=np.float32)
    np.add.at(whole, owners, found * sizes[:, None])
    whole = unit_rows(whole)
    counts = np.bincount(owners, minlength=len(texts))
    alone = counts[owners] == 1
    whole[np.array(owners)[alone]] = found[alone]  # to the bit what they are without the others
    return whole


def _cores() -> int:
    if hasattr(os, "sched_getaffinity"):
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


def _one_thread_each() -> AbstractContextManager[object]:
    """Matrices are multiplied by the thread that asks for it, which waits for no other."""
    limit: AbstractContextManager[object] = _controller().limit(limits=1)
    return limit


@cache
def _controller() -> Any:
    from threadpoolctl import ThreadpoolController

    return ThreadpoolController()


def _in_parts(text: Sequence[int], most: int) -> list[Sequence[int]]:
    """A text's pieces in parts of about one length, each with the signs for start and end."""
    if len(text) <= most:
        return [text]
    first, *inner, last = text
    count = -(-len(inner) // (most - 2))
    size = -(-len(inner) // count)
    return [[first, *inner[at : at + size], last] for at in range(0, len(inner), size)]


def _batches(parts: Sequence[Sequence[int]], at_once: int) -> list[list[int]]:
    """Parts of about the same length together, by number."""
    batches: list[list[int]] = []
    for at in sorted(range(len(parts)), key=lambda one: len(parts[one])):
        if batches and (len(batches[-1]) + 1) * len(parts[at]) <= at_once:
            batches[-1].append(at)
        else:
            batches.append([at])
    return batches
