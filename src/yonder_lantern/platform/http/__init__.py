"""The only HTTP client: limits, retries, and which addresses may be asked.

In: an address. Out: a `Reply`, or a `ServiceError` that says what to do.
"""

from .addresses import allowed_address
from .client import Client, Reply, as_text, client_of, refusal
from .forms import sent_file

__all__ = ["Client", "Reply", "allowed_address", "as_text", "client_of", "refusal", "sent_file"]
