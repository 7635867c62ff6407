"""The HTTP interface: a desk as resources, for a product's own front end.

In: requests. Out: JSON by the one schema, server-sent events, problem details. No computation
here: a route reads its request, calls the desk as the caller, and writes what comes back.
"""

from .app import LOOPBACK, app, app_of_desks

__all__ = ["LOOPBACK", "app", "app_of_desks"]
