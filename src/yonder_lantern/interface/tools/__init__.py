"""The Model Context Protocol: what other programs' assistants may do with a desk.

In: calls of tools, reads of documents, over a pipe or HTTP. Out: values of the one schema. Who
calls is decided as for HTTP; there is no computation here.

References
----------
Model Context Protocol, specification of 2025-06-18, by its own Python SDK (extra ``[tools]``).
"""

from .tool_caller import GRADE, ToolCaller, fixed_caller
from .tool_server import TOOLS, tool_server

__all__ = ["GRADE", "TOOLS", "ToolCaller", "fixed_caller", "tool_server"]
