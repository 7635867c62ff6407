"""Vectors from a server of somebody's, over HTTP."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np

from ..core import IndexStateError, LimitError, SettingsError
from ..platform.services import fetch_vectors
from ..platform.storage import Array
from ..settings import EmbeddingSettings, ServiceSettings
from ..text import count_tokens
from .method import EmbeddingContext, PassageSet
from .saved import load_description, save_description
from .vector_cache import VectorCache

_TRIAL = "What is the depth of the basin?"


class RemoteMethod:
    """The method ``remote``: a server turns texts into vectors."""

    learns = False
    languages = ()
    lexical_weight = 0.2
    other_lexical_weight = 0.2
    longest = 0

    def __init__(self, settings: EmbeddingSettings, context: EmbeddingContext) -> None:
        self._context = context
        self._name = settings.service
        self._prefixes = (settings.question_prefix, settings.passage_prefix)
        service = context.services.get(self._name)
        if service is None:
            known = ", ".join(sorted(context.services)) or "none is described"
            raise SettingsError(
                f"no service {self._name!r} is described",
                "embedding.service",
                f"add a section [service.NAME]; there are: {known}",
            )
        self._service = service
        self.spec = {
            "method": "remote",
            "service": self._name,
            "identity": _identity(service, self._prefixes),
        }

    def make(self, passages: PassageSet) -> RemoteEmbedding:  # noqa: ARG002
        """The embedding; one short text is sent to learn how long its vectors are.

        Raises
        ------
        LimitError
            It would cost something, and nothing may be spent.
        """
        _check_price(self._service, [_TRIAL], self._context.max_price)
        size = fetch_vectors(self._service, [_TRIAL], self._context.cancel).shape[1]
        return RemoteEmbedding(self._name, self._service, self._prefixes, size, self._context)

    @staticmethod
    def load(folder: Path, context: EmbeddingContext) -> RemoteEmbedding:
        """The embedding that an index was made with."""
        saved = load_description(folder)
        prefixes = (str(saved["prefixes"][0]), str(saved["prefixes"][1]))
        service = context.services.get(saved["service"])
        if service is None or _identity(service, prefixes) != saved["identity"]:
            raise IndexStateError(
                f"the index's vectors are of the service {saved['service']!r} as it was described "
                "when they were made",
                f"[service.{saved['service']}]",
                "put its address and request back, or gather again: the passages are then "
                "embedded anew",
            )
        return RemoteEmbedding(
            saved["service"], service, prefixes, int(saved["dimensions"]), context
        )


class RemoteEmbedding:
    """Vectors as a server gives them, scaled to unit length."""

    method = "remote"
    reads_terms = False

    def __init__(
        self,
        name: str,
        service: ServiceSettings,
        prefixes: tuple[str, str],
        dimensions: int,
        context: EmbeddingContext,
    ) -> None:
        self._name = name
        self._service = service
        self._prefixes = prefixes
        self._context = context
        self.dimensions = dimensions
        self.hash = hashlib.sha256(
            f"{_identity(service, prefixes)} {dimensions}".encode()
        ).hexdigest()[:16]

    def passages(self, passages: PassageSet) -> Array:
        """Unit vectors of passages with their leads, kept for the next time.

        Raises
        ------
        LimitError
            It would cost more than ``gather.max_price``.
        ServiceError
            The server cannot be reached, or gives something else.
        """
        kept = VectorCache(self._context.state / "vectors", self.hash, self.dimensions)
        texts = (self._prefixes[1] + self._context.sent(text) for text in passages.texts())
        return kept.vectors(
            texts,
            self._embed,
            self._context.progress,
            self._context.cancel,
            lambda new: _check_price(self._service, new, self._context.max_price),
        )

    def question(self, text: str, terms: Mapping[str, float]) -> Array:  # noqa: ARG002
        """The unit vector of a question."""
        return np.asarray(self._embed([self._prefixes[0] + self._context.sent(text)])[0])

    def _embed(self, texts: Sequence[str]) -> Array:
        vectors = fetch_vectors(self._service, texts, self._context.cancel)
        if vectors.shape[1] != self.dimensions:
            raise IndexStateError(
                f"the service gives {vectors.shape[1]} dimensions; the index has {self.dimensions}",
                f"[service.{self._name}]",
                "put the model back, or describe it under another name and gather again",
            )
        return vectors

    def save(self, folder: Path) -> None:
        """Write down which service it is."""
        saved: dict[str, Any] = {
            "service": self._name,
            "identity": _identity(self._service, self._prefixes),
            "dimensions": self.dimensions,
            "prefixes": list(self._prefixes),
        }
        save_description(folder, self.hash, saved)


def _check_price(service: ServiceSettings, texts: Sequence[str], most: str) -> None:
    price = Decimal(service.price)
    if not price:
        return
    tokens = sum(map(count_tokens, texts))
    cost = price * tokens / 1_000_000
    if cost > Decimal(most):
        raise LimitError(
            f"embedding {len(texts):,} texts, about {tokens:,} tokens, would cost about "
            f"{cost:.4f} {service.currency}; at most {most} is allowed",
            "gather.max_price",
            "raise it, or gather less",
        )


def _identity(service: ServiceSettings, prefixes: Sequence[str]) -> str:
    """What a service's vectors depend on; secrets and patience are no part of it."""
    identity = json.dumps(
        [service.address, service.request, service.results, service.vector, *prefixes],
        sort_keys=True,
    )
    return hashlib.sha256(identity.encode()).hexdigest()[:16]
