"""Texts as they may be shown: control characters made visible, so that none acts on a terminal."""

from __future__ import annotations

import re

# C0 controls but tab and line feed, delete, C1 controls; marks that turn the direction of writing
# or end a line without being a line feed.
CONTROLS = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069\u2028\u2029\ud800-\udfff]"
)


def visible(text: str) -> str:
    """A text whose control characters are images of themselves; line feeds and tabs stay.

    Examples
    --------
    >>> visible("a\\x1b[2Jb\\x9bc")
    'a\u241b[2Jb\\\\x9bc'
    """
    return CONTROLS.sub(_image, text)


def one_line(text: str) -> str:
    """The same of what is shown on one line: a title, a name, a place.

    Examples
    --------
    >>> one_line("notices\\nError: no index")
    'notices\u240aError: no index'
    """
    return visible(text).replace("\n", "\u240a").replace("\t", " ")


def _image(match: re.Match[str]) -> str:
    code = ord(match[0])
    if code < 0x20:
        return chr(0x2400 + code)
    if code == 0x7F:
        return "\u2421"
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"
