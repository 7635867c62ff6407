"""Files that are packed of others: opened only as far as the limits allow.

In: bytes and limits. Out: an `Archive`, or a workbook. This package knows nothing
of documents.
"""

from .archive import Archive
from .workbooks import open_workbook

__all__ = ["Archive", "open_workbook"]
