"""Items → documents, prepared for the index, in processes of their own.

In: items and their bytes. Out: documents with their passages and terms, or why
there is none. `executor` says what a gather needs, `processes` is the side that asks and
`worker` the one that answers; nothing is imported here, so that the latter starts fast.
"""

from typing import TYPE_CHECKING

from ...core import on_first_use

if TYPE_CHECKING:
    from .executor import Executor, PendingRead
    from .messages import Read, ReadRequest, ReadWithImages
    from .processes import ProcessExecutor

__all__ = [
    "Executor",
    "PendingRead",
    "ProcessExecutor",
    "Read",
    "ReadRequest",
    "ReadWithImages",
]
__getattr__ = on_first_use(
    __name__,
    {
        "executor": ["Executor", "PendingRead"],
        "processes": ["ProcessExecutor"],
        "messages": ["Read", "ReadRequest", "ReadWithImages"],
    },
)
