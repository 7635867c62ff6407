"""Images in words: asked of a service once, and kept by the image's own hash."""

from __future__ import annotations

import hashlib
import json
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

from ...core import CallError, Cancel, Item, Money, NeverCancel, Parsed, SettingsError
from ...ingest.formats import Format, ImageFormat, suffix_of
from ...ingest.sources import Copy, ServiceCache
from ...platform.services import describe
from ...settings import Settings

_STORE = "images"


class Describer:
    """Says what images show, by the service that the settings name.

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
        name = settings.gather.image_service
        if name and name not in settings.service:
            known = ", ".join(sorted(settings.service)) or "none yet"
            raise SettingsError(
                f"there is no service {name!r}",
                "gather.image_service",
                f"describe it as [service.{name}]; known: {known}",
            )
        self._service = settings.service[name] if name else None
        self._state = state
        self._cancel = cancel or NeverCancel()

    def __bool__(self) -> bool:
        return self._service is not None

    def sees(self, item: Item) -> bool:
        """Whether an item is an image that would be described."""
        is_image = not item.made and suffix_of(item.format_name) in ImageFormat.suffixes
        return self._service is not None and is_image

    def priced(self, item: Item) -> Item:
        """An image with what describing it costs, nothing if that is known; others as they are."""
        if self._service is None or not self.sees(item):
            return item
        try:
            data = item.read()
        except Exception:
            return item  # it is told when the item is read
        price = None if isinstance(data, Parsed) else self.price_of(data)
        return item if price is None else replace(item, price=price, to_describe=True)

    def looks_into(self, item: Item, kind: Format | None) -> bool:
        """Whether the images within an item would be described."""
        return self._service is not None and not item.made and bool(kind and kind.imaged)

    def price_of(self, image: bytes) -> Money | None:
        """What describing an image costs; None if that is known already."""
        if self._service is None or self._known(image) is not None:
            return None
        service = self._service
        return Money(Decimal(service.price), service.currency, service.simulated)

    def described(self, image: str | Path | bytes) -> str:
        """What an image shows, given as it is or as a file.

        Raises
        ------
        CallError
            The file cannot be read.
        SettingsError, ServiceError
            As `describe`.
        """
        if isinstance(image, bytes):
            return self.describe(image, "image")
        try:
            data = Path(image).read_bytes()
        except OSError as error:
            raise CallError(
                f"the image cannot be read: {error.strerror}", str(image), "name a file"
            ) from None
        return self.describe(data, Path(image).name)

    def describe(self, image: bytes, file_name: str) -> str:
        """What an image shows.

        Raises
        ------
        SettingsError
            No service is named.
        ServiceError
            The service cannot be reached, refuses, or gives something else.
        """
        if self._service is None:
            raise SettingsError(
                "no service describes images",
                "gather.image_service",
                "name one there, and describe it as [service.NAME]",
            )
        known = self._known(image)
        if known is None:
            known = describe(self._service, image, file_name, cancel=self._cancel)
            with ServiceCache(self._state, _STORE) as kept:
                kept.put(self._name(image), Copy(known.encode("utf-8")))
        return known

    def _known(self, image: bytes) -> str | None:
        with ServiceCache(self._state, _STORE) as kept:
            copy = kept.get(self._name(image))
        return None if copy is None else copy.body.decode("utf-8")

    def _name(self, image: bytes) -> str:
        """What a description is kept under: the image, and what was asked about it."""
        assert self._service is not None
        asked = json.dumps([self._service.address, self._service.fields], sort_keys=True)
        return hashlib.sha256(asked.encode() + b"\n" + image).hexdigest()

    @property
    def mark(self) -> str:
        """What changes when images have to be described anew."""
        if self._service is None:
            return ""
        return f"described by {self._service.address} {sorted(self._service.fields.items())}"
