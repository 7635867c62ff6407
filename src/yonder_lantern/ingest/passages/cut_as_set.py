"""Cutting documents as the settings want it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache

from ...core import Document, Passage
from ...platform.storage import Array
from ...settings import PassageSettings
from .cut import cut


def cut_as_set(
    document: Document, settings: PassageSettings, starts: Sequence[int] | None = None
) -> list[Passage]:
    """A document's passages, as the settings want them; ``starts`` is as for `cut`."""
    return cut(
        document,
        tokens=settings.tokens,
        overlap=settings.overlap,
        max_tokens=settings.max_tokens,
        boundaries=settings.boundaries,
        vectors=_vectors(document.language) if settings.boundaries == "meaning" else None,
        starts=starts,
    )


@cache
def _vectors(language: str) -> Callable[[Sequence[str]], Array] | None:
    """What tells the meaning of sentences in a language; None if nothing does."""
    from ...embedding.lexicon import LexiconMethod, ShippedWords

    return ShippedWords().sums if language in LexiconMethod.languages else None
