"""Mail: the subject, who wrote when to whom, and the body."""

from __future__ import annotations

from email import policy
from email.message import EmailMessage
from email.parser import BytesParser
from email.utils import parsedate_to_datetime
from typing import Any

from ...core import FormatError, LimitError, Parsed
from .format import Format
from .html import HtmlFormat
from .plain import PlainFormat
from .writing import TextWriter

_HEADERS = ("from", "to", "cc")


class MailFormat(Format):
    """Mail messages (``.eml``).

    The plain body is taken, or the HTML one where there is no other. What is
    attached is named in the metadata and not read.

    References
    ----------
    RFC 5322, Internet Message Format; RFC 2045 to 2049, MIME.
    """

    name = "mail"
    version = 2
    suffixes = (".eml",)

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text and metadata of a message."""
        message = BytesParser(policy=policy.default).parsebytes(data)
        if not isinstance(message, EmailMessage) or not message.keys():
            raise FormatError("it has no mail headers", remedy="is it a mail message?")
        _check_depth(message, self.limits.depth)
        try:
            title, metadata = _headers(message)
            body = message.get_body(preferencelist=("plain", "html"))
            content = str(body.get_content()) if body is not None else ""
            attached = [part.get_filename() or "" for part in message.iter_attachments()]
        except (LookupError, ValueError, AttributeError, KeyError, TypeError) as error:
            raise FormatError(
                f"the message is damaged: {error}", remedy="save it anew, or exclude it"
            ) from None
        if body is None or not content.strip():
            raise FormatError("the message has no text", remedy="exclude it")
        if any(attached):
            metadata["attachments"] = [name for name in attached if name]
        writer = TextWriter()
        text = content.replace("\r\n", "\n").replace("\r", "\n").encode("utf-8", "replace")
        html = body.get_content_type() == "text/html"
        part = (HtmlFormat if html else PlainFormat)(self.limits).read(text, file_name)
        writer.graft(part, lined=not html, part="body")
        return writer.parsed(title or file_name, metadata)


def _headers(message: EmailMessage) -> tuple[str, dict[str, Any]]:
    metadata: dict[str, Any] = {}
    for name in _HEADERS:
        if message[name]:
            metadata[name] = " ".join(str(message[name]).split())
    if message["date"]:
        try:
            metadata["date"] = parsedate_to_datetime(str(message["date"])).isoformat()
        except (ValueError, TypeError):
            metadata["date"] = str(message["date"])
    return " ".join(str(message["subject"] or "").split()), metadata


def _check_depth(message: EmailMessage, most: int) -> None:
    deepest = [(message, 1)]
    while deepest:
        one, depth = deepest.pop()
        if depth > most:
            raise LimitError(
                f"it is nested more than {most} deep",
                remedy="raise gather.max_depth, or exclude it",
            )
        if one.is_multipart():
            deepest += [(part, depth + 1) for part in one.iter_parts()]  # type: ignore[misc]
