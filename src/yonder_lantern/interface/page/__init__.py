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
    "parts.js": "text/javascript",
    "desk.js": "text/javascript",
    "connections.js": "text/javascript",
    "docs.js": "text/javascript",
}
BOX = "box.js"  # one file: it stands on other sites
DOCS = "docs.html"

__all__ = ["BOX", "DOCS", "FILES", "FOLDER"]
