"""Bytes as Unicode text, with the encoding found out where it is not said."""

from __future__ import annotations

import codecs
import re

from ..core import FormatError

_MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
_OVERSTRUCK = re.compile("[^\n]\x08")  # bold and underlined for a printer: "B\bBold", "_\bu"
_CONTROL = re.compile("[\x00-\x08\x0e-\x1a\x1c-\x1f]")


def decode(data: bytes, declared: str = "") -> str:
    """Decode a file's bytes and unify its line ends.

    Tried in order: a byte order mark, the declared encoding, UTF-8, and what
    the package charset-normalizer makes of it. Line ends are unified, and what is struck over
    for a printer stands once; nothing else is changed.

    Parameters
    ----------
    data : bytes
    declared : str, optional
        An encoding that the file itself names.

    Returns
    -------
    str
        The text, with ``\\n`` for every line end.

    Raises
    ------
    FormatError
        The bytes are empty, are not text, or are in no encoding that fits.

    Examples
    --------
    >>> decode("Zoë\\r\\nlands".encode("utf-16"))
    'Zoë\\nlands'
    >>> decode(b"T\\bTi\\bid\\bde\\be _\\bl_\\bo_\\bw")
    'Tide low'
    """
    if not data.strip():
        raise FormatError("the file is empty", remedy="put text in it, or exclude it")
    text = _decode(data, declared).replace("\r\n", "\n").replace("\r", "\n")
    text = _OVERSTRUCK.sub("", text)
    if len(_CONTROL.findall(text[:4000])) * 50 > min(len(text), 4000):
        raise _not_text()
    return text


def _decode(data: bytes, declared: str) -> str:
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            try:
                return data[len(mark) :].decode(encoding)
            except UnicodeDecodeError as error:
                raise FormatError(
                    f"the file says it is {encoding} but is not (byte {error.start})",
                    remedy="save it as UTF-8",
                ) from None
    if b"\x00" in data[:4096]:
        raise _not_text()
    for encoding in (declared, "utf-8"):
        if encoding:
            try:
                return data.decode(encoding)
            except (UnicodeDecodeError, LookupError):
                continue
    from charset_normalizer import from_bytes

    best = from_bytes(data[:200_000]).best()
    if best is None:
        raise _not_text()
    try:
        return data.decode(best.encoding)
    except UnicodeDecodeError as error:
        raise FormatError(
            f"the text fits no encoding throughout (byte {error.start})", remedy="save it as UTF-8"
        ) from None


def _not_text() -> FormatError:
    return FormatError("the file looks binary, not text", remedy="exclude it, or save it as text")
