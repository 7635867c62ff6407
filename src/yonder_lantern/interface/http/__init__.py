"""The HTTP interface: a desk as resources, for a product's own front end.

In: requests. Out: JSON by the one schema, server-sent events, problem details. No computation
here: a route reads its request, calls the desk as the caller, and writes what comes back.
"""

from .app import LOOPBACK, app, app_of_desks
from .connection_limits import ConnectionLimits, limited_protocol
from .measuring_requests import count_together, forget_process
from .request_ids import add_request_id

__all__ = [
    "LOOPBACK",
    "ConnectionLimits",
    "add_request_id",
    "app",
    "app_of_desks",
    "count_together",
    "forget_process",
    "limited_protocol",
]
