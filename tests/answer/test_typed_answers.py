"""Typed answers: each field from the documents, with its citation, or empty."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel

from conftest import Ran
from yonder_lantern import Desk
from yonder_lantern.answer import shape_of
from yonder_lantern.answer.extraction.field_values import from_cell
from yonder_lantern.core import CallError, ServiceError
from yonder_lantern.platform.simulated.model import model_service

PLANT = """---
title: Plant
owner: Works Office
---
# Plant

| Code | What it is | Safe working load | Maker | Examined | In use |
|---|---|---|---|---|---|
| CR-7 | quay crane | 1.5 t | Tidewright | 2026-03-04 | yes |
| CR-8 | jib crane | 900 kg | Pell | 2026-05-06 | no |

The crane driver brings, on each day:

- a helmet
- a wireless set

A crane needs 3 hours of notice in winter.
"""
STRING, NUMBER = {"type": "string"}, {"type": "number"}
CRANE = {
    "maker": STRING,
    "load_t": NUMBER,
    "examined": {"type": "string", "format": "date"},
    "in_use": {"type": "boolean"},
    "colour": STRING,
}


def an_object(**properties: Any) -> dict[str, Any]:
    return {"type": "object", "properties": properties}


@pytest.fixture
def plant(make_desk: Callable[..., Desk]) -> Desk:
    desk = make_desk({"plant.md": PLANT, "tide.md": "# Tide\n\nThe tide gauge is on the mole.\n"})
    desk.gather()
    return desk


def test_fields_come_from_the_row_that_is_asked_about(plant: Desk) -> None:
    filled = plant.extract("crane CR-7", an_object(**CRANE))
    assert filled.value == {
        "maker": "Tidewright",
        "load_t": 1.5,
        "examined": "2026-03-04",
        "in_use": True,
        "colour": None,
    }
    assert filled.missing == ("/colour",)
    document = plant.document("documents/plant.md")
    assert document is not None
    for one in filled.citations:
        assert document.text[one.start : one.end] == one.quote
        assert "CR-7" in one.quote
    assert plant.traces.last()["id"] == filled.trace


def test_lists_rows_sentences_and_nesting(plant: Desk) -> None:
    rows = {"type": "array", "items": an_object(code=STRING, maker=STRING)}
    schema = an_object(
        brings={"type": "array", "items": STRING},
        cranes=rows,
        winter=an_object(notice_hours={"type": "integer"}),
        anchors={"type": "array", "items": STRING},
    )
    value = plant.extract("What does a crane driver bring?", schema).value
    assert value["brings"] == ["a helmet", "a wireless set"]
    assert value["anchors"] == []
    assert plant.extract("cranes", an_object(cranes=rows)).value["cranes"] == [
        {"code": "CR-7", "maker": "Tidewright"}, {"code": "CR-8", "maker": "Pell"}
    ]  # fmt: skip
    notice = plant.extract("crane", an_object(winter=an_object(notice_hours={"type": "integer"})))
    assert notice.value == {"winter": {"notice_hours": 3}}


class Crane(BaseModel):
    maker: str
    load_t: float | None = None


class Painted(BaseModel):
    colour: str


def test_a_class_gets_an_object_of_it_or_hears_what_is_missing(plant: Desk) -> None:
    assert plant.extract("crane CR-8", Crane).object == Crane(maker="Pell", load_t=0.9)
    filled = plant.extract("crane CR-8", Painted)
    assert filled.value == {"colour": None}
    with pytest.raises(CallError, match=r"missing fields: /colour"):
        _ = filled.object


@pytest.mark.parametrize(
    ("schema", "what"),
    [
        (3, "not a JSON Schema: int"),
        ({"type": "object"}, "not one of an object with properties"),
        ({"type": "strong"}, "no JSON Schema"),
        (an_object(a={"$ref": "#/nowhere"}), r"a \$ref leads nowhere"),
        (an_object(a={"type": ["string", "number"]}), "cannot be filled"),
        (an_object(a={"type": "array", "items": {"type": "array"}}), "cannot be filled"),
    ],
)
def test_schemas_that_cannot_be_met_are_named(plant: Desk, schema: Any, what: str) -> None:
    with pytest.raises(CallError, match=what):
        plant.extract("crane", schema)


@given(st.text(max_size=40), st.sampled_from(["string", "number", "integer", "boolean"]))
def test_what_a_cell_gives_is_of_the_kind_or_none(text: str, kind: str) -> None:
    value = from_cell(text, {"type": kind})
    assert value is None or not shape_of(an_object(a={"type": kind})).faults({"a": value})


@pytest.mark.parametrize(
    ("fault", "value", "tries"),
    [
        ("", 3, 1),
        ("misshapes", 3, 2),
        ("invents", None, 1),
        ("swaps", None, 1),
    ],
)
def test_a_models_fields_stay_only_if_the_passages_say_them(
    plant: Desk, fault: str, value: Any, tries: int
) -> None:
    with model_service(fault=fault) as address:
        (plant.folder / "yonder.toml").write_text('[answer]\nmodel = "model.toml"\n')
        (plant.folder / "model.toml").write_text(f'name = "m"\naddress = "{address}"\n')
        desk = Desk.open(plant.folder)
        filled = desk.extract("How much notice does a crane need?", an_object(notice=NUMBER))
    assert (filled.value, filled.attempts) == ({"notice": value}, tries)
    assert len(list(desk.costs.entries())) == tries
    assert bool(filled.unsupported) == (value is None)
    if value is not None:
        assert filled.citations[0].quote == "A crane needs 3 hours of notice in winter."


def test_a_model_that_never_fits_the_schema_is_an_error(plant: Desk) -> None:
    schema = an_object(notice={"type": "string", "maxLength": 2})
    with model_service() as address:
        (plant.folder / "yonder.toml").write_text('[answer]\nmodel = "model.toml"\n')
        (plant.folder / "model.toml").write_text(f'name = "m"\naddress = "{address}"\n')
        with pytest.raises(ServiceError, match=r"does not fit the schema: \$.notice"):
            Desk.open(plant.folder).extract("How much notice does a crane need?", schema)


def test_house_rules_hold_for_fields(make_desk: Callable[..., Desk]) -> None:
    desk = make_desk(
        {"who.md": "# Office\n\n| Who | Mail |\n|---|---|\n| yard | yard@saltgarth.example |\n"},
        '[[house_rule]]\nwhen = ["answered"]\npattern = "mail address"\nthen = "mask"\n',
    )
    desk.gather()
    filled = desk.extract("yard", an_object(who=STRING, mail=STRING))
    assert "saltgarth" not in json.dumps(filled.value)
    assert all("@" not in one.quote for one in filled.citations)


def test_on_the_command_line(plant: Desk, tmp_path: Path, yonder: Callable[..., Ran]) -> None:
    schema = tmp_path / "crane.json"
    schema.write_text(json.dumps(an_object(maker=STRING)))
    ran = yonder("ask", "crane CR-7", "--schema", str(schema), "--json", cwd=plant.folder)
    assert ran.status == 0, ran.err
    assert ran.json["value"] == {"maker": "Tidewright"}
    assert ran.json["fields"]["/maker"]["citations"] == [1]
    shown = yonder("ask", "crane CR-7", "--schema", str(schema), cwd=plant.folder)
    assert '/maker   "Tidewright" [1]' in shown.out
    schema.write_text(json.dumps(an_object(colour=STRING)))
    nothing = yonder("ask", "crane CR-7", "--schema", str(schema), cwd=plant.folder)
    assert (nothing.status, "not in the documents" in nothing.out) == (1, True)
    schema.write_text("{")
    broken = yonder("ask", "crane CR-7", "--schema", str(schema), cwd=plant.folder)
    assert broken.status == 2
    assert "it is not JSON" in broken.err
    assert "line 1" in broken.err
