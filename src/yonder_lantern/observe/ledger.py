"""The ledger: what models cost, a line a call, and what calls under way may come to cost."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

from ..core import LimitError, Money, Purge, Spent, StateError, Tokens
from ..platform.storage import (
    FileLock,
    append_record,
    check_kept,
    copy_records,
    forget_kept,
    note_kept,
    private_folder,
    read_records,
)


@dataclass(slots=True)
class Reservation:
    """What a call under way may cost at most, kept free for it until it is settled."""

    id: str
    at: str
    model: str
    most: Money
    kept: bool = False
    settled: bool = False


class CostLedger:
    """What models cost, by day.

    A file a month (UTC), readable by its owner only. A call reserves the most that it may
    cost before it is made, over all threads and processes, and is settled at what it cost.
    One that was killed in between counts with all that it reserved.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    name = "costs"

    def purge(self, purge: Purge) -> int:  # noqa: ARG002
        """Nothing: it holds no words and names nobody."""
        return 0

    def expire(self, before: datetime) -> int:
        """Remove the files of months that are wholly before a moment."""
        files = sorted(self._folder.glob("*.jsonl")) if self._folder.is_dir() else []
        old = [one for one in files if one.stem < f"{before.astimezone(UTC):%Y-%m}"]
        for one in old:
            forget_kept(one)
            one.unlink(missing_ok=True)
        return len(old)

    def copy_to(self, folder: Path) -> None:
        """Copy the files of all months."""
        for one in self._folder.glob("*.jsonl") if self._folder.is_dir() else ():
            copy_records(one, folder / self.name / one.name)

    def reserve(self, model: str, most: Money, limit: Decimal | None = None) -> Reservation:
        """Keep free what a call may cost at most.

        Parameters
        ----------
        model : str
        most : Money
        limit : Decimal, optional
            What may be spent in a day, in that currency.

        Raises
        ------
        LimitError
            With it, more could be spent today than the limit allows.
        """
        now = datetime.now(UTC)
        reservation = Reservation(
            f"{now:%Y%m%dT%H%M%S}-{secrets.token_hex(4)}",
            now.isoformat(timespec="seconds"),
            model,
            most,
        )
        if not most.amount and limit is None:
            return reservation  # it is free: nothing can be passed
        with self._alone():
            spent = self.spent_today(most.currency).amount
            if limit is not None and spent + most.amount > limit:
                raise LimitError(
                    f"{spent} {most.currency} have been spent today or are kept free for answers "
                    f"under way, and this one may cost {most}: more than {limit} in all",
                    "answer.max_price_a_day",
                    "raise it, or wait until tomorrow (UTC); yonder costs shows what was spent",
                )
            self._append(
                reservation.at,
                {
                    "reserved": reservation.id,
                    "at": reservation.at,
                    "model": model,
                    "amount": str(most.amount),
                    "currency": most.currency,
                },
            )
        reservation.kept = True
        return reservation

    def settle(self, reservation: Reservation, tokens: Tokens, cost: Money) -> None:
        """Enter what a call came to; a second time does nothing."""
        if reservation.settled:
            return
        reservation.settled = True
        self._append(
            reservation.at,
            {
                "settles": reservation.id,
                "at": reservation.at,
                "model": reservation.model,
                "read": tokens.read,
                "written": tokens.written,
                "estimated": tokens.estimated,
                "amount": str(cost.amount),
                "currency": cost.currency,
                "simulated": cost.simulated,
            },
        )

    def release(self, reservation: Reservation) -> None:
        """Take back what was kept free: the call was not served."""
        if not reservation.settled and reservation.kept:
            nothing = Money(Decimal(0), reservation.most.currency)
            self.settle(reservation, Tokens(), nothing)
        reservation.settled = True

    def entries(self) -> Iterator[Spent]:
        """All calls, the oldest first; one that was never settled at what it reserved.

        Raises
        ------
        StateError
            A line is damaged.
        """
        for path in sorted(self._folder.glob("*.jsonl")) if self._folder.is_dir() else ():
            yield from self._calls(path)

    def spent_today(self, currency: str) -> Money:
        """What was spent today (UTC) in a currency, with what is kept free for calls under way."""
        today = datetime.now(UTC).strftime("%Y-%m-%d")
        path = self._folder / f"{today[:7]}.jsonl"
        check_kept(path, "costs of this month")
        amounts = [
            entry.cost.amount
            for entry in (self._calls(path) if path.exists() else ())
            if entry.at.startswith(today) and entry.cost.currency == currency
        ]
        return Money(sum(amounts, Decimal(0)), currency)

    def _calls(self, path: Path) -> list[Spent]:
        calls: dict[str, Spent] = {}
        for number, line in enumerate(read_records(path), 1):
            try:
                tokens = Tokens(
                    line.get("read", 0), line.get("written", 0), line.get("estimated", True)
                )
                simulated = bool(line.get("simulated"))
                cost = Money(Decimal(line["amount"]), line["currency"], simulated)
                call = Spent(line["at"], line["model"], tokens, cost)
                calls[line.get("settles") or line["reserved"]] = call
            except (KeyError, TypeError, InvalidOperation) as error:
                raise StateError(
                    f"an entry of the ledger is not valid: {error}",
                    f"{path}, line {number}",
                    "delete that line; the others are whole",
                ) from None
        return [call for call in calls.values() if call.tokens != Tokens() or call.cost.amount]

    def _append(self, at: str, line: dict[str, Any]) -> None:
        path = self._folder / f"{at[:7]}.jsonl"
        append_record(path, line)
        note_kept(path)

    @contextmanager
    def _alone(self) -> Iterator[None]:
        """Nobody else reserves meanwhile."""
        private_folder(self._folder)
        lock = FileLock(self._folder / "ledger.lock", shared=False)
        try:
            lock.take(wait=True)
            yield
        finally:
            lock.release()
