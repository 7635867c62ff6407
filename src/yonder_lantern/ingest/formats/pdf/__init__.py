"""PDF: pages as lines with places and sizes, and those as headings, paragraphs and tables.

In: a file's bytes. Out: a `Parsed` with a page for every span. `lines` reads the
page, `layout` decides what the lines are, `reading` is the format.
"""

from .page_picture import page_picture
from .read_pdf import PdfFormat

__all__ = ["PdfFormat", "page_picture"]
