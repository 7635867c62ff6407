"""Services by profile: models, embeddings, transcription, descriptions of images, speech.

In: a service's settings and what to send. Out: what it replied, or a `ServiceError` that says
what to do. What a service expects and replies is described by its profile, not by code.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use
from .json_pointer import pointed
from .transcription import Segment, transcribe

if TYPE_CHECKING:
    from .describe_image import describe
    from .models import (
        ModelReply,
        Prompt,
        ask_model,
        estimated_tokens,
        exchange_of,
        most_it_costs,
        price_of,
        request_body,
        stream_model,
    )
    from .request_templates import fill
    from .speech import SPEECH_PROGRAM, speak
    from .speech_service import speak_by_service
    from .vectors_service import fetch_vectors

__all__ = [
    "SPEECH_PROGRAM",
    "ModelReply",
    "Prompt",
    "Segment",
    "ask_model",
    "describe",
    "estimated_tokens",
    "exchange_of",
    "fetch_vectors",
    "fill",
    "most_it_costs",
    "pointed",
    "price_of",
    "request_body",
    "speak",
    "speak_by_service",
    "stream_model",
    "transcribe",
]
__getattr__ = on_first_use(
    __name__,
    {
        "models": [
            "ModelReply",
            "Prompt",
            "ask_model",
            "estimated_tokens",
            "exchange_of",
            "most_it_costs",
            "price_of",
            "request_body",
            "stream_model",
        ],
        "request_templates": ["fill"],
        "speech": ["SPEECH_PROGRAM", "speak"],
        "speech_service": ["speak_by_service"],
        "vectors_service": ["fetch_vectors"],
        "describe_image": ["describe"],
    },
)
