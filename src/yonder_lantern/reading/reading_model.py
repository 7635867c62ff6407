"""The reading model: English questions and passages → vectors that are near where they fit."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache, cached_property, partial
from pathlib import Path

from ..embedding import Transformer, vectors_of_all
from ..platform.storage import Array
from ..text import UNKNOWN
from .kept_weights import SHIPPED, load_weights
from .on_onnx_runtime import on_onnx_runtime
from .word_pieces import WordPieces

_MANY = 8  # texts for which a runtime that takes a moment to open is worth it
_ONE_TEXT = 1  # at a time: an index grown in steps has the vectors of one built at once
_LANGUAGES = ("en", UNKNOWN)  # of a text that it reads; short ones are often of no known language


class ReadingModel:
    """A small text encoder that was trained for finding by meaning.

    A text that is longer than the model takes is read in parts, whose vectors are averaged by
    their lengths: nothing is cut off. A text's vector is the same to the bit whatever is read with
    it; of many texts it is within 1e-5 of that where ONNX Runtime reads them.

    Parameters
    ----------
    transformer : Transformer
    pieces : WordPieces
    hash_ : str
        Of its weights.
    folder : Path
        Where its files are.
    """

    def __init__(
        self, transformer: Transformer, pieces: WordPieces, hash_: str, folder: Path = SHIPPED
    ) -> None:
        self._transformer = transformer
        self._folder = folder
        self._pieces = pieces
        self.hash = hash_
        self.dimensions = transformer.width

    @staticmethod
    def reads(language: str) -> bool:
        """Whether it is for a language."""
        return language in _LANGUAGES

    def vectors(self, texts: Sequence[str]) -> Array:
        """Unit vectors of texts.

        Parameters
        ----------
        texts : sequence of str

        Returns
        -------
        float32 array, shape (texts, dimensions)
        """
        pieces = [self._pieces.numbers(text) for text in texts]
        most = self._transformer.longest
        layers = self._fast if len(texts) >= _MANY else None
        forward = partial(self._transformer.vectors, layers=layers)
        return vectors_of_all(pieces, most, forward, self.dimensions, at_once=_ONE_TEXT)

    @cached_property
    def _fast(self) -> Callable[[Array], Array] | None:
        return on_onnx_runtime(self._transformer, self._folder)


@cache
def reading_model(folder: Path = SHIPPED) -> ReadingModel:
    """The model that ships, or one in a folder; loaded once in a process.

    Raises
    ------
    YonderError
        A file of it is missing, damaged, or of a later version.
    """
    transformer, pieces, hash_ = load_weights(folder)
    return ReadingModel(transformer, WordPieces(pieces), hash_, folder)
