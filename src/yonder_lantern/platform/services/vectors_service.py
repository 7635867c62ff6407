"""Asking a service for the vectors of texts."""

from __future__ import annotations

import json
import time
from collections.abc import Sequence
from typing import Any

import numpy as np

from ...core import Cancel, ServiceError
from ...settings import ServiceSettings, all_revealed, without_password
from ..http import Client, client_of
from ..storage import Array
from .json_pointer import pointed
from .shapes import inputs

TEXTS = "{texts}"  # in the request: the list of texts


def fetch_vectors(
    service: ServiceSettings, texts: Sequence[str], cancel: Cancel | None = None
) -> Array:
    """The vectors of texts, by a service that its profile describes.

    The request is the profile's ``request``, in which the string ``{texts}``
    stands for the list of texts; no more than ``batch`` texts are sent at once and
    no more than ``max_per_minute`` requests in a minute.

    Returns
    -------
    float32 array, shape (texts, dimensions)
        Scaled to unit length.

    Raises
    ------
    ServiceError
        The service cannot be reached, refuses, or gives something else.
    """
    delay = 60 / service.max_per_minute if service.max_per_minute else 0.0
    found: list[list[float]] = []
    with client_of(service, cancel, delay=delay, holders=[service.request]) as client:
        for at in range(0, len(texts), service.batch):
            part = list(texts[at : at + service.batch])
            found.extend(_asked(client, service, part))
    sizes = {len(vector) for vector in found}
    if len(sizes) != 1:
        raise ServiceError(
            f"the service's vectors are of different lengths: {sorted(sizes)}",
            without_password(service.address),
            "see that one model answers at that address",
        )
    vectors = np.array(found, dtype=np.float32)
    if not np.isfinite(vectors).all():
        raise ServiceError(
            "a vector of the service holds no numbers", without_password(service.address), "fix it"
        )
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.maximum(lengths, 1e-12))


def _asked(client: Client, service: ServiceSettings, texts: list[str]) -> list[list[float]]:
    began = time.monotonic()
    ready = service.shape == "inputs"
    results_at, vector_at = service.results, service.vector
    body = _filled(service.request, texts)
    if ready:
        results_at, vector_at = inputs.RESULTS, inputs.VECTOR
        body = inputs.body(service.model, texts)
    reply = client.post(service.address, json=body, headers=service.headers)
    if reply.status != 200:
        said = reply.body[:200].decode("utf-8", "replace")
        raise ServiceError(
            f"the service answers with status {reply.status} after "
            f"{time.monotonic() - began:.1f} s: {said}",
            without_password(service.address),
            "see its profile in the settings, and whether it is up",
        )
    try:
        results = pointed(json.loads(reply.body), results_at)
    except (ValueError, RecursionError):
        results = None
    if not isinstance(results, list) or len(results) != len(texts):
        raise ServiceError(
            f"the service's reply has no list of {len(texts)} at {results_at or '/'}",
            without_password(service.address),
            "fix `results` in its profile",
        )
    if ready:
        results = inputs.ordered(results)
    vectors = [pointed(one, vector_at) for one in results]
    for vector in vectors:
        if not isinstance(vector, list) or not all(isinstance(x, int | float) for x in vector):
            raise ServiceError(
                f"a result of the service has no vector at {vector_at or 'its top'}",
                without_password(service.address),
                "fix `vector` in its profile",
            )
    return vectors


def _filled(template: Any, texts: list[str]) -> Any:
    """A request with the texts in their place."""
    if template == TEXTS:
        return texts
    if isinstance(template, dict):
        return {name: _filled(value, texts) for name, value in template.items()}
    if isinstance(template, list):
        return [_filled(value, texts) for value in template]
    return all_revealed(template)
