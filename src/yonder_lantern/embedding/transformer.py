"""The forward pass of a text encoder: pieces of text → one vector each.

Knows the layout of the BERT family (BERT, RoBERTa, DistilBERT) and nothing of files.

References
----------
Vaswani et al. (2017), Attention is all you need. Devlin, Chang, Lee, Toutanova
(2019), BERT: pre-training of deep bidirectional transformers. Hendrycks, Gimpel
(2016), Gaussian error linear units. Abramowitz, Stegun (1964), Handbook of
mathematical functions, 7.1.26, for the error function.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np

from ..platform.storage import Array

_ROWS = 192  # how many tokens go through a wide layer at a time: they stay in the core's cache
_ERF = (0.254829592, -0.284496736, 1.421413741, -1.453152027, 1.061405429)
_ERF_SCALE = 0.3275911


@dataclass(frozen=True, slots=True)
class Dense:
    """A layer ``x · weights + bias``; ``weights`` has shape (in, out)."""

    weights: Array
    bias: Array


@dataclass(frozen=True, slots=True)
class Scaling:
    """The learned scale and shift of a layer normalisation."""

    weight: Array
    bias: Array


@dataclass(frozen=True, slots=True)
class Layer:
    """One layer: attention, then two dense layers, each with its normalisation.

    ``mixed`` gives queries, keys and values side by side, shape (width, 3 · width).
    """

    mixed: Dense
    projected: Dense
    after_attention: Scaling
    widened: Dense
    narrowed: Dense
    after_widening: Scaling


class Rows(Protocol):
    """Vectors by number: an array, or what makes them as they are asked for."""

    @property
    def shape(self) -> tuple[int, ...]:
        """How many, and of how many dimensions."""

    def __getitem__(self, numbers: Array, /) -> Array:
        """Some of them, float32, in an array of their own."""


@dataclass(frozen=True, slots=True)
class Transformer:
    """The weights of an encoder.

    Attributes
    ----------
    tokens : Rows
        Of shape (vocabulary, width).
    positions : float32 array, shape (positions, width)
        The first row belongs to the first token.
    at_input : Scaling
    layers : tuple of Layer
    heads : int
    epsilon : float
        Of the normalisations.
    pooling : {"mean", "first"}
        Whether a text's vector is the mean over its tokens or that of the first.
    activation : {"gelu", "relu"}
    """

    tokens: Rows
    positions: Array
    at_input: Scaling
    layers: tuple[Layer, ...]
    heads: int
    epsilon: float
    pooling: Literal["mean", "first"]
    activation: Literal["gelu", "relu"] = "gelu"

    @property
    def width(self) -> int:
        """The number of dimensions of the vectors."""
        return int(self.tokens.shape[1])

    @property
    def longest(self) -> int:
        """The most tokens a text may have."""
        return len(self.positions)

    def vectors(
        self, batch: Sequence[Sequence[int]], layers: Callable[[Array], Array] | None = None
    ) -> Array:
        """Unit vectors of texts given as token numbers.

        Parameters
        ----------
        batch : sequence of sequence of int
            The special tokens included. Best of about the same length.
        layers : callable, optional
            What takes a single text's states through all layers in place of NumPy, both of
            shape (tokens, width); the batch is then of one text.

        Returns
        -------
        float32 array, shape (texts, width)
        """
        sizes = np.array([len(one) for one in batch])
        most = int(sizes.max())
        numbers = np.zeros((len(batch), most), dtype=np.int64)
        for row, one in enumerate(batch):
            numbers[row, : len(one)] = one
        there = np.arange(most) < sizes[:, None]
        states = self.tokens[numbers.ravel()].reshape(len(batch), most, self.width)
        states += self.positions[:most]
        flat = states.reshape(-1, self.width)
        _normalise(flat, self.at_input, self.epsilon)
        padded = None if there.all() else np.where(there, 0.0, -1e9).astype(np.float32)
        if layers is not None:
            flat = layers(flat)
        else:
            for layer in self.layers:
                flat = self._layer(layer, flat, len(batch), most, padded)
        states = flat.reshape(len(batch), most, self.width)
        if self.pooling == "first":
            pooled = np.array(states[:, 0])
        else:
            weights = there.astype(np.float32) / sizes[:, None].astype(np.float32)
            pooled = np.matmul(weights[:, None, :], states)[:, 0]
        lengths = np.linalg.norm(pooled, axis=1, keepdims=True)
        return np.asarray(pooled / np.maximum(lengths, 1e-12), dtype=np.float32)

    def _layer(
        self, layer: Layer, flat: Array, texts: int, most: int, padded: Array | None
    ) -> Array:
        mixed = flat @ layer.mixed.weights
        mixed += layer.mixed.bias
        heads = mixed.reshape(texts, most, 3, self.heads, self.width // self.heads)
        queries, keys, values = (heads[:, :, part].transpose(0, 2, 1, 3) for part in range(3))
        context = np.empty((texts, most, self.heads, self.width // self.heads), dtype=np.float32)
        for text in range(texts):  # one text's attention at a time stays in the cache
            weights = np.matmul(queries[text], keys[text].transpose(0, 2, 1))
            if padded is not None:
                weights += padded[text]
            weights -= weights.max(axis=2, keepdims=True)
            np.exp(weights, out=weights)
            sums = weights.sum(axis=2, keepdims=True)
            found = np.matmul(weights, values[text])
            found /= sums
            context[text] = found.transpose(1, 0, 2)
        attended = context.reshape(-1, self.width) @ layer.projected.weights
        attended += layer.projected.bias
        attended += flat
        _normalise(attended, layer.after_attention, self.epsilon)
        for start in range(0, len(attended), _ROWS):
            rows = attended[start : start + _ROWS]
            wide = rows @ layer.widened.weights
            wide += layer.widened.bias
            if self.activation == "gelu":
                _gelu(wide)
            else:
                np.maximum(wide, 0.0, out=wide)
            out = wide @ layer.narrowed.weights
            out += layer.narrowed.bias
            rows += out
            _normalise(rows, layer.after_widening, self.epsilon)
        return attended


def _normalise(rows: Array, scaling: Scaling, epsilon: float) -> None:
    """Layer normalisation, in place."""
    for start in range(0, len(rows), _ROWS):
        part = rows[start : start + _ROWS]
        part -= part.mean(axis=1, keepdims=True)
        spread = np.einsum("ij,ij->i", part, part)[:, None] / part.shape[1]
        part /= np.sqrt(spread + epsilon)
        part *= scaling.weight
        part += scaling.bias


def _gelu(values: Array) -> None:
    """``x · Φ(x)``, in place, within 3e-7 of the exact one.

    Examples
    --------
    >>> values = np.array([[-1.0, 0.0, 2.0]], dtype=np.float32)
    >>> _gelu(values)
    >>> (values * 10_000).round().astype(int).tolist()
    [[-1587, 0, 19545]]
    """
    part = np.abs(values)
    part *= np.float32(_ERF_SCALE / np.sqrt(2))
    part += np.float32(1)
    np.reciprocal(part, out=part)
    tail = part * np.float32(_ERF[4])
    for coefficient in reversed(_ERF[:4]):
        tail += np.float32(coefficient)
        tail *= part
    np.multiply(values, values, out=part)
    part *= np.float32(-0.5)
    np.exp(part, out=part)
    tail *= part  # 1 - erf(|x| / √2)
    tail *= np.float32(0.5)
    # x · Φ(x) is x - x · tail for positive x and x · tail for negative: max(x, 0) - |x| · tail
    np.abs(values, out=part)
    tail *= part
    np.maximum(values, 0.0, out=values)
    values -= tail
