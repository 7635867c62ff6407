"""Entities connected: paths, groups, figures, and names that the settings join or keep apart."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Ran, needs_package
from yonder_lantern import Desk
from yonder_lantern.core import CallError, EntityCard, EntityStatement
from yonder_lantern.knowledge import groups_of, key_of, paths_between

MakeDesk = Callable[..., Desk]
NAMES = """
[[entity]]
name = "boat lift"
also = ["BL-60", "the Cradle"]
apart = ["Boatlift"]
kind = "equipment"
"""
FILES: dict[str, str | bytes] = {
    "register.md": "# Register\n\n| Code | Place | Load |\n|---|---|---|\n"
    "| BL-60 | boatyard dock | 60 t |\n| CR-3 | boatyard dock | 400 kg |\n"
    "| CR-9 | Fish Quay | 400 kg |\n",
    "places.md": "# Places\n\n| Place | Warden |\n|---|---|\n| Fish Quay | Ada |\n"
    "| boatyard dock | Ada |\n| far rock | Bo |\n",
    "words.md": "# Words\n\nThe Cradle is kept in the boatyard dock. "
    "A Boatlift is a toy that children push.\n",
}


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    needs_package("networkx")
    made = make_desk(FILES)
    made.gather()
    return made


def test_a_path_leads_over_what_both_name(desk: Desk) -> None:
    shortest = desk.entity_paths("bl 60", "CR-3")[0]
    assert [key_of(name) for name in shortest.names] == ["bl 60", "boatyard dock", "cr 3"]
    for one, (name, other) in zip(shortest.statements, pairwise(shortest.names), strict=True):
        assert {key_of(one.subject), key_of(one.object)} == {key_of(name), key_of(other)}
    over_warden = desk.entity_paths("BL-60", "CR-9")[0]
    assert "Ada" in over_warden.names


def test_an_amount_connects_nothing(desk: Desk) -> None:
    found = desk.entity_paths("CR-3", "CR-9")
    assert found
    assert all("400 kg" not in path.names for path in found)
    assert desk.entity_paths("BL-60", "far rock") == []


def test_groups_hold_what_belongs_together(desk: Desk) -> None:
    with desk.knowledge() as known:
        (largest, *_) = groups = known.groups()
    assert {"boatyard dock", "BL-60", "CR-3"} <= set(largest)
    assert not any("far rock" in group and "BL-60" in group for group in groups)
    with desk.knowledge() as known:
        assert known.groups() == groups


def test_names_are_joined_and_kept_apart_by_the_settings(make_desk: MakeDesk) -> None:
    desk = make_desk(FILES, NAMES)
    desk.gather()
    card = desk.entity("Boat Lift")
    assert card.kind == "equipment"
    said = {(one.relation, one.object) for one in card.says}
    assert {("Load", "60 t"), ("is kept in", "the boatyard dock")} <= said
    assert not any("toy" in value for _, value in said)
    assert "toy" in desk.entity("Boatlift").says[0].object
    assert any("settings" in why for why in card.also.values())


def test_who_may_not_see_a_document_is_not_led_over_it(make_desk: MakeDesk) -> None:
    needs_package("networkx")
    secret = (
        "---\naudience: [crew]\n---\n# Keys\n\n| Code | Key |\n|---|---|\n"
        "| AA-1 | hook |\n| BB-1 | hook |\n"
    )
    open_ = "# Codes\n\n| Code | Hall |\n|---|---|\n| AA-1 | north hall |\n| BB-1 | south hall |\n"
    settings = (
        '[[source]]\nname = "documents"\nfolder = "documents"\naudience = ["public", "crew"]\n'
    )
    desk = make_desk({"secret.md": secret, "open.md": open_}, settings)
    desk.gather()
    assert desk.entity_paths("AA-1", "BB-1")
    assert desk.as_caller(["public"]).entity_paths("AA-1", "BB-1") == []


def test_the_verb_shows_paths_groups_and_a_figure(desk: Desk, yonder: Callable[..., Ran]) -> None:
    path = yonder("look", "--entity", "BL-60", "--to", "CR-3", cwd=desk.folder)
    assert "BL-60 – boatyard dock – CR-3" in path.out
    assert "documents/register.md#" in path.out
    groups = yonder("look", "--groups", "--json", cwd=desk.folder).json
    assert any("BL-60" in group for group in groups)
    nowhere = yonder("look", "--entity", "BL-60", "--to", "far rock", cwd=desk.folder)
    assert (nowhere.status, "Nothing that is said" in nowhere.out) == (1, True)
    needs_package("matplotlib")
    drawn = yonder("look", "--entity", "boatyard dock", "--draw", "dock.png", cwd=desk.folder)
    assert drawn.status == 0, drawn.err
    assert (desk.folder / "dock.png").read_bytes().startswith(b"\x89PNG")
    assert yonder("look", "--entity", "BL-60", "--draw", "dock.odd", cwd=desk.folder).status == 2
    assert yonder("look", "--to", "BL-60", cwd=desk.folder).status == 2
    assert yonder("look", "--entity", "unicorn", "--to", "BL-60", cwd=desk.folder).status == 2


def test_odd_names_are_drawn(tmp_path: Path) -> None:
    needs_package("matplotlib")
    from yonder_lantern.evaluation import draw_entity

    says = tuple(statement("X", "r" * 200, f"\x1b[31m{at} $x_ {'long ' * 40}") for at in range(40))
    card = EntityCard("$\\frac{", {}, says, (), ())
    assert draw_entity(card, tmp_path / "x.png") == 24
    assert draw_entity(EntityCard("empty", {}, (), (), ()), tmp_path / "e.svg") == 0


def statement(subject: str, relation: str, object_: str) -> EntityStatement:
    return EntityStatement(subject, relation, object_, "d", "v", 0, 1, ("public",))


THINGS = st.sampled_from(["a b", "bay", "cove", "dock", "ebb", "5 m", "yes", "", "x" * 80])


@given(st.lists(st.tuples(THINGS, THINGS), max_size=30))
def test_paths_are_made_of_what_is_said(pairs: list[tuple[str, str]]) -> None:
    said = [statement(one, "to", other) for one, other in pairs]
    for group in groups_of(said):
        assert len(group) >= 3
    try:
        found = paths_between(said, "bay", "dock")
    except CallError:
        return
    for path in found:
        assert len(path.names) == len(path.statements) + 1
        assert set(path.statements) <= set(said)
        assert len(set(path.names)) == len(path.names)
