"""Ties, trains and joints placed by hand on the Ground page, and the outlook of a coupling beside its numbers."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.project import blank, limbs
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.tie import Stretched
from oak_sled.core.yard.ties import TIES
from oak_sled.desk.ground.tieacts import BEHIND


@pytest.fixture
def page(window, idle):
    """The Ground page of a blank yard with a crate behind the craft, selected."""
    yard = blank.blank_yard()
    crate = Block(id="crate", x=-4.0, length=0.8, width=0.8, height=0.8, mass=60.0)
    ground = yard.ground().replace(blocks=(crate,))
    window.session.open(yard.replace(grounds=(ground,)), (), None)
    window.show_page("Ground")
    idle()
    window.ground_page.plan.choose(["blocks.crate"])
    yield window.ground_page
    window.show_page("Bench")


def choose(page, *words):
    """Chooses the entry of the menu that these words lead to, each a part of one."""
    whole = menu = QMenu()
    page.tying.fill(whole)
    for word in words[:-1]:
        menu = next(action.menu() for action in menu.actions() if action.menu() and word in action.text())
    next(action for action in menu.actions() if words[-1] in action.text()).trigger()
    whole.deleteLater()


PLACED = [kind for kind in TIES if "rail" not in kind.model_fields]  # what runs on a rail comes with one


@pytest.mark.parametrize("kind", PLACED, ids=lambda kind: kind.TITLE)
def test_every_kind_of_tie_is_placed_to_the_world_and_to_the_craft(kind, page, window, idle):
    choose(page, kind.TITLE, "to the world")
    idle()
    first = window.session.ground.ties[0]
    assert (type(first), first.one, first.other) == (kind, "crate", "")
    page.plan.choose(["blocks.crate"])
    choose(page, kind.TITLE, "to the craft")
    idle()
    second = window.session.ground.ties[1]
    assert (second.one, second.other) == ("craft", "crate")
    if issubclass(kind, Stretched):
        assert (second.x, second.end_x) == (-1.2, -3.6), "from its rear to the front of the crate"
    else:
        assert second.x == -3.6, "at the front of the crate"
    assert f"tie.{second.id}.{kind.LOAD}" in window.session.shown.run.layout.names
    window.acts["undo"].trigger()
    window.acts["undo"].trigger()
    assert not window.session.ground.ties


def test_a_train_is_laid_coupled_and_told_of(page, window, idle):
    choose(page, "train", "4 cars, straight")
    idle()
    ground = window.session.ground
    assert [one.id for one in ground.blocks] == ["crate", "crate_2", "crate_3", "crate_4", "crate_5"]
    page.plan.choose(["blocks.crate"])
    choose(page, "coupling", "to the craft")
    idle()
    assert "craft and 5 cars, 0.500\u2009m of slack" in page.outlook.text()
    before = page.outlook.text()
    window.session.edit(f"grounds.{ground.id}.ties.coupling.slack", 0.3)
    idle()
    assert "0.700\u2009m of slack" in page.outlook.text()
    assert page.outlook.text() != before
    assert window.session.shown.run.column("block.crate_5.velocity.x").max() > 0.1, "the last one is drawn along"
    assert isinstance(window.session.ground.ties[-1], Coupling)


def test_without_a_dynamic_block_it_is_said_what_to_do(page, window):
    said = []
    window.session.said.connect(lambda words, fault: said.append((words, fault)))
    page.plan.choose([])
    for words in (("train", "2 cars"), ("coupling", "to the craft"), ("joint",)):
        choose(page, *words)
        assert said[-1][1]
        assert "select it first" in said[-1][0]
    assert not window.session.ground.ties


def test_a_tie_is_let_go_by_an_event_of_the_drill_page(page, window, idle):
    choose(page, "rope", "to the craft")
    idle()
    window.show_page("Drill")
    drill = window.drill_page
    assert drill.targets_of("let_go") == ("rope",)
    menu = drill.buttons["event"].menu()
    menu.aboutToShow.emit()
    inner = next(action.menu() for action in menu.actions() if action.text().startswith("let go"))
    inner.actions()[0].trigger()
    idle()
    made = window.session.drill.events[-1]
    assert (made.what, made.target) == ("let_go", "rope")
    assert window.session.shown.run.column("tie.rope.broken")[-1] == 1.0


def test_what_a_tie_does_not_use_is_greyed_with_the_reason(page, window, idle):
    choose(page, "hinge", "to the world")
    idle()
    dials = page.numbers.dials
    assert "no motor" in dials["motor_torque"].toolTip()
    assert "no limits" in dials["low_deg"].toolTip()
    window.session.edit(f"{page.path}.ties.hinge.motor", "rate")
    idle()
    assert "no motor" not in dials["motor_torque"].toolTip()
    assert "holds a rate" in dials["motor_angle_deg"].toolTip()


def test_the_end_of_a_rope_is_not_dragged_into_its_other_end(page, window, idle):
    choose(page, "rope", "to the world")
    idle()
    ground = window.session.ground
    window.session.edit(f"grounds.{ground.id}.ties.rope.end_x", -8.0)
    window.session.edit(f"grounds.{ground.id}.ties.rope.end_z", ground.ties[0].z)
    idle()
    plan, rope = page.plan, window.session.ground.ties[0]
    begin, to = plan.handles(rope)["end"].toPoint(), plan.at(rope.x, rope.y).toPoint()
    QTest.mousePress(plan, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, begin)
    for share in (1, 2, 3, 4):
        QTest.mouseMove(plan, begin + (to - begin) * share / 4)
    QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, to)
    idle()
    dragged = window.session.ground.ties[0]
    assert dragged.end_x > -8.0
    assert (dragged.end_x, dragged.end_y) != (dragged.x, dragged.y)


@pytest.mark.parametrize("count", BEHIND)
def test_from_a_blank_yard_sledges_are_coupled_behind_the_craft_in_one_act(count, window, idle):
    window.session.open(blank.blank_yard(), (), None)
    window.show_page("Ground")
    idle()
    page, session = window.ground_page, window.session
    page.add("crate")
    before = session.yard
    choose(page, "train", "selected one" if count == 1 else f"{count} cars, the selected")
    idle()
    assert [one.id for one in session.ground.blocks][:3] == ["crate", "crate_2", "crate_3"][:count]
    assert len(session.ground.ties) == len(session.ground.blocks) == count
    assert window.header.cautions.text() == "no cautions"
    assert f"craft and {count} car" in page.outlook.text()
    speeds = [session.shown.run.column(f"block.{one.id}.velocity.x")[-1] for one in session.ground.blocks]
    assert ("would start 6 of such" if count <= 6 else "starts 6 of them") in page.outlook.text()
    assert (min(speeds) > 0.5) == (count <= 6)
    session.undo()
    assert session.yard == before
    window.show_page("Bench")


def test_a_train_is_coupled_to_the_last_body_of_a_craft(window, idle):
    yard = blank.blank_yard()
    craft, _ = limbs.added(yard.crafts[0], "trailer")
    window.session.open(yard.replace(crafts=(craft,)), (), None)
    window.show_page("Ground")
    idle()
    page = window.ground_page
    page.add("crate")
    choose(page, "train", "3 cars, the selected")
    idle()
    assert window.session.ground.ties[0].one == f"{craft.id}.trailer"
    assert window.header.cautions.text() == "no cautions"
    assert window.session.shown.run.column("block.crate_3.velocity.x")[-1] > 0.3
    window.show_page("Bench")


def test_what_is_held_already_is_not_laid_behind_the_craft(page, window, idle):
    choose(page, "rope", "to the world")
    idle()
    said, before = [], window.session.yard
    window.session.said.connect(lambda words, fault: said.append((words, fault)))
    page.plan.choose(["blocks.crate"])
    choose(page, "train", "3 cars, the selected")
    assert window.session.yard is before
    ((words, fault),) = said
    assert fault
    assert "is held by" in words
    assert "a block that is free" in words
