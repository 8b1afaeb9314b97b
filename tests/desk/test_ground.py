"""The Ground page driven as a user drives it, and freight in the yard view."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Ground, Wall
from oak_sled.desk.ground.groundsection import spans
from oak_sled.desk.widgets import screenshot, theme
from oak_sled.desk.yardview import freight
from oak_sled.desk.yardview.camera import Rig
from oak_sled.desk.yardview.scene import Scene


def block(page, name):
    return next(one for one in page.session.ground.blocks if one.id == name)


def test_a_ramp_is_dragged_and_the_drill_runs_again(page, window, idle, drag):
    before = window.session.shown.run
    drag(page.plan, page.plan.at(20, -14), page.plan.at(26, -10))
    ramp = block(page, "ramp")
    assert (ramp.x, ramp.y) == (pytest.approx(26, abs=0.4), pytest.approx(-10, abs=0.4))
    assert ramp.x % 0.25 == 0.0, "on the grid"
    assert window.session.history.undo_label == "move ramp"
    idle()
    assert window.session.shown.run is not before
    assert window.session.shown.run.job.ground == window.session.ground
    window.session.undo()
    assert (block(page, "ramp").x, block(page, "ramp").y) == (20.0, -14.0)
    window.session.redo()
    assert block(page, "ramp") == ramp


def test_a_thing_is_turned_and_sized_by_its_handles(page, drag):
    plan = page.plan
    plan.choose(["blocks.ramp"])
    drag(plan, plan.handles(block(page, "ramp"))["turn"], plan.at(20, 10))
    assert block(page, "ramp").heading_deg == pytest.approx(90.0, abs=5.0)
    drag(plan, plan.handles(block(page, "ramp"))["length"], plan.at(20, -7))
    assert block(page, "ramp").length == pytest.approx(14.0, abs=0.7)
    assert page.session.history.undo_label == "size ramp"


def test_several_are_moved_aligned_duplicated_and_removed(page):
    plan, session = page.plan, page.session
    QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=plan.at(14, 0).toPoint())
    QTest.mouseClick(plan, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, plan.at(33, -3).toPoint())
    assert plan.chosen == ["blocks.crate_1", "blocks.float_1"]
    page.align("y")
    assert block(page, "float_1").y == block(page, "crate_1").y
    session.undo()
    assert block(page, "float_1").y == -3.0, "one step for both"
    count = len(session.ground.blocks)
    QTest.keyClick(plan, Qt.Key.Key_D)
    assert len(session.ground.blocks) == count + 2
    QTest.keyClick(plan, Qt.Key.Key_Delete)
    assert len(session.ground.blocks) == count
    QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=plan.at(14, 0).toPoint())
    QTest.keyClick(plan, Qt.Key.Key_Right)
    assert block(page, "crate_1").x == 14.25


@pytest.mark.parametrize("kind", ["crate", "barrel", "ball", "log", "ramp", "step", "ram", "trigger", "wall", "gate"])
def test_every_kind_of_thing_is_placed_and_met(page, window, idle, kind):
    page.add(kind)
    (path, item) = page.plan.in_hand()[0]
    assert path.startswith(("blocks.", "walls.", "gates."))
    assert page.subject()[1] == item
    idle()
    assert not window.notice.fault
    screenshot.settled(page)


def test_the_numbers_beside_change_what_is_in_hand(page, window, idle):
    page.plan.choose(["blocks.crate_1"])
    dial = page.dials["mass"]
    dial.entered.emit(500.0)
    assert block(page, "crate_1").mass == 500.0
    assert page.dials["mass"].value == 500.0
    assert window.session.history.undo_label
    page.session.edit(f"{page.path}.blocks.crate_1.moves", "fixed")
    assert "mass" not in page.dials, "a fixed item has no use for a mass"
    assert page.choices["moves"].text() == "moves: fixed"
    page.plan.choose([])
    page.dials["friction"].moved.emit(0.3)
    page.dials["friction"].released.emit()
    assert window.session.ground.friction == 0.3
    idle()


def name_edit(page):
    return page.numbers.findChildren(QLineEdit, "desk_name")[-1]


def test_a_name_is_typed_and_what_refers_to_it_follows(page, window, idle):
    said = []
    window.session.said.connect(lambda text, fault: said.append(text))
    page.plan.choose(["blocks.crate_1"])
    edit = name_edit(page)
    edit.selectAll()
    QTest.keyClicks(edit, "Mail Crate")
    QTest.keyClick(edit, Qt.Key.Key_Return)
    idle()
    assert block(page, "mail_crate").mass > 0.0
    assert page.plan.chosen == ["blocks.mail_crate"]
    assert name_edit(page).text() == "mail_crate"
    assert window.session.history.undo_label == "rename crate 1"
    edit = name_edit(page)
    edit.selectAll()
    QTest.keyClicks(edit, "float_1")
    QTest.keyClick(edit, Qt.Key.Key_Return)
    assert "is taken" in said[-1]
    assert edit.text() == "mail_crate"
    window.session.undo()
    assert block(page, "crate_1").mass > 0.0
    page.add_material()
    made = window.session.ground.materials[-1].id
    assert page.rename("materials", made, "snow_crust")
    assert [one.id for one in window.session.ground.materials][-1] == "snow_crust"


def test_a_section_is_drawn_along_its_line(page, drag):
    drag(page.plan, page.plan.at(*page.plan.line[1]), page.plan.at(30, -14))
    assert page.plan.line[1] == (pytest.approx(30, abs=0.4), pytest.approx(-14, abs=0.4))


def test_the_section_of_a_slope_follows_its_dial(page, idle):
    page.plan.choose([])
    for tilt in (10.0, 20.0):
        page.dials["tilt_deg"].moved.emit(tilt)
        page.dials["tilt_deg"].released.emit()
        idle()
        page.plan.repaint()
        (ax, ay), (bx, by) = page.plan.line
        slope, profile = page.session.ground.slope(), page.plan.section.profile
        assert profile[0][1] == pytest.approx(slope.height(ax, ay), abs=1e-6)
        share, high = profile[-1]
        assert high == pytest.approx(slope.height(ax + share * (bx - ax), ay + share * (by - ay)), abs=1e-6)
        assert high != profile[0][1]


@pytest.mark.parametrize(
    ("item", "at", "wanted"),
    [
        (Block(id="a", length=2, width=2, height=1, z=0.5), (0.9, 0.0), (0.5, 1.5)),
        (Block(id="a", length=2, width=2, height=1), (1.1, 0.0), None),
        (Block(id="a", shape="wedge", length=4, width=2, height=1), (1.0, 0.0), (0.0, 0.75)),
        (Block(id="a", shape="ball", length=2), (0.0, 0.0), (0.0, 2.0)),
        (Block(id="a", shape="ball", length=2), (0.8, 0.8), None),
        (Block(id="a", shape="cylinder", length=2, height=3), (0.6, 0.6), (0.0, 3.0)),
        (Block(id="a", shape="capsule", length=3, width=1), (1.0, 0.3), (0.1, 0.9)),
        (Wall(id="a", length=4, width=1, heading_deg=90, height=2), (0.0, 1.5), (0.0, 2.0)),
    ],
)
def test_a_section_knows_how_high_a_thing_is(item, at, wanted):
    low, high = spans(item, np.array([at[0]]), np.array([at[1]]))
    if wanted is None:
        assert np.isnan(low[0])
        assert np.isnan(high[0])
    else:
        assert (low[0], high[0]) == pytest.approx(wanted)


def test_a_fault_is_said_and_the_last_good_value_holds(page, window):
    page.session.edit(f"{page.path}.blocks.crate_1.mass", -3.0)
    assert window.notice.fault
    assert block(page, "crate_1").mass == 25.0


def test_the_keys_bring_the_page_and_the_bench(window):
    window.acts["page_Ground"].trigger()
    assert window.page_stack.currentWidget() is window.ground_page
    assert window.header.pages["Ground"].isChecked()
    window.acts["page_Bench"].trigger()
    assert window.page_stack.currentWidget() is not window.ground_page


# freight in the picture


def test_freight_is_drawn_where_the_run_says(renderer):
    ground = Ground(id="ground", blocks=(Block(id="crate", x=3.0, mass=30.0),))
    yard = demos.load("quay")
    drill = yard.drill("push_freight").replace(duration=2.0)
    made = run.execute(Job(yard.craft(), ground, drill, 120))
    spots = freight.places(made, made.ticks)
    assert spots.shape == (1, 7)
    assert spots[0, 0] == made.column("block.crate.position.x")[-1]
    mesh = freight.Freight(ground).placed(spots)
    assert mesh[:, :3].mean(axis=0) == pytest.approx(spots[0, :3], abs=0.1)
    camera = Rig(name="top").camera(made, made.ticks, 320, 200)
    empty = renderer.draw(Scene(Ground(id="ground")), camera, 320, 200, False)
    full = renderer.draw(Scene(ground, places=spots), camera, 320, 200, False)
    changed = sum(empty.pixel(x, y) != full.pixel(x, y) for x in range(0, 320, 3) for y in range(0, 200, 3))
    assert changed > 5


@pytest.mark.parametrize("moves", ["free", "fixed", "driven", "trigger"])
@pytest.mark.parametrize("shape", ["box", "ball", "capsule", "cylinder", "wedge"])
def test_every_shape_is_drawn_to_size_and_in_the_look_of_how_it_moves(shape, moves):
    one = Block(id="a", shape=shape, moves=moves, length=2.0, width=1.0, height=0.8)
    mesh = freight.template(one)
    half = one.half_extents()
    reach = np.abs(mesh[:, :3]).max(axis=0)
    assert reach == pytest.approx(half, abs=0.09)
    if moves != "free":
        other = freight.template(one.replace(moves="free"))
        assert not np.array_equal(mesh[0, 6:], other[0, 6:]), "it can be told from a loose one"


def test_the_plan_of_the_bench_shows_freight_where_the_run_has_it(window, idle):
    window.session.open(demos.load("quay"), (), None)
    idle()
    window.session.choose("drill", "push_freight")
    idle()
    window.show_pane("Plan")
    run_, plan = window.session.shown.run, window.plan
    window.session.shown.set_time(run_.duration)
    picture = screenshot.settled(plan)
    x, y = (run_.column(f"block.crate_1.position.{axis}")[-1] for axis in "xy")
    assert x > 20.0, "it was pushed on"
    there, before = plan._frame.at(x, y).toPoint(), plan._frame.at(14.0, 0.0).toPoint()
    timber = theme.colour("oak_light").rgb()
    near = [picture.pixel(there.x() + dx, there.y() + dy) for dx in (-2, 0, 2) for dy in (-2, 0, 2)]
    left = [picture.pixel(before.x() + dx, before.y() + dy) for dx in (-2, 0, 2) for dy in (-2, 0, 2)]
    assert timber in near
    assert timber not in left
