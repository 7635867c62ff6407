"""What goes out as JSON is what its schema says."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from yonder_lantern import Desk
from yonder_lantern.core.outgoing import KINDS, schema_of

CALLS: dict[str, list[str]] = {
    "search": ["find", "Where is valve V-3?", "--limit", "2"],
    "explanation": ["find", "slipway", "--why-not", "handbook/berths.md"],
    "answer": ["ask", "When is the fuel berth open in winter?"],
    "trace": ["trace", "--last"],
    "gather": ["gather", "--dry-run", "--source", "handbook"],
}


def strictly(schema: dict[str, Any]) -> dict[str, Any]:
    """A schema that takes no key it does not name."""
    for one in schema["$defs"].values():
        if "properties" in one:
            one["additionalProperties"] = False
    return schema


@pytest.mark.parametrize("kind", CALLS)
def test_output_fits_its_schema(kind: str, demo: Path, yonder: Callable[..., Any]) -> None:
    jsonschema = pytest.importorskip("jsonschema")
    if kind == "trace":
        yonder("ask", "When is the fuel berth open in winter?", cwd=demo)
    ran = yonder(*CALLS[kind], "--json", cwd=demo)
    jsonschema.Draft202012Validator.check_schema(schema_of(kind))
    jsonschema.validate(json.loads(ran.out), strictly(schema_of(kind)))


def test_every_kind_has_a_version_in_its_id() -> None:
    for kind, (_, version) in KINDS.items():
        assert schema_of(kind)["$id"] == f"urn:yonder-lantern:{kind}:{version}"


def test_what_a_question_became_equals_the_trace(make_desk: Callable[..., Desk]) -> None:
    """Also where a house rule drops a part of it and where it leans on another."""
    rule = '[[house_rule]]\nwhen = ["asked"]\npattern = "mail address"\nthen = "drop"\n'
    desk = make_desk({"quay.md": "# Quay\n\nThe quay closes at 22:00."}, settings=rule)
    desk.gather()
    conversation = desk.conversations.start()
    for question in ("When does the quay close?", "And for x@cutter.example it? In winter?"):
        answer, turn = desk.talk(question, conversation)
        assert turn.rewritten == desk.traces.get(answer.trace)["rewritten"]
        assert "cutter.example" not in turn.rewritten
