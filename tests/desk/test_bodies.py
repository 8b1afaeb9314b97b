"""Crafts of several bodies in the real window: added, dragged, tied, looked at, driven, saved and taken off again."""

from __future__ import annotations

import numpy as np
import pytest
from hands import drive
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu, QPushButton

from oak_sled.core.project import demos, limbs
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.ties import TIES
from oak_sled.desk.panes.ledgerpane import ALL


@pytest.fixture
def window(reopened):
    """One window for all tests here: each opens the fan sled anew."""
    return reopened("fan-sled")


@pytest.fixture
def page(window, idle):
    """The Build page of the fan sled."""
    window.session.choose("drill", "straight_pull")
    window.show_page("Build")
    idle()
    window.build_page.plan.choose("")
    yield window.build_page
    window.show_page("Bench")


def choose(fill, *words):
    """Chooses the entry of a menu that these words lead to, each a part of one."""
    whole = menu = QMenu()
    fill(whole)
    for word in words[:-1]:
        menu = next(action.menu() for action in menu.actions() if action.menu() and word in action.text())
    next(action for action in menu.actions() if words[-1] in action.text()).trigger()
    whole.deleteLater()


def spot(page, name, view=0):
    """Where something is taken hold of in a view."""
    mark = next(one for one in page.plan.marks() if one.part == name and one.view.name == page.plan.views()[view].name)
    return mark.view.at(mark.spot).toPoint()


