"""The page: plain HTML, CSS and modules, which speak to the HTTP interface like any program.

Nothing in it comes from elsewhere, and nothing from a document or a model becomes markup.
"""

from pathlib import Path

FOLDER = Path(__file__).parent / "sheet"
FILES = {
    "sheet.css": "text/css",
    "sheet.js": "text/javascript",
    "markdown.js": "text/javascript",
    "labels.js": "text/javascript",
}

__all__ = ["FILES", "FOLDER"]
