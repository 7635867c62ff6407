"""EPUB books: their chapters in reading order."""

from __future__ import annotations

import posixpath
from typing import Any
from urllib.parse import unquote

from ...core import FormatError, LimitError, Parsed, optional
from ...platform.archives import Archive
from .format import Format
from .html import HtmlFormat
from .writing import TextWriter

_CONTAINER = "{urn:oasis:names:tc:opendocument:xmlns:container}"
_OPF = "{http://www.idpf.org/2007/opf}"
_DC = "{http://purl.org/dc/elements/1.1/}"


class BookFormat(Format):
    """EPUB books.

    The chapters of the spine are read as HTML pages; each names its file as the
    place.

    References
    ----------
    W3C, EPUB 3.3.
    """

    name = "book"
    version = 2
    suffixes = (".epub",)

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and blocks of a book's chapters."""
        with Archive(data, self.limits, "EPUB") as archive:
            root = _xml(archive.read("META-INF/container.xml"))
            found = root.find(f"{_CONTAINER}rootfiles/{_CONTAINER}rootfile")
            if found is None:
                raise FormatError("it does not say where its contents are", remedy="save it anew")
            package = found.get("full-path") or ""
            opf = _xml(archive.read(package))
            base = posixpath.dirname(package)
            chapters = [
                posixpath.normpath(posixpath.join(base, unquote(one))) for one in _spine(opf)
            ]
            if len(chapters) > self.limits.pages:
                raise LimitError(
                    f"it has {len(chapters)} chapters; the limit is {self.limits.pages}",
                    remedy="raise gather.max_pages, or exclude it",
                )
            writer = TextWriter()
            reader = HtmlFormat(self.limits)
            for chapter in chapters:
                try:
                    part = reader.read(archive.read(chapter), chapter)
                except FormatError:
                    continue  # a cover or a page of images
                writer.outline.close()
                name = posixpath.basename(chapter).rpartition(".")[0]
                writer.graft(part, part=f"chapter {name}")
        if not writer.outline.blocks:
            raise FormatError("its chapters hold no text", remedy="exclude it")
        metadata = _metadata(opf)
        return writer.parsed(str(metadata.pop("title", "")) or file_name, metadata)


def _spine(opf: Any) -> list[str]:
    files = {
        item.get("id"): item.get("href")
        for item in opf.iter(f"{_OPF}item")
        if "html" in (item.get("media-type") or "")
    }
    order = [item.get("idref") for item in opf.iter(f"{_OPF}itemref")]
    return [files[one] for one in order if files.get(one)]


def _metadata(opf: Any) -> dict[str, Any]:
    names = {"title": "title", "creator": "author", "date": "date", "language": "language"}
    metadata: dict[str, Any] = {}
    for element, name in names.items():
        found = opf.find(f".//{_DC}{element}")
        if found is not None and (found.text or "").strip():
            metadata[name] = str(found.text).strip()
    if "language" in metadata:
        metadata["language"] = metadata["language"].split("-")[0].lower()
    return metadata


def _xml(data: bytes) -> Any:
    """An XML document; none that would fetch or multiply anything."""
    tree = optional("defusedxml.ElementTree", "office", "reading EPUB books")
    common = optional("defusedxml.common", "office", "reading EPUB books")
    try:
        return tree.fromstring(data, forbid_dtd=True)
    except common.DefusedXmlException:
        raise FormatError("its XML declares entities", remedy="save it anew without them") from None
    except (tree.ParseError, ValueError, LookupError) as error:
        raise FormatError(f"its XML is damaged: {error}", remedy="save it anew") from None
