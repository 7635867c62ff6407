"""Simulated services, to try settings with: no network, no cost."""

from typing import TYPE_CHECKING

from ...core import on_first_use

if TYPE_CHECKING:
    from .http_services import served, transcription_service, vector_service
    from .images import image_service
    from .model import FAULTS, model_service

__all__ = [
    "FAULTS",
    "image_service",
    "model_service",
    "served",
    "transcription_service",
    "vector_service",
]
__getattr__ = on_first_use(
    __name__,
    {
        "http_services": ["transcription_service", "vector_service", "served"],
        "images": ["image_service"],
        "model": ["FAULTS", "model_service"],
    },
)
