"""What is asked of whoever reads an item."""

from __future__ import annotations

from dataclasses import replace

from ...core import Item, Parsed
from ...ingest.executors import ReadRequest
from ...ingest.formats import Formats
from ...policy import HouseRules
from ...settings import Settings, SourceSettings
from .image_describer import Describer


class ReadRequests:
    """Requests to read the items of a desk's sources.

    Parameters
    ----------
    settings : Settings
    rules : HouseRules
        Those for what is gathered.
    formats : Formats
    describer : Describer
    """

    def __init__(
        self, settings: Settings, rules: HouseRules, formats: Formats, describer: Describer
    ) -> None:
        self._settings = settings
        self._rules = rules
        self._formats = formats
        self._describer = describer

    def for_item(
        self,
        source_settings: SourceSettings,
        item: Item,
        data: bytes | Parsed,
        repeated: frozenset[str] = frozenset(),
        described: str = "",
    ) -> ReadRequest:
        """The request to read an item; see `ReadRequest` for its parts."""
        return ReadRequest(
            item,
            data,
            zone=self._settings.desk.zone,
            language=source_settings.language or self._settings.desk.language,
            corrections=source_settings.corrections,
            house_rules=self._rules.settings,
            passages=self._settings.passages,
            repeated=repeated,
            described=described,
            shown={} if self.looks_into(item) else None,
        )

    def for_page(
        self, source_settings: SourceSettings, item: Item, data: bytes | Parsed
    ) -> ReadRequest:
        """The request to read a page as it is: uncut, its images not looked at."""
        return replace(self.for_item(source_settings, item, data), passages=None, shown=None)

    def looks_into(self, item: Item) -> bool:
        """Whether the images in an item are to be described."""
        return self._describer.looks_into(item, self._formats.for_file(item.format_name))