def drag(qtbot, plan, start, by):
    qtbot.mousePress(plan, Qt.MouseButton.LeftButton, pos=start)
    for k in range(1, 5):
        qtbot.mouseMove(plan, start + QPoint(by.x() * k // 4, by.y() * k // 4))
    qtbot.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=start + by)


def on_bench_with_a_trailer(page, idle):
    """The window on the Bench page and its session, after a trailer is added."""
    choose(page.bodies.fill, "add a trailer")
    idle()
    page.window().show_page("Bench")
    return page.window(), page.session


@pytest.mark.parametrize("kind", limbs.KINDS)
def test_each_kind_of_body_is_added_from_the_menu_and_is_one_step(kind, page, idle):
    session = page.session
    before = session.yard
    choose(page.bodies.fill, f" {kind.replace('_', ' ')}: ")
    idle()
    craft = session.craft
    assert page.plan.limb() is craft.bodies[0]
    assert f"fan_sled.{craft.bodies[0].id}/position.x" in session.shown.run.layout.names
    assert "2 bodies of" in page.plan.words()[0]
    assert page.dials["mass"].value == craft.bodies[0].mass
    session.undo()
    idle()
    assert session.yard == before


def test_body_hitch_and_a_part_on_it_are_dragged_and_every_number_follows(page, qtbot, idle):
    choose(page.bodies.fill, "add a trailer")
    idle()
    plan, session = page.plan, page.session
    scale = plan.views()[0].scale
    start = session.craft.bodies[0].x
    drag(qtbot, plan, spot(page, "bodies.trailer"), QPoint(-60, 0))
    idle()
    assert plan.chosen == "bodies.trailer"
    assert session.craft.bodies[0].x == pytest.approx(start - 60.0 / scale, abs=0.03)
    assert page.dials["x"].value == session.craft.bodies[0].x
    first = session.shown.run.record.row(0)
    behind = session.shown.run.seen_from("fan_sled.trailer").place_at(0)[0]
    assert behind - first[0] == pytest.approx(session.craft.bodies[0].x - 0.05, abs=1e-6)
    drag(qtbot, plan, spot(page, "ties.hitch", view=1), QPoint(0, 40))
    idle()
    assert session.craft.ties[0].z < -0.1
    skids = next(part for part in session.craft.parts if part.carried_by == "trailer")
    mark = next(one for one in plan.marks() if one.part == skids.id)
    drag(qtbot, plan, mark.view.at(mark.spot).toPoint(), QPoint(20, 0))
    idle()
    after = next(part for part in session.craft.parts if part.id == skids.id)
    assert after.spread_x != skids.spread_x
    assert abs(after.spread_x - skids.spread_x) < 1.0, "in the axes of the trailer"


def test_a_new_part_is_fitted_to_the_body_that_is_selected_and_can_be_moved_to_another(page, idle):
    choose(page.bodies.fill, "add a trailer")
    idle()
    page.plan.choose("bodies.trailer")
    kind = next(one for one in page.session.craft.parts if one.kind == "thruster")
    page.fit(type(kind))
    idle()
    new = page.session.craft.parts[-1] if page.plan.part() is None else page.plan.part()
    assert new.carried_by == "trailer"
    assert page.choices["carried_by"].text() == "carried by: trailer"
    menu = page.choices["carried_by"].menu()
    next(action for action in menu.actions() if action.text() == "body").trigger()
    idle()
    assert page.plan.part().carried_by == ""


@pytest.mark.parametrize("kind", [one for one in TIES if one is not Bogie], ids=lambda kind: kind.TITLE)
def test_every_kind_of_tie_is_made_between_two_bodies_and_removed_by_a_key(kind, page, qtbot, idle):
    choose(page.bodies.fill, "add an outrigger")
    idle()
    choose(page.bodies.fill, "tie the selected body", kind.TITLE)
    idle()
    tie = page.session.craft.ties[-1]
    assert type(tie) is kind
    assert (tie.one, tie.other) == ("outrigger", "body")
    assert page.plan.tie() is tie
    assert {"one", "other"} <= set(page.choices)
    assert f"tie.fan_sled_{tie.id}.{kind.LOAD}" in page.session.shown.run.layout.names
    page.plan.setFocus()
    qtbot.keyClick(page.plan, Qt.Key.Key_Delete)
    idle()
    assert tie.id not in [one.id for one in page.session.craft.ties]


def test_a_tie_without_a_second_body_is_refused_in_words(page, idle):
    said = []
    page.session.said.connect(lambda text, *_: said.append(text))
    choose(page.bodies.fill, "tie the selected body", "hinge")
    assert any("it has one" in text for text in said)


def test_a_body_is_renamed_with_all_that_names_it_and_removed(page, qtbot, idle):
    choose(page.bodies.fill, "add a trailer")
    idle()
    assert page.bodies.rename("bodies.trailer", "sledge")
    idle()
    craft = page.session.craft
    assert (craft.ties[0].one, craft.bodies[0].id) == ("sledge", "sledge")
    assert any(part.carried_by == "sledge" for part in craft.parts)
    assert not page.bodies.rename("bodies.sledge", "fan"), "a part has this name"
    page.plan.choose("bodies.sledge")
    next(one for one in page.findChildren(QPushButton) if one.text() == "remove").click()
    idle()
    assert not page.session.craft.bodies
    assert not page.session.craft.ties
    assert all(part.carried_by == "" for part in page.session.craft.parts)


def test_strips_meters_ledger_and_view_tell_every_body(page, qtbot, idle):
    window, session = on_bench_with_a_trailer(page, idle)
    session.shown.set_time(4.0)
    idle()
    of_body = next(one for one in window.desk.strips if one.name == "trailer")
    assert of_body.is_body
    assert of_body.path == "bodies.trailer"
    skids = next(part for part in session.craft.parts if part.carried_by == "trailer")
    assert window.desk.strip(skids.id).meter.value != 0.0
    session.choose("craft", "fan_sled.trailer")
    idle()
    assert session.shown.run.job.single.id == "fan_sled.trailer"
    window.show_pane("Ledger")
    pane = window.ledger
    assert {row.name for row in pane.rows()} >= {skids.id, "ties"}
    pulled = next(row for row in pane.rows() if row.name == "ties").force[0]
    pane.show_body(ALL)
    both = {row.name: row for row in pane.rows()}
    assert both["fan_sled/ties"].force[0] == pytest.approx(-pulled, rel=1e-3)
    assert "fan_sled" in pane.names()
    session.choose("craft", "fan_sled")
    idle()
    assert session.body == ""
    session.select_next()
    idle()
    assert session.seen_name == "fan_sled.trailer"
    session.select_next()
    idle()
    assert session.seen_name == "fan_sled"


def test_it_is_driven_by_hand_while_a_dial_of_its_tie_is_moved_and_kept(page, qtbot, idle):
    window, session = on_bench_with_a_trailer(page, idle)
    window.driver.start()
    drive(qtbot, window, 1.5, Qt.Key.Key_W)
    session.edit("crafts.fan_sled.ties.hitch.friction", 40.0, "friction")
    drive(qtbot, window, 0.5, Qt.Key.Key_W)
    window.driver.stop()
    idle()
    kept = session.shelf.cards[0].kept.ready or session.shown.run
    assert np.all(np.isfinite(kept.column("position.x")))
    assert kept.column("fan_sled.trailer/position.x")[-1] > kept.column("fan_sled.trailer/position.x")[0] + 0.5


def test_a_poke_at_a_trailer_pushes_the_trailer(page, qtbot, idle):
    window, session = on_bench_with_a_trailer(page, idle)
    session.shown.set_time(1.0)
    window.playbar.choose("side")
    idle()
    view = window.view
    view.repaint()
    run, row = session.shown.run, session.shown.row
    px, _ = view.pane.camera.project(run.seen_from("fan_sled.trailer").place_at(row))
    grip = view.hand._touched(QPointF(*px[0]), view.pane.camera, run, row)
    assert (grip.target, grip.mass) == ("fan_sled.trailer", 120.0)
    view.hand.set_poking(True)
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPointF(*px[0]).toPoint())
    idle()
    view.hand.set_poking(False)
    assert [event.target for event in session.drill.events] == ["fan_sled.trailer"]
    assert np.abs(session.shown.run.seen_from("fan_sled.trailer").line("poke")).max() > 0.0


def test_it_is_saved_and_opened_as_it_was(page, idle, tmp_path):
    choose(page.bodies.fill, "add a jib")
    idle()
    session, window = page.session, page.window()
    before = session.yard
    window.keeper.save(tmp_path / "jib.json")
    session.undo()
    idle()
    window.keeper.open(tmp_path / "jib.json")
    idle()
    assert session.yard == before
    assert session.craft.ties[0].channel == "jib"


def test_two_crafts_are_tied_on_the_drill_page(window, idle):
    window.session.open(demos.load("sledge-train"), (), None)
    idle()
    session = window.session
    other = session.craft.replace(id="second", title="Second")
    session.change(session.yard.replace(crafts=(*session.yard.crafts, other)), "second craft")
    window.menus.toggle_part(other)
    idle()
    window.show_page("Drill")
    page = window.drill_page
    choose(page.ties.fill, "rope", "to Second")
    idle()
    tie = session.drill.ties[0]
    assert tie.other == "second"
    assert page.subject()[1] == tie
    assert "tie.rope.tension" in session.shown.run.layout.names
    assert page.dials["length"].value == 0.0
    session.edit(f"{page.subject()[0]}.length", 40.0, "length")
    idle()
    assert session.drill.ties[0].length == 40.0
    page.ties.remove("rope")
    idle()
    assert not session.drill.ties
    window.show_page("Bench")
