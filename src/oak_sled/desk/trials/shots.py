"""The pictures of every main view, made from the demo yards."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QApplication

from oak_sled.core.project import demos
from oak_sled.desk.app.program import drag, drive_a_little, finish, make_folder, ready_window, settle, shoot, until
from oak_sled.desk.app.window import Window
from oak_sled.desk.craftpage.flights import FINDING, SWAYING
from oak_sled.desk.craftpage.handoverpage import HandoverPage
from oak_sled.desk.drill.channelpaint import Pick
from oak_sled.desk.feel.page import CharacterPage
from oak_sled.desk.widgets.dialwidget import DialWidget


def shots(folder: Path) -> int:
    """Every main view from demo data as a PNG of 1280x800."""
    make_folder(folder)
    app, window = ready_window()
    session = window.session
    shoot(window, folder, "bench")
    dial = window.desk.findChild(DialWidget, "dial_runners_side_grip")
    assert dial is not None
    drag(dial, -40, app, released=False)
    settle(app, 0.6)
    shoot(window, folder, "dial-drag")
    session.commit("runners lateral friction")
    settle(app, 0.6)
    window.show_pane("Ledger")
    settle(app, 0.4)
    shoot(window, folder, "ledger")
    window.show_begin()
    settle(app, 0.5)
    shoot(window, folder, "begin")
    window.show_page("Bench")
    window.show_pane("Traces")
    window.show_help("dial:runner.side_grip")
    settle(app, 0.5)
    shoot(window, folder, "help")
    window.help.hide()
    session.choose("drill", "wall_run")
    until(app, lambda: session.shown.run is not None and session.shown.run.job.drill.id == "wall_run")
    window.playbar.choose("chase")
    drive_a_little(app, window)
    shoot(window, folder, "driving")
    window.driver.stop()
    settle(app, 0.4)
    shoot_quay(app, window, folder)
    shoot_throws(app, window, folder)
    shoot_rides(app, window, folder)
    shoot_flights(app, window, folder)
    finish(app, window)
    return 0


def shoot_quay(app: QApplication, window: Window, folder: Path) -> None:
    """The page of the ground of the quay."""
    session = window.session
    session.open(demos.load("quay"), (), None)
    until(app, lambda: session.shown.run is not None and not session.worker.is_busy)
    window.playbar.choose("orbit")
    session.choose("drill", "ramp_jump")
    until(app, lambda: session.shown.run is not None and session.shown.run.job.drill.id == "ramp_jump")
    session.shown.set_time(2.35)
    settle(app, 0.4)
    window.show_page("Ground")
    window.ground_page.plan.choose(["blocks.ramp"])
    settle(app, 0.4)
    shoot(window, folder, "ground")
    window.show_page("Bench")
    shoot_film(app, window, folder)


def open_yard(app: QApplication, window: Window, name: str, drill: str, time_s: float) -> None:
    """A demo yard on one of its drills, at a moment."""
    session = window.session
    session.open(demos.load(name), (), None)
    until(app, lambda: session.shown.run is not None and not session.worker.is_busy)
    session.choose("drill", drill)
    until(app, lambda: session.shown.run is not None and session.shown.run.job.drill.id == drill)
    settle(app, 0.4)
    session.shown.set_time(time_s)
    settle(app, 0.8)


def shoot_film(app: QApplication, window: Window, folder: Path) -> None:
    """A pod at its relay in an orbit, filmed by a camera of the yard."""
    open_yard(app, window, "mail-pod", "dock_assisted", 12.0)
    window.playbar.acts.make("cast")
    window.session.edit("cameras.cast.distance", 1.7)
    settle(app, 0.8)
    shoot(window, folder, "mail-pod")
    window.playbar.acts.panel.close_panel()
    window.playbar.choose("chase")
    shoot_bodies(app, window, folder)


def shoot_bodies(app: QApplication, window: Window, folder: Path) -> None:
    """A hauler with a trailer on the Build page, its hitch selected."""
    open_yard(app, window, "sledge-train", "rear_heavy", 3.0)
    window.show_page("Build")
    plan = window.build_page.plan
    plan.choose("ties.hitch")
    until(app, lambda: plan.towing.rows() != SWAYING and not window.session.background.is_busy)
    settle(app, 0.6)
    shoot(window, folder, "build")
    window.show_page("Bench")


def shoot_throws(app: QApplication, window: Window, folder: Path) -> None:
    """The page of a drill of the mortar."""
    open_yard(app, window, "mortar", "walk_the_fire", 1.6)
    window.show_page("Drill")
    window.drill_page.strips.choose(Pick("knot", "swing", 1))
    settle(app, 0.5)
    shoot(window, folder, "drill")
    window.show_page("Bench")


def shoot_rides(app: QApplication, window: Window, folder: Path) -> None:
    """A ferry on its pads, and a truck on tires."""
    names = ["speed", "gaps", "loads", "load shares", "forces"]
    open_yard(app, window, "ferry", "ridges", 4.35)
    window.traces.set_names(names)
    window.playbar.choose("orbit")
    settle(app, 0.8)
    shoot(window, folder, "ferry")
    shoot_laws(app, window, folder)
    open_yard(app, window, "ice-truck", "step", 3.0)
    window.playbar.choose("orbit")
    window.show_pane("Why")
    window.desk.open_strip("tires")
    settle(app, 0.8)
    shoot(window, folder, "ice-truck")
    window.desk.open_strip("tires")
    window.show_pane("Traces")
    shoot_spread(app, window, folder)


def shoot_flights(app: QApplication, window: Window, folder: Path) -> None:
    """The flight sheet of a plane on its Build page, and a plane as source code."""
    open_yard(app, window, "bush-plane", "climb", 6.0)
    window.show_page("Build")
    flights = window.build_page.plan.flights
    settle(app, 0.4)
    until(app, lambda: flights.rows() != FINDING and not window.session.background.is_busy)
    settle(app, 0.5)
    shoot(window, folder, "flight")
    open_yard(app, window, "fan-sled", "slalom", 4.0)
    window.show_page("Hand-over")
    page = window.pages["Hand-over"]
    assert isinstance(page, HandoverPage)
    until(app, lambda: bool(page.files))
    settle(app, 0.5)
    shoot(window, folder, "hand-over")
    window.show_page("Bench")
    shoot_character(app, window, folder)


def shoot_character(app: QApplication, window: Window, folder: Path) -> None:
    """The fan sled tuned to be icy but forgiving."""
    open_yard(app, window, "fan-sled", "slalom", 4.0)
    window.show_page("Character")
    page = window.pages["Character"]
    assert isinstance(page, CharacterPage)
    until(app, lambda: page.character() is not None)
    page.wish("icy", True)
    page.wish("forgiving", True)
    page.tuning.begin()
    until(app, lambda: page.tuning.told is not None)
    until(app, lambda: page.character() is not None)
    settle(app, 0.5)
    shoot(window, folder, "character")
    shoot_game(app, window, folder)
    window.show_page("Bench")


def shoot_game(app: QApplication, window: Window, folder: Path) -> None:
    """A recorded game beside the craft, after a fit of two dials."""
    open_yard(app, window, "fan-sled", "game_drive", 4.0)
    window.show_page("Drill")
    page = window.drill_page
    page.fits.begin(("crafts.fan_sled.body.mass", "crafts.fan_sled.parts.air.drag_coefficient"))
    until(app, page.fits.panel.isVisible)
    until(app, lambda: not window.session.worker.is_busy)
    window.notice.hide()
    settle(app, 0.5)
    shoot(window, folder, "game")
    page.fits.panel.leave()


def shoot_spread(app: QApplication, window: Window, folder: Path) -> None:
    """The kept spread of the ferry: as a map, and its variants side by side."""
    open_yard(app, window, "ferry", "settle", 0.9)
    page = window.spread_page
    window.show_page("Spread")
    page.sense()
    until(app, lambda: page.computing.sensed is not None and not page.background.is_busy)
    settle(app, 0.5)
    shoot(window, folder, "spread")
    page.turn_over()
    until(app, lambda: len(page.beside.made) > 0 and not page.background.is_busy)
    settle(app, 0.8)
    shoot(window, folder, "side-by-side")
    page.turn_over()
    window.show_page("Bench")


def shoot_laws(app: QApplication, window: Window, folder: Path) -> None:
    """The push of a pad over its gap: a law of its own in force, beside the built-in ones and its numbers."""
    open_yard(app, window, "crate-drop", "soft_landing", 0.36)
    window.session.choose("craft", "own_law")
    until(app, lambda: window.session.shown.run is not None and window.session.shown.run.job.craft.id == "own_law")
    window.session.shown.set_time(0.36)
    window.playbar.choose("orbit")
    window.show_pane("Laws")
    settle(app, 0.8)
    shoot(window, folder, "laws")
    window.show_pane("Traces")
