"""The Build page in the real window: mounts dragged, mirrored and linked, loads that follow, all of it undone."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton

from oak_sled.core.advice import cautions
from oak_sled.core.assembly import jobs
from oak_sled.core.base import units
from oak_sled.core.geometry.terrain import mesh_of
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.register import KINDS
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import blank, demos
from oak_sled.core.results import run
from oak_sled.desk.craftpage import buildpaint
from oak_sled.desk.craftpage.buildchannels import KeyButton
from oak_sled.desk.strips import partmenu
from oak_sled.desk.yardview import craftmesh


@pytest.fixture
def window(reopened):
    """One window for all tests here: each opens the ferry anew."""
    window = reopened("ferry")
    window.build_page.plan.choose("")
    return window


@pytest.fixture
def page(window, idle):
    window.show_page("Build")
    idle()
    return window.build_page


def part(page, name):
    return next(one for one in page.craft.parts if one.id == name)


def at(page, name, number=0, view=0):
    shown = page.plan.views()[view]
    return shown.at(part(page, name).mounts()[number]).toPoint()


def drag(qtbot, page, start: QPoint, by: QPoint, modifier=Qt.KeyboardModifier.NoModifier):
    plan = page.plan
    qtbot.mousePress(plan, Qt.MouseButton.LeftButton, modifier, start)
    for k in range(1, 5):
        qtbot.mouseMove(plan, start + QPoint(by.x() * k // 4, by.y() * k // 4))
    qtbot.mouseRelease(plan, Qt.MouseButton.LeftButton, modifier, start + by)


def test_a_key_opens_it_and_it_draws_three_views(window, qtbot, idle):
    qtbot.keyClick(window, Qt.Key.Key_F5)
    idle()
    assert window.page_stack.currentWidget() is window.build_page
    assert [view.name for view in window.build_page.plan.views()] == ["from above", "from the left", "from the front"]


def test_a_dragged_pad_takes_its_linked_ones_with_it_and_is_one_step(page, window, qtbot, idle):
    before = part(page, "pads")
    drag(qtbot, page, at(page, "pads"), QPoint(-60, 30))
    idle()
    after = part(page, "pads")
    assert page.plan.chosen == "pads"
    assert after.spread_x < before.spread_x
    assert after.spread_y < before.spread_y
    assert (after.x, after.y, after.z) == (before.x, before.y, before.z)
    assert after.spread_x == pytest.approx(round(after.spread_x / 0.05) * 0.05), "on the grid"
    window.session.undo()
    idle()
    assert part(page, "pads") == before


def test_loads_and_swings_follow_a_drag(page, window, qtbot, idle):
    old = page.plan.standing()
    drag(qtbot, page, at(page, "pads"), QPoint(-90, 0))
    idle()
    new = page.plan.standing()
    assert new.mode("pitch").rate < 0.95 * old.mode("pitch").rate
    assert new.mode("bounce").rate == pytest.approx(old.mode("bounce").rate, rel=5e-3)
    assert f"pitch {units.show(new.mode('pitch').rate / math.tau, 'Hz')}" in page.plan.words()[0]
    assert any("pitch" in name for name, _ in page.plan.standing_lines(new))


def test_heights_are_dragged_in_the_side_view(page, qtbot, idle):
    low = part(page, "fan").z
    drag(qtbot, page, at(page, "fan", view=1), QPoint(0, -40))
    idle()
    assert part(page, "fan").z > low + 0.1
    assert part(page, "fan").x == pytest.approx(-2.4, abs=0.026)


def test_the_keyboard_selects_and_moves(page, window, qtbot, idle):
    plan = page.plan
    plan.setFocus()
    names = [one.id for one in page.craft.parts]
    qtbot.keyClick(plan, Qt.Key.Key_BracketRight)
    assert plan.chosen == names[0]
    qtbot.keyClick(plan, Qt.Key.Key_BracketLeft)
    assert plan.chosen == ""
    plan.choose("fan")
    x, z = part(page, "fan").x, part(page, "fan").z
    qtbot.keyClick(plan, Qt.Key.Key_Right)
    qtbot.keyClick(plan, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    idle()
    assert part(page, "fan").x == pytest.approx(x + 0.05)
    assert part(page, "fan").z == pytest.approx(z + 0.05)
    assert "Fan" in plan.accessibleDescription()
    window.session.undo()
    window.session.undo()
    assert part(page, "fan").x == x


def test_fit_mirror_duplicate_and_remove(page, window, qtbot, idle):
    page.fit(Thruster)
    name = page.plan.chosen
    assert part(page, name).kind == "thruster"
    window.session.edit(f"{window.session.craft_path}.parts.{name}.at_point", True)
    window.session.edit(f"{window.session.craft_path}.parts.{name}.y", 0.8)
    window.session.edit(f"{window.session.craft_path}.parts.{name}.azimuth_deg", 20.0)
    page.mirror()
    twin = part(page, page.plan.chosen)
    assert (twin.y, twin.azimuth_deg) == (-0.8, -20.0)
    qtbot.keyClick(page.plan, Qt.Key.Key_D)
    assert page.plan.chosen not in (name, twin.id)
    count = len(page.craft.parts)
    qtbot.keyClick(page.plan, Qt.Key.Key_Delete)
    assert len(page.craft.parts) == count - 1
    idle()


def test_linked_ones_are_set_apart_and_linked_again(page, window, idle):
    before = part(page, "pads")
    page.plan.choose("pads")
    page.set_apart()
    idle()
    pads = [one for one in page.craft.parts if isinstance(one, Pad)]
    assert len(pads) == 4
    assert {(one.x, one.y) for one in pads} == {(sx * 2.4, sy * 1.2) for sx in (1, -1) for sy in (1, -1)}
    page.plan.choose(pads[0].id)
    window.session.edit(f"{window.session.craft_path}.parts.{pads[0].id}.stiffness", 31000.0)
    assert [one.stiffness for one in page.craft.parts if isinstance(one, Pad)].count(31000.0) == 1, "one, and no other"
    page.link()
    linked = [one for one in page.craft.parts if isinstance(one, Pad)]
    assert len(linked) == 1
    assert (linked[0].spread_x, linked[0].spread_y) == (before.spread_x, before.spread_y)
    assert linked[0].stiffness == 31000.0


def test_what_is_linked_says_so_and_one_edit_reaches_all(page, window, idle):
    page.plan.choose("pads")
    words = [child.text() for child in page.numbers.widget().children() if hasattr(child, "text")]
    assert any("4 linked" in text for text in words)
    window.session.edit(f"{window.session.craft_path}.parts.pads.stiffness", 35000.0)
    idle()
    loads = page.plan.standing().loads
    assert max(loads) - min(loads) < 0.1 * max(loads)


def test_the_body_takes_its_shape_and_held_axes_here(page, window, idle):
    page.plan.choose("")
    buttons = {button.accessibleName(): button for button in page.numbers.findChildren(type(page.add_button))}
    buttons["yaw axis"].click()
    idle()
    assert page.craft.body.held == ("yaw",)
    assert "held: yaw" in page.plan.words()[1]
    window.session.undo()
    assert page.craft.body.held == ()


def test_a_craft_from_a_blank_yard_hovers_after_one_fit(window, idle):
    """New yard, free all axes, fit pads, drop it: it stands on them."""
    window.session.open(blank.blank_yard(), (), None)
    idle()
    window.show_page("Build")
    page = window.build_page
    window.session.edit(f"{window.session.craft_path}.body.held", ())
    page.fit(Pad)
    idle()
    assert len(part(page, page.plan.chosen).mounts()) == 4
    stands = page.plan.standing()
    assert stands is not None
    assert min(stands.loads) > 0.0
    assert not any(mode.grows for mode in stands.modes)


def key_button(page, side):
    return [one for one in page.numbers.findChildren(KeyButton) if one.property("side") == side][-1]


def test_a_channel_is_made_named_bound_and_heard(page, window, idle, qtbot):
    page.add_channel()
    assert page.channel == "channel"
    edit = page.numbers.findChildren(QLineEdit, "desk_name")[-1]
    edit.setFocus()
    edit.selectAll()
    qtbot.keyClicks(edit, "lift")
    qtbot.keyClick(edit, Qt.Key.Key_Return)
    assert page.channel == "lift"
    assert page.craft.channels[-1].id == "lift"
    for side, key, name in (("plus_keys", Qt.Key.Key_R, "R"), ("minus_keys", Qt.Key.Key_F, "F")):
        button = key_button(page, side)
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        assert "press a key" in button.text()
        qtbot.keyClick(button, key)
        assert getattr(page.craft.channels[-1], side) == (name,)
        assert name in key_button(page, side).text()
    qtbot.mouseClick(key_button(page, "plus_keys"), Qt.MouseButton.LeftButton)
    qtbot.keyClick(key_button(page, "plus_keys"), Qt.Key.Key_Escape)
    assert page.craft.channels[-1].plus_keys == ("R",), "Escape leaves it"
    window.session.edit("crafts.ferry.parts.fan.channel", "lift")
    idle()
    assert "no part listens" not in " ".join(label.text() for label in page.numbers.findChildren(QLabel))
    window.session.undo()
    window.session.undo()
    assert page.craft.channels[-1].minus_keys == ()


def test_a_renamed_channel_takes_its_parts_and_tracks_along(page, window, idle):
    yard = window.session.yard
    before = run.execute(jobs.job_of(yard)).digest
    name = page.craft.channels[0].id
    listening = [part.id for part in page.craft.parts if name in part.channels_used()]
    page.choose_channel(name)
    edit = page.numbers.findChildren(QLineEdit, "desk_name")[-1]
    edit.setText("whoosh")
    edit.editingFinished.emit()
    idle()
    assert [part.id for part in page.craft.parts if "whoosh" in part.channels_used()] == listening
    assert run.execute(window.session.job()).digest == before
    remove = next(b for b in page.numbers.findChildren(QPushButton) if b.text() == "remove this channel")
    remove.click()
    idle()
    assert page.channel == ""
    assert not any("whoosh" in part.channels_used() for part in page.craft.parts)
    assert "whoosh" not in [track.channel for drill in window.session.yard.drills for track in drill.tracks]


def test_every_kind_stands_once_in_the_grouped_list_and_a_choice_fits_it(page, window, idle):
    listed = [kind for kinds in partmenu.groups().values() for kind in kinds]
    assert sorted(kind.TITLE for kind in listed) == sorted(kind.document.TITLE for kind in KINDS)
    menu = page.add_button.menu()
    assert len(menu.actions()) <= 10
    wheels = next(action.menu() for action in menu.actions() if action.text().startswith("wheels"))
    before = len(page.craft.parts)
    next(action for action in wheels.actions() if action.text().startswith("Sprung wheels")).trigger()
    idle()
    assert [part.kind for part in page.craft.parts].count("wheel") == 1
    assert len(page.craft.parts) == before + 1
    window.acts["undo"].trigger()


@pytest.mark.parametrize("kind", [kind.document for kind in KINDS])
def test_every_kind_is_fitted_from_the_list_and_removed(page, window, idle, kind):
    before = page.craft.parts
    inner = [one.menu() for one in page.add_button.menu().actions()]
    all_of_them = [action for menu in inner if menu is not None for action in menu.actions()]
    all_of_them += [one for one in page.add_button.menu().actions() if one.menu() is None]
    next(action for action in all_of_them if action.text().split("  ·  ")[0] == kind.TITLE).trigger()
    idle()
    assert [type(part) for part in page.craft.parts if part not in before] == [kind]
    window.acts["undo"].trigger()
    idle()
    assert page.craft.parts == before


def test_a_blank_craft_whose_height_is_held_says_what_to_do(page, window, idle):
    window.session.edit("crafts.ferry.body.held", ("z", "roll", "pitch"))
    idle()
    assert "its height is held" in page.plan.standing_lines(None)[0][0]
    assert "height_is_held" in [one.name for one in cautions.find(window.session.shown.run.job)]
    window.session.edit("crafts.ferry.body.held", ())
    idle()
    assert "height_is_held" not in [one.name for one in cautions.find(window.session.shown.run.job)]


def test_the_mesh_of_a_body_is_turned_and_scaled(page, window, idle):
    corners, faces = shapes_of_a_wedge()
    body = page.craft.body.replace(shape="mesh", mesh=mesh_of(corners, faces), length=3.0, width=2.0, height=1.0)
    window.session.edit("crafts.ferry.body", body)
    idle()
    page.plan.choose("")
    page.refresh()
    assert page.numbers.choices["mesh.ahead"].text() == "ahead: +x"
    page.scale(0.5)
    assert (page.craft.body.length, page.craft.body.width, page.craft.body.height) == (1.5, 1.0, 0.5)
    page.scale(0.0)
    assert (page.craft.body.length, page.craft.body.width) == pytest.approx((2.0, 1.0))
    window.session.edit("crafts.ferry.body.mesh.ahead", "-y")
    assert page.numbers.choices["mesh.ahead"].text() == "ahead: -y"
    assert page.craft.body.mesh.size()[:2] == pytest.approx((1.0, 2.0))
    window.session.edit("crafts.ferry.body.mesh.up", "+y")
    assert page.craft.body.mesh.up == "+z", "refused: it points forward already"


def test_a_wheel_is_drawn_as_high_as_the_ground_holds_it():
    craft = demos.load("ice-truck").craft("truck")
    wheels = next(one for one in craft.parts if one.kind == "wheel")
    ground = craft.body.centre()[2] - craft.stands_above(9.80665)
    hub = buildpaint.standing_hub(wheels.mounts()[0], wheels.radius, ground)
    assert hub[2] - wheels.radius == pytest.approx(ground)
    assert hub[2] > wheels.mounts()[0][2], "the spring is compressed"
    assert buildpaint.standing_hub((1.0, 2.0, 3.0), 0.4, -5.0) == (1.0, 2.0, 3.0), "hangs at full droop"


def test_a_shape_beside_the_origin_is_drawn_there_and_takes_new_parts_with_it(page, window, idle):
    craft, offset = page.craft, (0.5, -0.3, 0.8)
    still, _ = craftmesh.craft_mesh(craft.replace(parts=()))
    body = craft.body.replace(shape_x=offset[0], shape_y=offset[1], shape_z=offset[2])
    aside, _ = craftmesh.craft_mesh(craft.replace(body=body, parts=()))
    assert aside[:, :3] - still[:, :3] == pytest.approx(np.tile(offset, (len(still), 1)), abs=1e-5)
    low, high = page.plan.extent()
    window.session.edit("crafts.ferry.body", body)
    idle()
    assert page.plan.extent()[1][2] == pytest.approx(max(high[2], body.half_extents()[2] + 0.8))
    assert low[2] < page.plan.extent()[1][2]
    page.plan.choose("")
    page.refresh()
    assert page.numbers.dials["shape_z"].value == 0.8
    window.desk.fit(Pad)
    made = page.craft.parts[[one.kind for one in page.craft.parts].index("pad")]
    added = next(one for one in page.craft.parts if one.kind == "pad" and one.id != made.id)
    assert (added.x, added.y) == pytest.approx(offset[:2])


def shapes_of_a_wedge():
    corners = np.array([[0, 0, 0], [2, 0, 0], [2, 1, 0], [0, 1, 0], [2, 0, 0.5], [2, 1, 0.5]], float)
    faces = [[0, 2, 1], [0, 3, 2], [1, 2, 5], [1, 5, 4], [0, 4, 5], [0, 5, 3], [0, 1, 4], [3, 5, 2]]
    return corners, np.array(faces)


def test_a_pad_and_the_pointer_are_bound_on_the_page(page, window, idle):
    name = page.craft.channels[0].id
    page.choose_channel(name)

    def channel():
        return next(one for one in page.craft.channels if one.id == name)

    def click(words):
        next(b for b in page.numbers.findChildren(QPushButton) if b.text() == words).click()
        idle()

    click("bind a pad or the pointer")
    assert [one.words for one in channel().controls] == ["pad 1 left x"]
    path = "controls.control"
    choices = page.numbers.choices
    next(one for one in choices[f"{path}.what"].menu().actions() if one.text() == "wheel").trigger()
    idle()
    assert channel().controls[0].what == "wheel"
    dial = page.numbers.dials[f"{path}.factor"]
    dial.type_in("-0.5")
    dial._take_entry()
    idle()
    assert channel().controls[0].factor == -0.5
    next(one for one in page.numbers.choices[f"{path}.device"].menu().actions() if one.text() == "pointer").trigger()
    idle()
    assert page.numbers.choices[f"{path}.device"].text() == "device: pointer"
    click("unbind pointer wheel")
    assert channel().controls == ()


def test_a_channel_is_made_a_toggle_and_then_a_selector_on_the_page(page, window, idle):
    name = page.craft.channels[0].id
    page.choose_channel(name)

    def choose(field, words):
        button = page.numbers.choices[field]
        next(action for action in button.menu().actions() if action.text() == words).trigger()
        idle()
        return next(channel for channel in page.craft.channels if channel.id == name)

    assert choose("stays", "toggle").stays == "toggle"
    assert "notches" not in page.numbers.choices
    assert choose("stays", "selector").stays == "selector"
    assert choose("notches", "5").notches == 5
    assert page.numbers.choices["notches"].isVisible()
    window.acts["undo"].trigger()
    idle()
    assert next(channel for channel in page.craft.channels if channel.id == name).notches == 3


def test_a_toggle_that_is_driven_stays_on_after_the_key_is_up(page, window, idle, qtbot):
    craft = page.craft
    toggle = craft.channels[0].replace(stays="toggle", two_sided=False, plus_keys=("W",), minus_keys=())
    window.session.edit(f"crafts.{craft.id}.channels.{toggle.id}", toggle)
    idle()
    window.show_page("Bench")
    window.set_driving(True)
    qtbot.waitUntil(lambda: window.session.shown.run.ticks > 5, timeout=10_000)
    column = f"channel.{toggle.id}"
    QTest.keyPress(window.view, Qt.Key.Key_W)
    qtbot.waitUntil(lambda: window.session.shown.run.column(column)[-1] == 1.0, timeout=10_000)
    QTest.keyRelease(window.view, Qt.Key.Key_W)
    ticks = window.session.shown.run.ticks
    qtbot.waitUntil(lambda: window.session.shown.run.ticks > ticks + 20, timeout=10_000)
    assert window.session.shown.run.column(column)[-1] == 1.0
    QTest.keyPress(window.view, Qt.Key.Key_W)
    qtbot.waitUntil(lambda: window.session.shown.run.column(column)[-1] == 0.0, timeout=10_000)
    QTest.keyRelease(window.view, Qt.Key.Key_W)
    window.set_driving(False)
    idle()
