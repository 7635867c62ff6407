"""JSON Pointers."""

from __future__ import annotations

from typing import Any


def pointed(value: Any, pointer: str) -> Any:
    """What a JSON Pointer leads to; None where it leads nowhere.

    References
    ----------
    RFC 6901, JavaScript Object Notation (JSON) Pointer.

    Examples
    --------
    >>> pointed({"parts": [{"a/b": 3}]}, "/parts/0/a~1b")
    3
    """
    for step in pointer.split("/")[1:]:
        name = step.replace("~1", "/").replace("~0", "~")
        if isinstance(value, dict):
            value = value.get(name)
        elif isinstance(value, list) and name.isdigit() and int(name) < len(value):
            value = value[int(name)]
        else:
            return None
    return value
