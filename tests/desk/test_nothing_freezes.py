"""Paints stay cheap with a heavy yard: extents once a change, never once a point. Memory stays when windows resize."""

from __future__ import annotations

import re
import threading

import moderngl
import pytest
from PyQt6.QtWidgets import QApplication

from oak_sled.bench.heavy import heavy_yard
from oak_sled.core.advice import cost, modes
from oak_sled.core.geometry import hulls
from oak_sled.core.project import demos
from oak_sled.desk.app.places import PAGE_NAMES
from oak_sled.desk.drill.drillplan import DrillPlan
from oak_sled.desk.driving import drive
from oak_sled.desk.ground import groundpaint
from oak_sled.desk.ground.groundplan import GroundPlan


@pytest.fixture
def heavy(window, idle):
    """A drill of 20 s with 120 blocks and a relief."""
    window.session.open(heavy_yard(20.0, 120, 64), (), None)
    idle()
    return window


@pytest.mark.parametrize(("page", "kind"), [("Ground", GroundPlan), ("Drill", DrillPlan)])
def test_a_paint_asks_for_the_extent_once_a_change(heavy, idle, monkeypatch, page, kind):
    calls = []
    old = kind._extent
    monkeypatch.setattr(kind, "_extent", lambda self: calls.append(1) or old(self))
    heavy.show_page(page)
    plan = heavy.ground_page.plan if page == "Ground" else heavy.drill_page.plan
    plan.repaint()
    assert len(calls) <= 1
    for k in range(5):
        heavy.session.shown.set_time(1.0 + k)
        plan.repaint()
    assert len(calls) <= 1, "scrubbing changes no extent"
    calls.clear()
    heavy.session.edit(f"grounds.{heavy.session.ground.id}.blocks.block_3.x", 33.0, card=False)
    idle()
    plan.repaint()
    assert len(calls) <= 2, "once for the edit, once for its run"


def test_what_lies_on_the_ground_is_drawn_once_a_change(heavy, idle, monkeypatch):
    drawn = []
    old = groundpaint.paint_thing
    monkeypatch.setattr(groundpaint, "paint_thing", lambda *rest: drawn.append(1) or old(*rest))
    heavy.show_page("Drill")
    heavy.drill_page.plan.repaint()
    first = len(drawn)
    for k in range(4):
        heavy.session.shown.set_time(1.0 + k)
        heavy.drill_page.plan.repaint()
    assert len(drawn) == first


def test_the_section_is_found_once_a_change(heavy, monkeypatch):
    from oak_sled.core.assembly import ground_shape

    calls = []
    old = ground_shape.height_at
    heavy.show_page("Ground")
    heavy.ground_page.plan.repaint()
    monkeypatch.setattr(ground_shape, "height_at", lambda *rest: calls.append(1) or old(*rest))
    for _ in range(3):
        heavy.ground_page.plan.repaint()
    assert not calls


def test_resizing_gives_back_what_was_drawn_into(renderer, window, idle):
    def alive():
        kinds = [moderngl.Renderbuffer, moderngl.Framebuffer]
        import gc

        gc.collect()
        return sum(type(one) in kinds and not isinstance(one.mglo, moderngl.InvalidObject) for one in gc.get_objects())

    window.view.repaint()
    window.view._draw_clean()
    window.view.repaint()
    before = alive()
    for k in range(12):
        window.view.resize(500 + 7 * k, 300)
        window.view._draw_clean()
        window.view.repaint()
    assert alive() <= before + 2


