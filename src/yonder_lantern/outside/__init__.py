"""The only HTTP client: limits, retries, addresses that may be asked, services by profile.

In: an address or a service's settings. Out: a `Reply`, or an `OutsideError` that
says what to do. This package knows of no step and of no format.
"""

from .client import Client, Reply, as_text
from .pointer import pointed
from .transcription import Segment, transcribe

__all__ = ["Client", "Reply", "Segment", "as_text", "pointed", "transcribe"]
