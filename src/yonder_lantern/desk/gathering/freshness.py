"""Whether a source was looked at so lately that it need not be again."""

from __future__ import annotations

import time
from collections.abc import Sequence

from ...index import KnownSource
from ...settings import HouseRuleSettings, SourceSettings, parse_duration
from .item_state import fingerprint


def is_fresh(
    source_settings: SourceSettings, known: KnownSource | None, rules: Sequence[HouseRuleSettings]
) -> bool:
    """Whether a source was read, as it is set up now, within its ``refresh_after``."""
    if known is None or known.problem:
        return False
    return _within(source_settings, known, known.checked_ns, rules)


def was_tried(
    source_settings: SourceSettings, known: KnownSource | None, rules: Sequence[HouseRuleSettings]
) -> bool:
    """Whether reading a source was tried within its ``refresh_after``, and failed or not.

    One that is down is not asked again before every single answer.
    """
    return known is not None and _within(source_settings, known, known.tried_ns, rules)


def _within(
    source_settings: SourceSettings,
    known: KnownSource,
    moment_ns: int,
    rules: Sequence[HouseRuleSettings],
) -> bool:
    if not source_settings.refresh_after or known.settings != fingerprint(source_settings, rules):
        return False
    age = (time.time_ns() - moment_ns) / 1e9
    return 0 <= age < parse_duration(source_settings.refresh_after).total_seconds()
