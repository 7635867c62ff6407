"""Services by profile: models, embeddings, transcription, descriptions of images, speech.

In: a service's settings and what to send. Out: what it replied, or a `ServiceError` that says
what to do. What a service expects and replies is described by its profile, not by code.
"""

from .json_pointer import pointed
from .transcription import Segment, transcribe

__all__ = ["Segment", "pointed", "transcribe"]
