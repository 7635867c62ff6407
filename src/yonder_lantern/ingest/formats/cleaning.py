"""What can be kept of what a format yields: no half characters, and metadata as JSON has them."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ...core import FormatError, Parsed

_HALF = re.compile("[\ud800-\udfff]")
_DEEPEST = 40
_LARGEST = 2**63 - 1


def whole_characters(text: str) -> str:
    """A text in which each lone surrogate is the replacement character; places stay.

    Examples
    --------
    >>> whole_characters("a\\ud800b")
    'a\ufffdb'
    """
    return _HALF.sub("\ufffd", text)


def storable_key(key: str) -> str:
    """A key as it can be kept: bytes of a name that are no UTF-8 are written out.

    Examples
    --------
    >>> storable_key("caf\\udce9.md"), storable_key("café.md")
    ('caf\\\\xe9.md', 'café.md')
    """
    if not _HALF.search(key):
        return key
    try:
        return key.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    except UnicodeEncodeError:
        return key.encode("utf-8", "backslashreplace").decode("utf-8")


def cleaned(parsed: Parsed) -> Parsed:
    """A document as it can be kept, with its title on one line.

    Raises
    ------
    FormatError
        Its metadata are nested too deeply.
    """
    metadata = clean_metadata(parsed.metadata)
    text, title = whole_characters(parsed.text), " ".join(whole_characters(parsed.title).split())
    if (text, title, metadata) == (parsed.text, parsed.title, parsed.metadata):
        return parsed
    return replace(parsed, text=text, title=title, metadata=metadata)


def clean_metadata(metadata: Mapping[str, Any]) -> dict[str, Any]:
    """Details of which every value is one that JSON has.

    Examples
    --------
    >>> clean_metadata({"depth": float("nan"), 3: ("a", "b")})
    {'depth': 'nan', '3': ['a', 'b']}
    """
    found: dict[str, Any] = _clean(metadata, 0)
    return found


def _clean(value: Any, depth: int) -> Any:
    if depth > _DEEPEST:
        raise FormatError("its metadata are nested too deeply", remedy="exclude it, or fix them")
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, str):
        return whole_characters(value)
    if isinstance(value, int):
        return value if abs(value) <= _LARGEST else str(value)
    if isinstance(value, float):
        return value if math.isfinite(value) else str(value)
    if isinstance(value, Mapping):
        return {whole_characters(str(k)): _clean(inner, depth + 1) for k, inner in value.items()}
    if isinstance(value, list | tuple | set | frozenset):
        return [_clean(inner, depth + 1) for inner in value]
    return whole_characters(str(value))