def test_a_heavy_ground_is_a_caution_and_told_of_while_it_is_driven(window, idle, qtbot, monkeypatch):
    monkeypatch.setattr(cost, "HEAVY", 0.0)  # as if a tick took longer to compute than it lasts
    monkeypatch.setattr(drive, "JUDGED_S", 0.1)
    monkeypatch.setattr(drive, "BEHIND", 100.0)
    window.session.open(demos.load("quay"), (), None)
    idle()
    (caution,) = [one for one in window.session.shown.warned if one.name == "heavy"]
    assert re.fullmatch(r"this ground costs \d+ ms a tick; driving runs at [\d.]+ of real time", caution.says)
    assert "fewer than 120 ticks/s" in caution.helps
    assert caution.says in window.header.cautions.toolTip()
    window.set_driving(True)
    qtbot.waitUntil(lambda: "driving runs at" in window.notice.words.text(), timeout=20_000)
    window.set_driving(False)


def test_a_frame_computes_no_more_ticks_than_fit_it(window, idle):
    window.set_driving(True)
    driver = window.driver
    driver._timer.stop()
    for tick_s, most in ((1.0, 1), (0.5 * drive.MOST_COMPUTED_S, 2)):
        driver._tick_s, driver._owed = tick_s, 30.0
        before = driver.drive.ticks
        driver._tick()
        assert driver.drive.ticks - before == most
    window.set_driving(False)


def test_a_demo_opens_and_dials_move_without_heavy_work_in_the_window(window, idle, monkeypatch):
    """How a craft stands, and hulls of meshes, take up to seconds: they are found beside the window, on every page."""
    threads = []

    def noted(owner, name):
        work = getattr(owner, name)

        def told(*given):
            threads.append((name, threading.current_thread() is threading.main_thread()))
            return work(*given)

        monkeypatch.setattr(owner, name, told)

    noted(modes, "_standing")
    noted(hulls, "taken_apart")
    modes._STANDS.clear()
    hulls.fitted.cache_clear()
    hulls._parted.cache_clear()
    for name in demos.DEMOS:
        window.filing.show_demo(name)
        idle()
        assert window.session.yard == demos.load(name)
        for page in PAGE_NAMES:
            window.show_page(page)
            idle()
        window.show_page("Bench")
        mass = window.session.craft.body.true_mass()
        for k in range(3):
            assert window.session.preview(f"{window.session.craft_path}.body.mass", round(mass * (1.1 + 0.1 * k), 3))
            window.repaint()
            QApplication.processEvents()
        window.session.commit("mass")
        idle()
    assert {name for name, _ in threads} == {"_standing", "taken_apart"}, "none of it was asked for at all"
    assert not any(here for _, here in threads)


def stiffness_of(card):
    return next(part.stiffness for part in card.job.craft.parts if part.id == "pads")


@pytest.mark.parametrize("had_by", ["made late", "read for something else"])
def test_how_a_craft_stands_is_found_beside_the_window_when_its_card_is_clicked(window, idle, monkeypatch, had_by):
    here = []
    old = modes._standing
    monkeypatch.setattr(
        modes,
        "_standing",
        lambda *rest: here.append(threading.current_thread() is threading.main_thread()) or old(*rest),
    )
    session = window.session
    window.filing.show_demo("ferry")
    idle()
    path = f"{session.craft_path}.parts.pads.stiffness"
    for stiffness in (21000.0, 22000.0, 23000.0):  # the first two are left before their runs came in
        session.edit(path, stiffness)
    idle()
    card = next(one for one in session.shelf.cards if stiffness_of(one) == 21000.0)
    if had_by == "read for something else":
        card.kept.release()
        assert card.kept.load() is card.kept.ready
    modes._STANDS.clear()
    here.clear()
    session.look_at(card.id)
    idle()
    window.show_page("Build")
    window.repaint()
    assert session.shown.run is card.kept.ready
    assert modes.of_run(session.shown.run) is not None
    assert here == ([] if had_by == "made late" else [False])


def test_an_edit_made_while_a_demo_is_read_is_kept(window, idle):
    window.filing.show_demo("puck")
    assert window.session.edit("crafts.fan_sled.body.mass", 250.0)
    idle()
    assert window.session.craft.body.mass == 250.0
    window.filing.show_demo("puck")
    idle()
    assert window.session.yard == demos.load("puck")
