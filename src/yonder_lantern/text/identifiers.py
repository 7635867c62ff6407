"""What is written as no plain word is: a setting, an option, a code, an acronym."""

from __future__ import annotations

import re
from collections.abc import Iterator

_IDENTIFIER = re.compile(
    r"(?<![\w.-])(?:--?[A-Za-z][\w-]*"  # --quiet
    r"|(?=[\w.:]*[A-Za-z])\w+(?:[_.:]\w+)+"  # serve.port, max_boats
    r"|[a-z]+[A-Z]\w*|[A-Z]{2,}[\w-]*"  # maxBoats, VHF
    r"|[A-Za-z]+-?\d[\w-]*)(?![\w-])"  # CR-02
)


def identifiers(text: str) -> Iterator[re.Match[str]]:
    """Where identifiers stand in a text, in order.

    Examples
    --------
    >>> [one.group() for one in identifiers("Is serve.port or --quiet of CR-02 for VHF at 10:30?")]
    ['serve.port', '--quiet', 'CR-02', 'VHF']
    """
    return _IDENTIFIER.finditer(text)
