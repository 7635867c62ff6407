"""What each part of a score counts: as set, else what suits how long the documents are.

Where documents are of a passage or three, an answer is a whole document (a FAQ's entry, a notice):
the document and its opening say most, and a page that only lists questions must not win. Where
they are longer, it is a passage among others, and its own words decide. Both sets of weights are
fitted on real documents of their shape (`benchmarks/real_documents`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import asdict

from ..embedding import languages_of, lexical_weight_of
from ..index import IndexReader
from ..platform.storage import Array
from ..settings import FindSettings
from ..text import UNKNOWN

_SHORT = 3  # passages that a short document has at most
_FEW, _MOST = 0.2, 0.5  # share of passages in short ones up to and from which one set counts
_LONG_DOCUMENTS = {
    "document_share": 0.1,
    "coverage": 0.15,
    "nearness": 0.15,
    "phrase": 0.2,
    "length": 0.2,
    "asking": -0.2,
}
_SHORT_DOCUMENTS = {
    "document_share": 0.6,
    "coverage": 0.1,
    "phrase": 0.1,
    "opening": 0.2,
    "asking": -0.7,
}


@dataclass(frozen=True, slots=True, eq=False)
class RankingWeights:
    """What each part of a score counts.

    Attributes
    ----------
    lexical : float
        The lexical stage, 0 to 1; the vector stage has the rest.
    document_share : float
        Of either stage, a passage's whole document.
    reading : float
        The reading model, beside the sum of all else.
    features : mapping of str to float
    """

    lexical: float
    document_share: float
    reading: float
    features: Mapping[str, float]


def ranking_weights(
    snapshot: IndexReader, settings: FindSettings, shortness: float, language: str = UNKNOWN
) -> RankingWeights:
    """The weights of searches.

    Parameters
    ----------
    snapshot : IndexReader
    settings : FindSettings
        What it sets counts as it stands.
    shortness : float
        From `shortness_of`.
    language : str, optional
        Of the question; by default one of the documents'.
    """

    def suited(name: str) -> float:
        long, short = _LONG_DOCUMENTS.get(name, 0.0), _SHORT_DOCUMENTS.get(name, 0.0)
        return long + shortness * (short - long)

    lexical, share = settings.lexical_weight, settings.document_share
    given: dict[str, float | None] = asdict(settings.weights)
    return RankingWeights(
        _lexical(snapshot, language) if lexical is None else lexical,
        suited("document_share") if share is None else share,
        settings.reading_weight,
        {name: suited(name) if own is None else own for name, own in given.items()},
    )


def _lexical(snapshot: IndexReader, language: str) -> float:
    """How much the lexical stage counts beside the embedding's vectors."""
    entry = snapshot.embedding_entry
    if entry is None:
        return 1.0
    if language == UNKNOWN:  # it may be in any of the documents' languages
        written = snapshot.languages
        language = next(iter(languages_of(entry.method, written) or written), "")
    return lexical_weight_of(entry.method, language)


def shortness_of(snapshot: IndexReader, documents: Array) -> float:
    """How far the documents that a caller may see are short ones, 0 to 1, in tenths.

    In tenths, so that weights are round numbers and do not creep with every gather.
    """
    first, end = snapshot.bounds_of(np.flatnonzero(documents))
    sizes = end - first
    if not (whole := int(sizes.sum())):
        return 0.0
    share = int(sizes[sizes <= _SHORT].sum()) / whole
    return round(min(max((share - _FEW) / (_MOST - _FEW), 0.0), 1.0), 1)
