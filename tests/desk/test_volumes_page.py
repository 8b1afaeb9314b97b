"""Volumes on the Ground page, drawn by hand, and in the yard view."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from oak_sled.core.files import yard_json
from oak_sled.core.yard.volume import DOES
from oak_sled.desk.ground.newthings import VOLUMES
from oak_sled.desk.yardview import volumepaint


@pytest.fixture
def page(window, idle):
    window.filing.show_demo("survey-copter")
    idle()
    for field, name in (("drill", "gusts"), ("ground", "windy_camp")):
        window.session.edit(f"bench.{field}", name)
        idle()
    window.show_page("Ground")
    idle()
    return window.ground_page


def volume(page, name):
    return next(one for one in page.session.ground.volumes if one.id == name)


@pytest.mark.parametrize("name", VOLUMES)
def test_every_volume_is_placed_shows_its_own_numbers_and_is_met(page, window, idle, name):
    page.add(name)
    idle()
    [(path, item)] = page.plan.in_hand()
    assert path == f"volumes.{item.id}"
    fields = set(DOES[item.does][1])
    shown = set(page.dials) | set(page.choices)
    every = {one for _, names in DOES.values() for one in names}
    assert {one for one in fields if one not in ("seed",)} <= shown
    assert not shown & (every - fields), "numbers of other volumes do nothing here"
    assert window.session.shown.run.job.ground == window.session.ground
    assert not window.notice.fault


def test_a_volume_is_moved_by_its_edge_or_its_name_sized_and_turned_by_handles_and_undone(page, drag, idle):
    page.add("snow")
    idle()
    plan = page.plan
    first = volume(page, "snow")
    drag(plan, plan.at(first.x, first.y), plan.at(first.x + 20.0, first.y + 8.0))
    moved = volume(page, "snow")
    assert moved.x - first.x == pytest.approx(20.0, abs=0.5)
    drag(plan, plan.handles(moved)["length"], plan.at(moved.x + 15.0, moved.y))
    assert volume(page, "snow").length == pytest.approx(30.0, abs=1.0)
    drag(plan, plan.handles(volume(page, "snow"))["turn"], plan.at(moved.x, moved.y + 30.0))
    assert volume(page, "snow").heading_deg == pytest.approx(90.0, abs=5.0)
    page.session.undo()
    page.session.undo()
    page.session.undo()
    assert volume(page, "snow") == first


def test_what_lies_in_a_volume_stays_within_reach_and_the_paper_can_be_dragged(page, idle):
    page.add("water")
    idle()
    plan, water = page.plan, volume(page, "water")
    page.add("crate")
    idle()
    inside = plan.at(water.x + 12.0, water.y + 10.0)
    assert plan.under(inside) is None, "its middle belongs to what lies there"
    assert plan.under(plan.at(water.x + 20.0, water.y + 9.0)) == "volumes.water"
    crate = page.session.ground.blocks[0]
    assert plan.under(plan.at(crate.x, crate.y)) == "blocks.crate"


def test_what_it_does_is_changed_saved_and_opened_again(page, window, idle, tmp_path):
    page.add("boost")
    idle()
    page.session.edit(f"{page.path}.volumes.boost.does", "launch")
    idle()
    assert "launch_speed" in page.dials
    assert "boost" not in page.dials
    page.dials["launch_speed"].entered.emit(11.0)
    file = tmp_path / "yard.json"
    yard_json.save(window.session.yard, file)
    again = yard_json.load(file)
    assert again == window.session.yard
    assert again.ground("windy_camp").volumes[-1].launch_speed == 11.0
    QTest.keyClick(page.plan, Qt.Key.Key_Delete)
    assert "boost" not in [one.id for one in page.session.ground.volumes]


def test_gusts_blow_in_the_yard_view_and_on_the_plan(page, window, idle):
    window.show_page("Bench")
    idle()
    run = window.session.shown.run
    drawn = []

    class Painter:
        def __getattr__(self, name):
            return lambda *given: drawn.append(name)

    camera = window.view.pane.camera
    volumepaint.paint(Painter(), run, 60, camera, None)
    assert drawn.count("drawLine") > 20
    drawn.clear()
    calm = page.session.ground.replace(volumes=(), wind_speed=0.0)
    volumepaint.paint_wind(Painter(), page.plan.at, page.plan.place, page.plan.box(), calm, 1.0)
    assert not drawn
    volumepaint.paint_wind(Painter(), page.plan.at, page.plan.place, page.plan.box(), page.session.ground, 1.0)
    assert drawn.count("drawPolygon") > 20
