"""Settings for a desk that is measured."""

from __future__ import annotations

from msgspec.structs import replace

from ..settings import Settings


def steady(settings: Settings) -> Settings:
    """The settings, with which nothing is gathered while questions are asked."""
    gather = replace(settings.gather, refresh_before_answering=False)
    return replace(settings, gather=gather)
