"""What every section of the settings is."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from typing import Annotated

import msgspec
from msgspec import Meta

Label = Annotated[str, Meta(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]*$")]


def check_amount(key: str, value: str) -> None:
    """Refuse a price that is no amount of money."""
    try:
        if Decimal(value) >= 0:
            return
    except InvalidOperation:
        pass
    raise ValueError(f"{key}: not an amount: {value!r}")


class Section(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A section of the settings: its keys are known, typed and fixed."""
