"""A lexicon as it is kept: vectors of words and of pieces of words, small and mapped."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from ...core import IndexStateError
from ...platform.storage import (
    Array,
    StoredArray,
    TermTable,
    byte_order,
    checked_array,
    map_array,
    save_array,
    sealed,
    unsealed,
    whole_folder,
    write_bytes,
)

SHIPPED = Path(__file__).parent / "data"
_ABOUT = "lexicon.json"
_PART_BYTES = 4_000_000  # of a file of rows at most: version control keeps such files whole
_ROWS = "rows.{}.npy"
_REMEDY = "put it back, or install the package again"


@dataclass(frozen=True, slots=True)
class LexiconTable:
    """Vectors of units, each as bytes and a scale.

    Attributes
    ----------
    units : TermTable
    parts : tuple of int8 arrays, shape (units of the part, dimensions)
        The rows of the units, one part after the other, all but the last of one length.
    scales : float16 array, shape (units,)
        A unit's vector is its row times its scale.
    hash : str
        Of the numbers, and of the units.
    about : dict
        Where it comes from, as told by who made it.
    """

    units: TermTable
    parts: tuple[StoredArray, ...]
    scales: Array
    hash: str
    about: dict[str, Any] = field(default_factory=dict)

    @classmethod
    def of(
        cls,
        units: Sequence[str],
        vectors: Array,
        about: dict[str, Any],
    ) -> LexiconTable:
        """A table of float vectors, each rounded to 127 steps up and down of its largest number."""
        import hashlib

        order = sorted(range(len(units)), key=lambda number: byte_order(units[number]))
        sorted_vectors = vectors[order].astype(np.float32)
        scales = (np.abs(sorted_vectors).max(axis=1) / 127).astype(np.float16)
        steps = np.maximum(scales.astype(np.float32), 1e-12)[:, None]
        rows = np.clip(np.rint(sorted_vectors / steps), -127, 127).astype(np.int8)
        digest = hashlib.sha256(b"\n".join(byte_order(units[number]) for number in order))
        digest.update(rows.tobytes())
        digest.update(scales.tobytes())
        table = TermTable.of([units[number] for number in order])
        step = max(1, _PART_BYTES // max(1, rows.shape[1]))
        parts = tuple(rows[start : start + step] for start in range(0, max(1, len(rows)), step))
        return cls(table, parts, scales, digest.hexdigest()[:16], about)

    @property
    def dimensions(self) -> int:
        """Of every vector."""
        return int(self.parts[0].shape[1])

    def vectors(self, numbers: Array) -> Array:
        """The vectors of units, float32, shape (numbers, dimensions)."""
        found = np.empty((len(numbers), self.dimensions), dtype=np.float32)
        in_part, row = np.divmod(numbers, max(1, len(self.parts[0])))
        for number, part in enumerate(self.parts):
            here = in_part == number
            found[here] = part[row[here]]
        found *= self.scales[numbers].astype(np.float32)[:, None]
        return found

    def save(self, folder: Path) -> None:
        """Write it into a folder of its own, in place of an earlier one."""
        with whole_folder(folder) as beside:
            self.write(beside)

    def write(self, folder: Path) -> None:
        """Write its files into a folder that is there."""
        self.units.save(folder, "units")
        for number, part in enumerate(self.parts):
            save_array(folder / _ROWS.format(number), np.asarray(part))
        save_array(folder / "scales.npy", self.scales)
        write_bytes(folder / _ABOUT, sealed({"hash": self.hash, "about": self.about}, indent=1))

    @classmethod
    def load(cls, folder: Path, remedy: str = _REMEDY) -> LexiconTable:
        """Map a table from a folder; ``remedy`` is what helps when it is damaged.

        Raises
        ------
        IndexStateError
            It is missing or damaged.
        """
        try:
            shipped = folder == SHIPPED  # the package's own files have no checksums
            data = (folder / _ABOUT).read_bytes()
            kept = json.loads(data) if shipped else unsealed(data)
            read = map_array if shipped else checked_array
            units = TermTable.load(folder, "units", shipped=shipped)
            scales = np.asarray(read(folder / "scales.npy"))
            count = len(list(folder.glob(_ROWS.format("*"))))
            parts = tuple(read(folder / _ROWS.format(n)) for n in range(max(1, count)))
            if not len(units) == sum(map(len, parts)) == len(scales):
                raise ValueError("its parts are of different lengths")
            return cls(units, parts, scales, str(kept["hash"]), dict(kept["about"]))
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise IndexStateError(
                f"the lexicon cannot be read: {error}", str(folder), remedy
            ) from error


def is_table(folder: Path) -> bool:
    """Whether a folder holds a lexicon, whole or damaged."""
    return (folder / _ABOUT).exists()
