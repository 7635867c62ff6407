"""What every section of the settings is."""

from __future__ import annotations

from typing import Annotated

import msgspec
from msgspec import Meta

Label = Annotated[str, Meta(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]*$")]


class Section(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A section of the settings: its keys are known, typed and fixed."""
