"""The ledger: what models cost, a line a call."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import UTC, datetime
from decimal import Decimal, InvalidOperation
from pathlib import Path

from ..records import Money, Spent, Tokens
from ..storage import append_line


class CostLedger:
    """What models cost, by day; a `Ledger`.

    A file a month (UTC), readable by its owner only.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def enter(self, entry: Spent) -> None:
        """Keep an entry."""
        line = {
            "at": entry.at,
            "model": entry.model,
            "read": entry.tokens.read,
            "written": entry.tokens.written,
            "estimated": entry.tokens.estimated,
            "amount": str(entry.cost.amount),
            "currency": entry.cost.currency,
        }
        append_line(self._folder / f"{entry.at[:7]}.jsonl", json.dumps(line, ensure_ascii=False))

    def entries(self) -> Iterator[Spent]:
        """All entries, the oldest first."""
        for path in sorted(self._folder.glob("*.jsonl")) if self._folder.is_dir() else ():
            for line in path.read_text(encoding="utf-8").splitlines():
                try:
                    own = json.loads(line)
                    tokens = Tokens(own["read"], own["written"], own["estimated"])
                    cost = Money(Decimal(own["amount"]), own["currency"])
                    yield Spent(own["at"], own["model"], tokens, cost)
                except (ValueError, KeyError, TypeError, InvalidOperation):  # cut short by a kill
                    continue

    def spent_today(self, currency: str) -> Money:
        """What was spent today (UTC) in a currency."""
        today = datetime.now(UTC).strftime("%Y-%m-%d")
        own = [
            entry.cost.amount
            for entry in self.entries()
            if entry.at.startswith(today) and entry.cost.currency == currency
        ]
        return Money(sum(own, Decimal(0)), currency)
