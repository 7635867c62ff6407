"""What the machine and the network offer: HTTP, services, rate limits, files, locks, archives.

In: addresses, settings of services, bytes. Out: replies, files that are wholly there or not at
all, archives opened within limits. This layer knows of no step of the pipeline.
"""

from typing import TYPE_CHECKING

from ..core import on_first_use

if TYPE_CHECKING:
    from .rate_limit import RateLimit
    from .worker_processes import process_pool

__all__ = [
    "RateLimit",
    "process_pool",
]
__getattr__ = on_first_use(
    __name__,
    {
        "rate_limit": ["RateLimit"],
        "worker_processes": ["process_pool"],
    },
)
