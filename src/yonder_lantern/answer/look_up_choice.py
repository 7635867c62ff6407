"""The look-up that a model chose, in what it wrote."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any


def choice_in(text: str) -> tuple[str, Mapping[str, Any]]:
    """The name of the look-up and the values for it; an empty name where none was chosen.

    What a model writes around the object does not matter; what is no object chooses nothing.

    Examples
    --------
    >>> choice_in('Yes: {"look_up": "tide", "values": {"day": "today"}}')
    ('tide', {'day': 'today'})
    >>> choice_in("I cannot."), choice_in('{"look_up": 3}')
    (('', {}), ('', {}))
    """
    start = text.find("{")
    if start < 0:
        return "", {}
    try:
        found, _ = json.JSONDecoder().raw_decode(text[start:])
    except (ValueError, RecursionError):
        return "", {}
    name, values = found.get("look_up"), found.get("values")
    if not isinstance(name, str):
        return "", {}
    return name, values if isinstance(values, dict) else {}
