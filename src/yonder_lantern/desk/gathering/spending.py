"""What a gather costs: said before anything is sent, and kept within the limit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal

from ...core import GatherReport, Item, LimitError, Money, Progress
from ...settings import SourceSettings


class Spending:
    """What the items of a gather cost.

    Parameters
    ----------
    max_price : str
    report : GatherReport
        Told what was paid.
    progress : Progress
    """

    def __init__(self, max_price: str, report: GatherReport, progress: Progress) -> None:
        self._most = Decimal(max_price)
        self._report = report
        self._progress = progress
        self._spent = Decimal(0)

    def announce(self, source_settings: SourceSettings, items: list[Item]) -> None:
        """Say, before anything is sent away, how much there is to send and its price."""
        images = [item for item in items if item.to_describe]
        if images:
            count = f"{len(images)} image{'' if len(images) == 1 else 's'}"
            self._say(f"{source_settings.name}: {count} to describe", images)
        heard = [item for item in items if item.seconds]
        if not heard:
            return
        hours = sum(item.seconds for item in heard) / 3600
        count = f"{len(heard)} recording{'' if len(heard) == 1 else 's'}"
        self._say(f"{source_settings.name}: {count} of {hours:.2f} hours to transcribe", heard)

    def _say(self, what: str, items: Sequence[Item]) -> None:
        price = sum((item.price.amount for item in items), Decimal(0))
        currency = next((one.price.currency for one in items if one.price.amount), "XXX")
        simulated = any(one.price.simulated for one in items)
        said = f"{what}, price {Money(price.quantize(Decimal('0.0001')), currency, simulated)}"
        self._report.notices.append(said)
        self._progress(said, 0, None)

    def pay(self, item: Item) -> None:
        """Count what reading an item costs, if it may be spent."""
        amount = item.price.amount
        if self._spent + amount > self._most:
            total = (self._spent + amount).quantize(Decimal("0.0001"))
            raise LimitError(
                f"with it the price would come to {total} {item.price.currency}; "
                f"the limit is {self._most}",
                remedy="raise gather.max_price, or exclude it",
            )
        if amount:
            self._spent += amount
            self._report.price = replace(item.price, amount=self._spent.quantize(Decimal("0.0001")))
