"""The description of the HTTP interface, held to by tools of others."""

from __future__ import annotations

import warnings
from collections.abc import Callable

import pytest
from test_http import FILES, HERE

from yonder_lantern import Desk
from yonder_lantern.interface.http import app
from yonder_lantern.interface.http.openapi import document

MakeDesk = Callable[..., Desk]
# Rejected though the schema allows it: a filter is a language of its own, and so is a date.
FREE = ("where", "as_of", "image", "sources")


def test_an_independent_validator_accepts_it() -> None:
    validator = pytest.importorskip("openapi_spec_validator")
    validator.validate(document())


def test_whatever_fits_it_is_answered_as_it_says(make_desk: MakeDesk) -> None:
    """Requests made from the description alone: none breaks the server, all replies fit."""
    schemathesis = pytest.importorskip("schemathesis")
    from hypothesis import HealthCheck, Phase, given, settings

    desk = make_desk(FILES, "[serve]\naddress_per_minute = 0\n")
    desk.gather()
    served = app(desk, allow_visitors=True, hosts=("127.0.0.1", "testserver", "localhost"))
    described = schemathesis.openapi.from_asgi("/openapi.json", served)
    tried = 0
    for found in described.get_all_operations():
        operation = found.ok()

        @given(case=operation.as_strategy())
        @settings(
            max_examples=8, deadline=None, phases=[Phase.generate], database=None,
            suppress_health_check=list(HealthCheck),
        )  # fmt: skip
        def hold(case: schemathesis.Case) -> None:
            nonlocal tried
            if isinstance(case.body, dict):
                for name in FREE:
                    case.body.pop(name, None)
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                reply = case.call(base_url=HERE)
            assert reply.status_code < 500 or reply.status_code == 503, case.as_curl_command()
            lacks_program = case.path == "/speech" and reply.status_code == 503
            broken = () if lacks_program else (schemathesis.checks.not_a_server_error,)
            case.validate_response(
                reply,
                checks=(
                    *broken,
                    schemathesis.specs.openapi.checks.response_schema_conformance,
                    schemathesis.specs.openapi.checks.content_type_conformance,
                ),
            )
            tried += 1

        hold()
    assert tried > 100
