"""What an embedding may use of a desk."""

from __future__ import annotations

from pathlib import Path

from ..core import Cancel, NeverCancel, Progress, no_progress
from ..embedding import EmbeddingContext
from ..settings import Settings
from .rules import HouseRules


def embedding_context(
    folder: Path,
    state: Path,
    settings: Settings,
    *,
    progress: Progress = no_progress,
    cancel: Cancel | None = None,
) -> EmbeddingContext:
    """The desk's folder, its services and what a gather may cost, for an embedding."""
    rules = HouseRules(settings.house_rule).at("sent")
    return EmbeddingContext(
        desk=folder,
        state=state,
        services=settings.service,
        max_price=settings.gather.max_price,
        sent=lambda text: rules.applied(text).text,
        progress=progress,
        cancel=cancel or NeverCancel(),
    )
