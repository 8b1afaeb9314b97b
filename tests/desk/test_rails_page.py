"""Rails drawn by hand on the Ground page, and bodies put on them: knots dragged, cut in and taken out, files."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu

from oak_sled.core.files import rail_csv
from oak_sled.core.project import blank
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.coupling import Coupling

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def page(window, idle):
    """The Ground page of a blank yard with a dynamic block beside the craft."""
    yard = blank.blank_yard()
    car = Block(id="car", x=6.0, y=-3.0, length=6.0, width=1.0, height=0.8, mass=200.0, speed_x=4.0)
    window.session.open(yard.replace(grounds=(yard.ground().replace(blocks=(car,)),)), (), None)
    window.show_page("Ground")
    idle()
    yield window.ground_page
    window.show_page("Bench")


def choose(page, *words):
    """Chooses the entry of the menu of rails that these words lead to, each a part of one."""
    whole = menu = QMenu()
    page.railing.fill(whole)
    for word in ("rail: a line", *words[:-1]):
        menu = next(action.menu() for action in menu.actions() if action.menu() and word in action.text())
    next(action for action in menu.actions() if words[-1] in action.text()).trigger()
    whole.deleteLater()


def drag(plan, begin, by):
    QTest.mousePress(plan, LEFT, NONE, begin)
    for step in range(1, 6):
        QTest.mouseMove(plan, begin + QPoint(by.x() * step // 5, by.y() * step // 5))
    QTest.mouseRelease(plan, LEFT, NONE, begin + by)


def rail(page):
    return page.session.ground.rails[0]


def test_a_body_is_put_on_a_rail_and_runs_round_it(page, window, idle):
    choose(page, "a closed one")
    idle()
    assert rail(page).closed
    assert "round" in page.outlook.text()
    assert "sharpest bend" in page.outlook.text()
    page.plan.choose(["blocks.car"])
    choose(page, "on rail", "with two bogies")
    idle()
    assert [type(tie) for tie in window.session.ground.ties] == [Bogie, Bogie]
    found = window.session.shown.run
    place = found.column("tie.car_bogie.place")
    assert place[-1] != pytest.approx(place[0], abs=1.0)
    assert found.column("tie.car_bogie.load").max() > 200.0 * 9.0 / 2.0
    page.plan.choose(["ties.car_bogie"])
    assert "of side load at" in page.outlook.text()
    window.acts["undo"].trigger()
    assert not window.session.ground.ties


def test_a_knot_is_dragged_and_the_run_follows_then_undone(page, window, idle):
    choose(page, "an open one")
    page.plan.choose(["blocks.car"])
    choose(page, "on rail", "with one bogie")
    idle()
    page.plan.choose(["rails.rail"])
    before, first = window.session.shown.run.record.row(-1).copy(), rail(page)
    at = page.plan.handles(first)["knot1"].toPoint()
    drag(page.plan, at, QPoint(0, -40))
    idle()
    assert rail(page).knots[1].y > first.knots[1].y
    assert page.plan.knot == 1
    assert "knots.1.x" in page.numbers.dials
    assert (window.session.shown.run.record.row(-1) != before).any()
    window.acts["undo"].trigger()
    idle()
    assert rail(page) == first
    assert (window.session.shown.run.record.row(-1) == before).all()


def test_knots_are_cut_in_added_and_taken_out(page, window, idle):
    choose(page, "an open one")
    idle()
    plan, first = page.plan, rail(page)
    middle = plan.at(first.x, first.y)
    QTest.mouseDClick(plan, LEFT, NONE, middle.toPoint())
    idle()
    assert len(rail(page).knots) == 5
    assert plan.knot == 2
    near = rail(page).knots[2]
    assert (near.x, near.y) == pytest.approx((first.x, first.y), abs=1.0)
    page.knots.add_knot()
    assert len(rail(page).knots) == 6
    page.knots.remove_knot()
    page.knots.remove_knot()
    assert len(rail(page).knots) == 4
    page.knots.add_knot()
    window.session.edit(f"grounds.{window.session.ground.id}.rails.rail.knots.1.tangent", "set")
    idle()
    turn = plan.handles(rail(page))["tangent1"].toPoint()
    drag(plan, turn, QPoint(10, -30))
    idle()
    assert rail(page).knots[1].heading_deg > 10.0


def test_a_kink_is_not_dragged_in_and_a_click_beside_the_line_picks_nothing(page, window, idle):
    choose(page, "an open one")
    idle()
    plan = page.plan
    spots = plan.handles(rail(page))
    drag(plan, spots["knot1"].toPoint(), (spots["knot0"] - spots["knot1"]).toPoint())
    idle()
    assert rail(page).knots[0].x != rail(page).knots[1].x
    assert plan.under(plan.at(rail(page).x, rail(page).y)) == "rails.rail"
    assert plan.under(plan.at(rail(page).x, rail(page).y) + QPointF(0, 40)) is None


def test_cars_are_laid_along_a_rail_and_too_many_are_refused(page, window, idle):
    choose(page, "an open one")
    page.plan.choose(["blocks.car"])
    choose(page, "on rail", "lay 8 more")
    idle()
    said = window.notice.words.text()
    assert "longer than the" in said
    assert "at most" in said
    page.plan.choose(["blocks.car"])
    choose(page, "on rail", "lay 4 more")
    idle()
    ground = window.session.ground
    assert len(ground.blocks) == 5
    assert sum(isinstance(tie, Bogie) for tie in ground.ties) == 10
    assert sum(isinstance(tie, Coupling) for tie in ground.ties) == 4
    place = [window.session.shown.run.column(f"tie.{tie.id}.load")[1:].max() for tie in ground.ties[:2]]
    assert min(place) > 0.0


def test_knots_go_out_to_a_file_and_in_again(page, window, idle, tmp_path):
    choose(page, "a closed one")
    idle()
    file = tmp_path / "line.csv"
    rail_csv.save(rail(page), file)
    assert rail_csv.load(file) == rail(page).knots
    page.railing.read(file)
    idle()
    assert window.session.ground.rails[1].knots == rail(page).knots
    for text, words in (
        ("x [m],z [m]\n1,2\n2,3\n", "no column 'y'"),
        ("x,y\n1,2\n3,four\n", "line 3"),
        ("x,y\n1,2\n", "has 1 knots"),
        ("x,y\n0,0\n0.05,0\n", "at least"),
        ("", "no rows"),
    ):
        file.write_text(text, encoding="utf-8")
        page.railing.read(file)
        assert words in window.notice.words.text()
    assert len(window.session.ground.rails) == 2


def test_the_craft_is_put_on_a_rail_and_a_branch_is_joined(page, window, idle):
    choose(page, "an open one")
    choose(page, "on rail", "put the craft")
    idle()
    made = window.session.ground.ties[0]
    assert made.one == window.session.craft.id
    assert window.session.seen_drill.start.y == pytest.approx(made.y, abs=0.05)
    choose(page, "an open one")
    idle()
    second = window.session.ground.rails[1]
    window.session.edit(f"grounds.{window.session.ground.id}.rails.{second.id}.start_joins", "rail")
    idle()
    assert window.session.ground.rails[1].start_joins == "rail"
    assert "start_set" in page.numbers.choices
    window.show_page("Drill")
    assert window.drill_page.targets_of("switch") == (second.id,)


def test_from_a_blank_yard_a_body_runs_round_a_rail_in_a_few_acts(window, idle):
    """Placed clear of the craft, put on the rail, told that nothing moves it, and driven by a channel of its bogie."""
    window.session.open(blank.blank_yard(), (), None)
    window.show_page("Ground")
    idle()
    page, said = window.ground_page, []
    window.session.said.connect(lambda words, fault: said.append((words, fault)))
    choose(page, "a closed one")
    page.add("crate")
    idle()
    assert window.header.cautions.text() == "no cautions", "it does not stand in the craft"
    choose(page, "on rail", "with two bogies")
    idle()
    assert said == [("nothing moves crate yet: give it a speed, or its bogie a channel (click it)", False)]
    page.plan.choose(["ties.crate_bogie"])
    assert "nothing moves it yet" in page.outlook.text()
    window.session.edit(f"grounds.{page.session.ground.id}.ties.crate_bogie.channel", "throttle")
    idle()
    assert "nothing moves it yet" not in page.outlook.text()
    place = window.session.shown.run.column("tie.crate_bogie.place")
    assert np.ptp(place) > 10.0
    window.show_page("Bench")


def test_blocks_are_placed_beside_each_other_and_not_in_the_craft(window, idle):
    window.session.open(blank.blank_yard(), (), None)
    window.show_page("Ground")
    idle()
    for name in ("crate", "crate", "log", "ball"):
        window.ground_page.add(name)
    idle()
    assert len({(one.x, one.y) for one in window.session.ground.blocks}) == 4
    assert window.header.cautions.text() == "no cautions"
    window.show_page("Bench")
