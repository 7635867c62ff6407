"""The properties that office files carry, as metadata."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any


def office_metadata(properties: Any) -> dict[str, Any]:
    """Title, author, subject, keywords, language and date, those that are set."""
    metadata: dict[str, Any] = {}
    for name in ("title", "author", "creator", "subject", "keywords", "language"):
        value = str(getattr(properties, name, "") or "").strip()
        if value and value not in ("python-docx", "openpyxl", "PowerPoint Presentation"):
            metadata["author" if name == "creator" else name] = value
    if "language" in metadata:
        metadata["language"] = metadata["language"].split("-")[0].lower()
    modified = getattr(properties, "modified", None)
    if isinstance(modified, datetime | date):
        metadata["date"] = modified.isoformat()[:10]
    return metadata
