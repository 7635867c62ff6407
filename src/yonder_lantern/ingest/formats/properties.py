"""The properties that office files carry, as details."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any


def office_details(properties: Any) -> dict[str, Any]:
    """Title, author, subject, keywords, language and date, those that are set."""
    details: dict[str, Any] = {}
    for name in ("title", "author", "creator", "subject", "keywords", "language"):
        value = str(getattr(properties, name, "") or "").strip()
        if value and value not in ("python-docx", "openpyxl", "PowerPoint Presentation"):
            details["author" if name == "creator" else name] = value
    if "language" in details:
        details["language"] = details["language"].split("-")[0].lower()
    modified = getattr(properties, "modified", None)
    if isinstance(modified, datetime | date):
        details["date"] = modified.isoformat()[:10]
    return details
