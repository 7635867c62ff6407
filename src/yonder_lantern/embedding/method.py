"""What a method of embedding must be able to do, and how one is opened."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, cast

from ..core import Cancel, NeverCancel, Progress, SettingsError, no_progress
from ..platform.storage import Array
from ..settings import EmbeddingSettings, ServiceSettings

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

ENTRY_POINT_GROUP = "yonder_lantern.embeddings"
_OWN = {  # found without searching what is installed, which takes longer than a question
    "lexicon": "yonder_lantern.embedding.lexicon:LexiconMethod",
    "latent": "yonder_lantern.embedding.latent:LatentMethod",
    "encoder": "yonder_lantern.embedding.encoder:EncoderMethod",
    "remote": "yonder_lantern.embedding.remote:RemoteMethod",
    "fixed": "yonder_lantern.embedding.fixed:FixedMethod",
}


@dataclass(frozen=True, slots=True)
class EmbeddingContext:
    """What a method may use besides its own settings.

    Attributes
    ----------
    desk : Path
        The desk's folder, against which paths are read.
    state : Path
        A folder for what is kept between gathers; made when needed.
    services : mapping of str to ServiceSettings
        The profiles of services, by name.
    max_price : str
        What one gather may cost.
    sent : callable
        A text as it may be sent to another machine.
    progress : Progress
    cancel : Cancel
    """

    desk: Path
    state: Path
    services: Mapping[str, ServiceSettings] = field(default_factory=dict)
    max_price: str = "0"
    sent: Callable[[str], str] = str
    progress: Progress = no_progress
    cancel: Cancel = field(default_factory=NeverCancel)


@dataclass(frozen=True, slots=True)
class Span:
    """Which passage of which document: id, and a half-open range of its text."""

    document: str
    start: int
    end: int


class PassageSet(Protocol):
    """Passages that are to be embedded; a method asks for the form it works on."""

    def __len__(self) -> int:
        """How many there are."""
        ...

    def counts(self) -> tuple[csr_matrix, Sequence[str]]:
        """How often each passage holds each term, and the terms of the columns."""
        ...

    def texts(self) -> Iterator[str]:
        """Each passage's words, with the context header before them."""
        ...

    def words(self) -> Iterator[Sequence[str]]:
        """Each passage's folded words, those of the context header before them."""
        ...

    def spans(self) -> Iterator[Span]:
        """Where each passage is."""
        ...


class _NoPassages:
    def __len__(self) -> int:
        return 0

    def counts(self) -> tuple[csr_matrix, Sequence[str]]:
        from scipy.sparse import csr_matrix

        return csr_matrix((0, 0)), []

    def texts(self) -> Iterator[str]:
        return iter(())

    def words(self) -> Iterator[Sequence[str]]:
        return iter(())

    def spans(self) -> Iterator[Span]:
        return iter(())


NO_PASSAGES: PassageSet = _NoPassages()


class Embedding(Protocol):
    """Vectors of passages and of questions, in one space.

    Attributes
    ----------
    method, hash : str
    dimensions : int
    reads_terms : bool
        Whether a question's vector is made of its terms, not of its text.
    """

    method: str
    hash: str
    dimensions: int
    reads_terms: bool

    def passages(self, passages: PassageSet) -> Array:
        """Unit vectors, float32, shape (passages, dimensions); zeros where there is none."""
        ...

    def question(self, text: str, terms: Mapping[str, float]) -> Array:
        """A unit vector, float32, shape (dimensions,); zeros where there is none.

        ``terms`` are the question's, each with how much it counts.
        """
        ...

    def save(self, folder: Path) -> None:
        """Keep what is needed to load it again, in a folder named by the hash below ``folder``."""
        ...


class TermEmbedding(Embedding, Protocol):
    """An embedding whose vectors are sums over words, so that each one's share is known."""

    def parts(self, text: str, terms: Mapping[str, float]) -> dict[str, Array]:
        """What each known word or term of a question adds; the parts sum to a unit vector."""
        ...

    def questions(self, texts: Sequence[str], terms: Sequence[Mapping[str, float]]) -> Array:
        """The unit vectors of many questions, float32, shape (questions, dimensions)."""
        ...


class LearnedEmbedding(Embedding, Protocol):
    """An embedding that was learned from passages and can tell whether it still fits them.

    Attributes
    ----------
    captured : float
        How much it knew of the passages it was learned from, 0 to 1.
    """

    captured: float

    def captures(self, passages: PassageSet) -> float:
        """How much it knows of passages, 0 to 1."""
        ...


class EmbeddingMethod(Protocol):
    """A method as the settings describe it; an entry point leads to its class.

    The class is called with the settings and the surroundings.

    Attributes
    ----------
    spec : dict
        What identifies the embedding the settings ask for. An index made with
        something else is embedded anew.
    learns : bool
        Whether it is learned from the passages, and anew when they have changed.
    longest : int
        The most words and punctuation marks a passage should have; 0 if any will do.
    languages : tuple of str
        The languages it is for; empty if for any.
    lexical_weight : float
        How much the lexical stage should count beside it, 0 to 1.
    other_lexical_weight : float
        The same for a question in a language it is not for.
    """

    spec: dict[str, Any]
    learns: bool
    longest: int
    languages: tuple[str, ...]
    lexical_weight: float
    other_lexical_weight: float

    def make(self, passages: PassageSet) -> Embedding | None:
        """The embedding, learned from these passages if it learns; None if they are too few."""
        ...

    @staticmethod
    def load(folder: Path, context: EmbeddingContext) -> Embedding:
        """An embedding that was saved, whatever the settings ask for now."""
        ...


def open_method(settings: EmbeddingSettings, context: EmbeddingContext) -> EmbeddingMethod:
    """The method that the settings ask for.

    Methods are found by entry points of the group ``yonder_lantern.embeddings``.

    Raises
    ------
    SettingsError
        No installed package brings it, or its settings make no sense.
    """
    return cast(EmbeddingMethod, _class_of(settings.method)(settings, context))


def load_embedding(method: str, folder: Path, context: EmbeddingContext) -> Embedding:
    """An embedding that was saved by a method, whatever the settings ask for now."""
    return cast(Embedding, _class_of(method).load(folder, context))


def lexical_weight_of(method: str, language: str = "") -> float:
    """How much the lexical stage should count beside a method's vectors, 0 to 1.

    Parameters
    ----------
    method : str
    language : str, optional
        Of the question; by default one that the method is for.
    """
    method_class = _class_of(method)
    if language and language not in languages_of(method, (language,)):
        return float(method_class.other_lexical_weight)
    return float(method_class.lexical_weight)


def least_cosine_of(method: str) -> float:
    """The cosine up to which a method's vectors tell that a passage has nothing to do with it."""
    return float(getattr(_class_of(method), "least_cosine", 0.0))


def languages_of(method: str, among: Sequence[str]) -> list[str]:
    """Which of some languages a method is for."""
    known = getattr(_class_of(method), "languages", ())
    return [language for language in among if not known or language in known]


@cache
def _class_of(name: str) -> Any:
    if name in _OWN:
        module, _, class_name = _OWN[name].partition(":")
        return getattr(importlib.import_module(module), class_name)
    from importlib.metadata import entry_points  # only here: it takes a while to load

    found = {point.name: point for point in entry_points(group=ENTRY_POINT_GROUP)}
    if name not in found:
        raise SettingsError(
            f"no installed package brings the embedding method {name!r}",
            "embedding.method",
            f"known here: {', '.join(sorted({*_OWN, *found}))}",
        )
    return found[name].load()
