"""What may be spent is reserved before and settled after, over threads and processes."""

from __future__ import annotations

import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from decimal import Decimal
from pathlib import Path

import pytest

from yonder_lantern import Desk
from yonder_lantern.core import LimitError, Money, Piece, Tokens
from yonder_lantern.observe import CostLedger
from yonder_lantern.platform.simulated.model import model_service

MakeDesk = Callable[..., Desk]
CENT = Money(Decimal("0.01"), "EUR")


def test_what_is_under_way_counts_and_a_kill_costs_all_that_was_reserved(tmp_path: Path) -> None:
    ledger = CostLedger(tmp_path)
    limit = Decimal("0.025")
    first = ledger.reserve("model", CENT, limit)
    second = ledger.reserve("model", CENT, limit)
    with pytest.raises(LimitError, match="kept free"):
        ledger.reserve("model", CENT, limit)
    ledger.settle(first, Tokens(10, 2), Money(Decimal("0.002"), "EUR"))
    ledger.settle(first, Tokens(10, 2), CENT)  # a second time does nothing
    third = ledger.reserve("model", CENT, limit)
    ledger.release(third)
    assert CostLedger(tmp_path).spent_today("EUR").amount == Decimal("0.012")  # second was killed
    assert [entry.cost.amount for entry in ledger.entries()] == [Decimal("0.002"), CENT.amount]
    ledger.settle(second, Tokens(9, 1), Money(Decimal("0.001"), "EUR"))
    assert ledger.spent_today("EUR").amount == Decimal("0.003")


def test_eight_processes_together_keep_to_the_limit(tmp_path: Path) -> None:
    program = (
        "import sys; from decimal import Decimal; from pathlib import Path\n"
        "from yonder_lantern.core import LimitError, Money, Tokens\n"
        "from yonder_lantern.observe import CostLedger\n"
        "ledger = CostLedger(Path(sys.argv[1]))\n"
        "for _ in range(10):\n"
        "    try:\n"
        "        own = ledger.reserve('m', Money(Decimal('0.01'), 'EUR'), Decimal('0.25'))\n"
        "        ledger.settle(own, Tokens(1, 1), Money(Decimal('0.01'), 'EUR'))\n"
        "    except LimitError: pass\n"
    )
    running = [subprocess.Popen([sys.executable, "-c", program, str(tmp_path)]) for _ in range(8)]
    assert [process.wait() for process in running] == [0] * 8
    assert CostLedger(tmp_path).spent_today("EUR").amount == Decimal("0.25")


def test_parallel_answers_do_not_pass_a_days_limit(make_desk: MakeDesk) -> None:
    with model_service(fault="slow") as address:
        desk = make_desk(
            {"quay.md": "# Quay\n\nThe quay closes at 22:00."},
            f'[answer]\nmax_price_a_day = "0.02"\n[answer.model]\naddress = "{address}"\n'
            'shape = "roles"\nanswer_tokens = 100\nprice = { read = "10", written = "50" }\n',
        )
        desk.gather()
        outcomes: list[str] = []

        def ask() -> None:
            try:
                desk.ask("When does the quay close?")
                outcomes.append("answered")
            except LimitError:
                outcomes.append("limit")

        threads = [threading.Thread(target=ask) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    assert len(outcomes) == 8
    assert "limit" in outcomes
    assert desk.costs.spent_today("EUR").amount <= Decimal("0.02")


def test_a_stream_that_is_left_is_settled_recorded_and_ends_its_call(make_desk: MakeDesk) -> None:
    with model_service(fault="slow") as address:
        desk = make_desk(
            {"quay.md": "# Quay\n\nThe quay closes at 22:00 every single day of the year."},
            f'[answer.model]\naddress = "{address}"\nshape = "roles"\n'
            'price = { read = "2", written = "4" }\nsimulated = true\n',
        )
        desk.gather()
        events = desk.stream("When does the quay close?")
        assert isinstance(next(events), Piece)
        events.close()  # type: ignore[attr-defined]
        (entry,) = desk.costs.entries()
        assert entry.tokens.estimated
        assert entry.cost.amount > 0
        assert "(simulated)" in str(entry.cost)
        trace = desk.traces.last()
        assert trace["broken_off"] == "left before its end"
        assert trace["answer"]["text"]
    with suppress(StopIteration):
        next(events)
