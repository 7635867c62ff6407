"""The weights of the reading model as they are kept: bytes with scales, in small files."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from ..core import YonderError
from ..embedding import Dense, Layer, Scaling, Transformer
from ..platform.storage import Array, write_bytes

SHIPPED = Path(__file__).parent / "data"
_ABOUT, _PIECES, _NUMBERS = "model.json", "pieces.txt", "numbers.npy"
_FORMAT = 1  # goes up when files of an earlier one cannot be read any more
_PART_BYTES = 3_900_000  # of a file at most: version control keeps such files whole
_DENSE = ("mixed", "projected", "widened", "narrowed")
_SCALED = ("after_attention", "after_widening")
_REMEDY = "install the package again"


class TokenRows:
    """The vectors of pieces: bytes and a scale each, made floats as they are asked for.

    Parameters
    ----------
    parts : sequence of int8 arrays, shape (pieces of the part, width)
        One after the other, all but the last of one length.
    scales : float32 array, shape (pieces,)
    """

    def __init__(self, parts: Sequence[Array], scales: Array) -> None:
        self._parts = parts
        self._scales = scales
        self.shape = (len(scales), int(parts[0].shape[1]))

    def __getitem__(self, numbers: Array) -> Array:
        """The vectors of some pieces, float32, shape (numbers, width)."""
        found = np.empty((len(numbers), self.shape[1]), dtype=np.float32)
        in_part, row = np.divmod(numbers, len(self._parts[0]))
        for number, part in enumerate(self._parts):
            here = in_part == number
            found[here] = part[row[here]]
        found *= self._scales[numbers][:, None]
        return found


def save_weights(
    folder: Path, matrices: Mapping[str, Array], vectors: Mapping[str, Array], about: dict[str, Any]
) -> str:
    """Write a model's weights into a folder; the hash of them.

    Parameters
    ----------
    folder : Path
        Holds ``pieces.txt`` already, a piece a line.
    matrices : mapping of str to float32 arrays, shape (out, in)
        ``tokens``, ``positions``, and for each layer ``0.mixed`` and so on; each row is kept as
        bytes and a scale.
    vectors : mapping of str to float32 arrays
        Biases and scalings, kept as they are.
    about : dict
        ``heads``, ``epsilon``, and where it comes from.
    """
    digest = hashlib.sha256((folder / _PIECES).read_bytes())
    numbers, rows, shapes = [], {}, {}
    for name, matrix in matrices.items():
        scales = np.maximum(np.abs(matrix).max(axis=1) / 127, 1e-12).astype(np.float32)
        rows[name] = np.clip(np.rint(matrix / scales[:, None]), -127, 127).astype(np.int8)
        shapes[name] = list(matrix.shape)
        numbers.append(scales)
    numbers += [np.asarray(vector, dtype=np.float32) for vector in vectors.values()]
    files = {_NUMBERS: np.concatenate(numbers)}
    step = _PART_BYTES // matrices["tokens"].shape[1]
    tokens = rows.pop("tokens")
    for part, at in enumerate(range(0, len(tokens), step)):
        files[f"tokens.{part}.npy"] = tokens[at : at + step]
    stream = np.concatenate([own.ravel() for own in rows.values()])
    for part, at in enumerate(range(0, len(stream), _PART_BYTES)):
        files[f"layers.{part}.npy"] = stream[at : at + _PART_BYTES]
    sums = {}
    for name, values in files.items():
        np.save(folder / name, values)
        data = (folder / name).read_bytes()
        sums[name] = zlib.crc32(data)
        digest.update(data)
    kept = {
        "format": _FORMAT,
        "hash": digest.hexdigest()[:16],
        "matrices": shapes,
        "vectors": {name: len(vector) for name, vector in vectors.items()},
        "sums": sums,
        "about": about,
    }
    write_bytes(folder / _ABOUT, json.dumps(kept, indent=1).encode())
    return str(kept["hash"])


def load_weights(folder: Path = SHIPPED) -> tuple[Transformer, list[str], str]:
    """A model's weights, its pieces and its hash.

    The pieces' vectors stay bytes and are mapped; the layers are made floats.

    Raises
    ------
    YonderError
        A file is missing, damaged, or of a later version.
    """
    try:
        kept = json.loads((folder / _ABOUT).read_bytes())
        if kept["format"] != _FORMAT:
            raise ValueError(f"its format is {kept['format']}; this version reads {_FORMAT}")
        read = {}
        for name, expected in kept["sums"].items():
            read[name] = np.load(folder / name, mmap_mode="r")
            if zlib.crc32((folder / name).read_bytes()) != expected:
                raise ValueError(f"{name} does not fit its checksum")
        pieces = (folder / _PIECES).read_text(encoding="utf-8").split("\n")
        return _transformer(kept, read), pieces, str(kept["hash"])
    except (OSError, ValueError, KeyError, TypeError, IndexError) as error:
        raise YonderError(
            f"the reading model cannot be read: {error}", str(folder), _REMEDY
        ) from error


def _transformer(kept: dict[str, Any], read: Mapping[str, Array]) -> Transformer:
    numbers = read[_NUMBERS]
    scales, at = {}, 0
    for name, (rows, _) in kept["matrices"].items():
        scales[name] = np.array(numbers[at : at + rows])
        at += rows
    vectors = {}
    for name, length in kept["vectors"].items():
        vectors[name] = np.array(numbers[at : at + length])
        at += length
    matrices = dict(_floats(kept["matrices"], scales, _in_parts(read, "layers")))

    def dense(name: str) -> Dense:
        return Dense(np.ascontiguousarray(matrices[name].T), vectors[f"{name}.bias"])

    def scaling(name: str) -> Scaling:
        return Scaling(vectors[f"{name}.weight"], vectors[f"{name}.bias"])

    count = sum(name.endswith(".mixed") for name in matrices)
    layers = []
    for number in range(count):
        mixed, projected, widened, narrowed = (dense(f"{number}.{name}") for name in _DENSE)
        first, last = (scaling(f"{number}.{name}") for name in _SCALED)
        layers.append(Layer(mixed, projected, first, widened, narrowed, last))
    about = kept["about"]
    return Transformer(
        TokenRows(_in_parts(read, "tokens"), scales["tokens"]),
        matrices["positions"],
        scaling("at_input"),
        tuple(layers),
        int(about["heads"]),
        float(about["epsilon"]),
        "mean",
    )


def _in_parts(read: Mapping[str, Array], name: str) -> list[Array]:
    own = sorted(
        (key for key in read if key.startswith(f"{name}.")), key=lambda key: (len(key), key)
    )
    return [read[key] for key in own]


def _floats(
    shapes: Mapping[str, Sequence[int]], scales: Mapping[str, Array], parts: Sequence[Array]
) -> Iterator[tuple[str, Array]]:
    """Every matrix but the pieces', float32, one after the other out of the parts."""
    stream = np.concatenate(parts)
    at = 0
    for name, (rows, columns) in shapes.items():
        if name != "tokens":
            values = stream[at : at + rows * columns].reshape(rows, columns)
            yield name, values.astype(np.float32) * scales[name][:, None]
            at += rows * columns
