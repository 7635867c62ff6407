"""What an item is now beside what the last gather knew of it, and what its document depends on."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import msgspec

from ...core import Item, Parsed, SourceError, YonderError
from ...index import KnownItem
from ...ingest.executors import PendingRead
from ...ingest.formats import Formats
from ...ingest.sources import glob_pattern
from ...settings import HouseRuleSettings, Rule, Settings, SourceSettings
from .image_describer import Describer

_SETTLED_NS = 2_000_000_000  # a file changed this recently may change again within its time stamp
_PASSING = ("commit", "date")  # of the place, not of the document: they change without it


@dataclass(frozen=True, slots=True)
class ItemState:
    """An item as it is now, beside what is known of it and of its document."""

    item: Item
    known: KnownItem | None
    row: int
    version: str
    reading: str

    @property
    def known_good(self) -> bool:
        """Whether it was read without a problem, in the way it would be read now."""
        known = self.known
        return (
            known is not None
            and not known.problem
            and known.row == self.row > 0
            and known.reading == self.reading
        )

    @property
    def untouched(self) -> bool:
        """Whether its mark, or its time and size, say that nothing has changed."""
        known, stamp = self.known, self.item.stamp
        if known is None or not self.known_good:
            return False
        if stamp.mark:
            return known.mark == stamp.mark
        return (
            bool(stamp.modified_ns)
            and (known.size, known.modified_ns) == (stamp.size, stamp.modified_ns)
            and known.modified_ns < known.seen_ns - _SETTLED_NS
        )


def item_states(
    items: Iterable[Item],
    known: Mapping[str, KnownItem],
    live: Mapping[str, tuple[int, str, str]],
    reading_of: Callable[[Item], str],
) -> Iterator[ItemState]:
    """Items beside what is known of them, and of their documents: row, version, source."""
    for item in items:
        row, version, _ = live.get(item.id, (0, "", ""))
        yield ItemState(item, known.get(item.key), row, version, reading_of(item))


@dataclass(frozen=True, slots=True)
class ItemRead:
    """An item that was read and whose document is being made."""

    seen: ItemState
    digest: str
    now: int
    document: PendingRead
    problem: str = ""  # of an image in it


@dataclass(frozen=True, slots=True)
class Placed:
    """Where a document stands now, what became of it, and the id it had before if it was moved."""

    row: int
    outcome: Literal["added", "changed", "moved", "unchanged"]
    came_from: str = ""


def told_of(error: Exception) -> tuple[str, str]:
    """What is wrong with an item, and what to do."""
    if isinstance(error, YonderError):
        return error.what, error.remedy
    if isinstance(error, OSError):
        return error.strerror or str(error), "give this user permission to read it, or exclude it"
    if isinstance(error, MemoryError):
        return "it takes too much memory", "split it, or exclude it"
    if isinstance(error, RecursionError):
        return "it is nested too deeply", "exclude it"
    said = f"{type(error).__name__}: {error}" if str(error) else type(error).__name__
    return f"something broke on it: {said}", "exclude it, and report the fault"


def fingerprint(source_settings: SourceSettings, rules: Sequence[HouseRuleSettings]) -> str:
    """What identifies how a source is read: the same while its section and the rules are."""
    parts = [msgspec.to_builtins(source_settings), *map(msgspec.to_builtins, rules)]
    return _short_hash(parts if rules else parts[0])


def _short_hash(value: Any) -> str:
    text = json.dumps(value, sort_keys=True, default=str)
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:16]


def digest_of(data: bytes | Parsed) -> str:
    if isinstance(data, Parsed):
        return _short_hash([data.title, data.text, repr(data.marks)])
    return hashlib.sha256(data).hexdigest()


def moves_of(
    source_settings: SourceSettings, known: dict[str, KnownItem], gone: set[str]
) -> dict[str, str]:
    """Documents that are gone, by the hash of what they were read from."""
    return {
        item.hash: f"{source_settings.name}/{key}"
        for key, item in known.items()
        if f"{source_settings.name}/{key}" in gone and item.hash and not item.problem
    }


def rules_of(source_settings: SourceSettings) -> list[tuple[re.Pattern[str], Rule]]:
    """A source's rules, each with the pattern of the keys it is for."""
    return [(glob_pattern(rule.match), rule) for rule in source_settings.rule]


def item_by_rule(
    source_settings: SourceSettings, rules: list[tuple[re.Pattern[str], Rule]], item: Item
) -> Item:
    """An item with what its source's settings say of it, by rule or of all."""
    if not rules and not source_settings.metadata:
        return item
    metadata = {**source_settings.metadata, **item.metadata}
    audience = item.audience
    for pattern, rule in rules:
        if not pattern.fullmatch(item.key):
            continue
        metadata.update(rule.metadata)
        for name in ("valid_from", "valid_until"):
            if getattr(rule, name):
                metadata[name] = getattr(rule, name)
        for name in ("supersedes", "linked"):
            if getattr(rule, name):
                metadata[name] = list(getattr(rule, name))
        if rule.audience:
            audience = audience & frozenset(rule.audience)
    if not audience:
        reason = "a rule gives it an audience that its source does not have"

        def refuse() -> bytes:
            raise SourceError(reason, remedy="a rule can narrow the audience, not widen it")

        return replace(item, metadata=metadata, read=refuse, stamp=replace(item.stamp, mark=""))
    return replace(item, metadata=metadata, audience=audience)


def items_by_rule(source_settings: SourceSettings, items: Iterable[Item]) -> list[Item]:
    """Items with what their source's settings say of them."""
    rules = rules_of(source_settings)
    return [item_by_rule(source_settings, rules, item) for item in items]


def reading_of_source(
    source_settings: SourceSettings, settings: Settings, rules: Sequence[HouseRuleSettings]
) -> str:
    """What every document of a source depends on besides its item."""
    return _short_hash(
        [
            source_settings.language or settings.desk.language,
            settings.desk.timezone,
            source_settings.corrections,
            source_settings.metadata,
            msgspec.to_builtins(source_settings.rule),
            msgspec.to_builtins(rules),
        ]
    )


def reading_of_item(common: str, item: Item, formats: Formats, describer: Describer) -> str:
    """What, besides its bytes, the document of an item depends on."""
    kind = None if item.made else formats.for_file(item.format_name)
    label = f"{kind.name}/{kind.version}" if kind else "row"
    parts = [common, label, *sorted(item.audience)]
    if describer.sees(item) or describer.looks_into(item, kind):
        parts.append(_short_hash([describer.mark]))
    if not item.made:  # what a source makes has its metadata in its mark
        lasting = {k: v for k, v in item.metadata.items() if k not in _PASSING}
        parts += [_short_hash(lasting)] if lasting else []
    return " ".join(parts)
