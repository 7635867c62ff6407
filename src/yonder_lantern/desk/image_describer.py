"""Pictures in words: asked of a service once, and kept by the picture's own hash."""

from __future__ import annotations

import hashlib
import json
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

from ..core import Cancel, Item, Money, NeverCancel, Parsed, SettingsError
from ..ingest.formats import Format, suffix_of
from ..ingest.formats.ocr import PictureFormat
from ..ingest.sources.service_cache import Copy, Kept
from ..platform.services.describe_image import describe
from ..settings import Settings

_STORE = "pictures"


class Describer:
    """Says what pictures show, by the service that the settings name.

    Parameters
    ----------
    settings : Settings
    state : Path
        The desk's own folder for what it keeps.
    cancel : Cancel, optional

    Raises
    ------
    SettingsError
        There is no such service.
    """

    def __init__(self, settings: Settings, state: Path, cancel: Cancel | None = None) -> None:
        name = settings.gather.picture_service
        if name and name not in settings.outside:
            known = ", ".join(sorted(settings.outside)) or "none yet"
            raise SettingsError(
                f"there is no service {name!r}",
                "gather.picture_service",
                f"describe it as [outside.{name}]; known: {known}",
            )
        self._service = settings.outside[name] if name else None
        self._state = state
        self._cancel = cancel or NeverCancel()

    def __bool__(self) -> bool:
        return self._service is not None

    def sees(self, item: Item) -> bool:
        """Whether an item is a picture that would be described."""
        is_picture = not item.made and suffix_of(item.format_name) in PictureFormat.suffixes
        return self._service is not None and is_picture

    def priced(self, item: Item) -> Item:
        """A picture with what describing it costs, nothing if that is known; others as they are."""
        if self._service is None or not self.sees(item):
            return item
        try:
            data = item.read()
        except Exception:
            return item  # it is told when the item is read
        price = None if isinstance(data, Parsed) else self.price_of(data)
        return item if price is None else replace(item, price=price, to_describe=True)

    def looks_into(self, item: Item, kind: Format | None) -> bool:
        """Whether the pictures within an item would be described."""
        return self._service is not None and not item.made and bool(kind and kind.pictured)

    def price_of(self, picture: bytes) -> Money | None:
        """What describing a picture costs; None if that is known already."""
        if self._service is None or self._known(picture) is not None:
            return None
        own = self._service
        return Money(Decimal(own.price), own.currency, own.simulated)

    def describe(self, picture: bytes, file_name: str) -> str:
        """What a picture shows.

        Raises
        ------
        SettingsError
            No service is named.
        OutsideError
            The service cannot be reached, refuses, or gives something else.
        """
        if self._service is None:
            raise SettingsError(
                "no service describes pictures",
                "gather.picture_service",
                "name one there, and describe it as [outside.NAME]",
            )
        known = self._known(picture)
        if known is None:
            known = describe(self._service, picture, file_name, cancel=self._cancel)
            with Kept(self._state, _STORE) as kept:
                kept.put(self._name(picture), Copy(known.encode("utf-8")))
        return known

    def _known(self, picture: bytes) -> str | None:
        with Kept(self._state, _STORE) as kept:
            copy = kept.get(self._name(picture))
        return None if copy is None else copy.body.decode("utf-8")

    def _name(self, picture: bytes) -> str:
        """What a description is kept under: the picture, and what was asked about it."""
        assert self._service is not None
        asked = json.dumps([self._service.address, self._service.fields], sort_keys=True)
        return hashlib.sha256(asked.encode() + b"\n" + picture).hexdigest()

    @property
    def mark(self) -> str:
        """What changes when pictures have to be described anew."""
        if self._service is None:
            return ""
        return f"described by {self._service.address} {sorted(self._service.fields.items())}"
