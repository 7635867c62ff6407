"""Phrasings of different replies that could be taken for each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..embedding import Embedding
from .matching import Phrasings

_COLLIDES = 0.7  # probability from which on a phrasing could mean another reply


@dataclass(frozen=True, slots=True)
class Collision:
    """A phrasing of one reply that another reply's phrasings are close to.

    ``sure`` is how sure a question in these words would be taken for the other one.
    """

    reply: str
    phrasing: str
    other: str
    other_phrasing: str
    sure: float


def collisions(
    named: Sequence[tuple[str, Sequence[str]]], embedding: Embedding | None
) -> list[Collision]:
    """The phrasings that collide, the worst first.

    Parameters
    ----------
    named : sequence of (str, sequence of str)
        Replies with their phrasings.
    embedding : Embedding or None
        Of the index.

    Examples
    --------
    >>> [one.other for one in collisions(
    ...     [("hours", ["When is it open?"]), ("times", ["when is it open"])], None)]
    ['times', 'hours']
    """
    phrasings = Phrasings([texts for _, texts in named], embedding)
    found = []
    for owner, (name, texts) in enumerate(named):
        for text in texts:
            others = (one for one in phrasings.ranked(text) if one.owner != owner)
            best = next(others, None)
            if best is not None and best.sure >= _COLLIDES:
                other = named[best.owner][0]
                found.append(Collision(name, text, other, best.phrasing, best.sure))
    return sorted(found, key=lambda one: -one.sure)
