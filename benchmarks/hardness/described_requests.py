"""Does a request made from the description alone break the server?

    python benchmarks/hardness/described_requests.py [REQUESTS]

Makes so many requests (5,000) over every route from ``/openapi.json``, as the owner, as a token and
as a visitor, with values that fit and values that do not. A 500, a dropped connection or a reply
that its schema does not allow is a fault.
"""

from __future__ import annotations

import tempfile
import warnings
from pathlib import Path
from typing import Any

import schemathesis
from common import QUAY, count_of, end_with
from hypothesis import HealthCheck, Phase, given, settings

from yonder_lantern import Desk
from yonder_lantern.interface.http import app
from yonder_lantern.policy import AccessTokens, SignIns

HERE = "http://127.0.0.1"


def main() -> None:
    number = count_of(5000)
    faults: list[str] = []
    tried = 0
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        (folder / "documents").mkdir()
        (folder / "documents" / "quay.md").write_text(QUAY)
        (folder / "yonder.toml").write_text("[serve]\naddress_per_minute = 0\n")
        desk = Desk.open(folder)
        desk.gather()
        access = desk.state / "access"
        secret = AccessTokens(access).make("t", per_minute=0)
        hosts = ("127.0.0.1", "testserver", "localhost")
        served = app(desk, hosts=hosts, allow_visitors=True)
        owner = SignIns(access).redeem(SignIns(access).make_link("owner", None))
        callers = (
            {"authorization": f"Bearer {secret}"},
            {"yonder-visitor": "the-secret-of-this-very-caller"},
            {"cookie": f"yonder={owner}", "origin": HERE},
        )
        described = schemathesis.openapi.from_asgi("/openapi.json", served)
        operations = [one.ok() for one in described.get_all_operations()]
        each = -(-number // (len(operations) * len(callers)))
        for operation in operations:
            for headers in callers:
                tried += _tried(operation, headers, each, faults)
    print(
        f"{tried} requests over {len(operations)} operations, three callers: {len(faults)} faults"
    )
    end_with(faults)


def _tried(operation: Any, headers: dict[str, str], number: int, faults: list[str]) -> int:
    """Send requests of one operation as one caller; how many."""
    tried = 0

    @given(case=operation.as_strategy())
    @settings(max_examples=number, deadline=None, phases=[Phase.generate], database=None,
              suppress_health_check=list(HealthCheck))  # fmt: skip
    def hold(case: schemathesis.Case) -> None:
        nonlocal tried
        tried += 1
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            try:
                reply = case.call(base_url=HERE, headers=headers)
            except Exception as error:
                faults.append(f"{case.method} {case.path}: {error!r}"[:300])
                return
        if reply.status_code == 500:
            faults.append(f"500: {case.as_curl_command()}")

    hold()
    return tried


if __name__ == "__main__":
    main()
