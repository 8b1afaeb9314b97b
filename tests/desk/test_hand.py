"""The hand in the yard view against plain geometry; the column of numbers; notices over every page; looks of blocks."""

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.project import demos
from oak_sled.core.results import flights, moments
from oak_sled.core.yard.block import Block, Material
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground
from oak_sled.desk.app import program
from oak_sled.desk.drawing.numberpanel import choices_of, words_of
from oak_sled.desk.widgets import screenshot, theme
from oak_sled.desk.yardview import craftmesh, freight, hand
from oak_sled.desk.yardview.camera import Camera, spots_of


def camera(eye=(0.0, -10.0, 6.0), target=(0.0, 0.0, 0.0)):
    return Camera(np.array(eye), np.array(target), np.array([0.0, 0.0, 1.0]), 800, 500)


@pytest.mark.parametrize("spot", [(0.0, 0.0, 0.0), (3.0, 2.0, 0.5), (-4.0, 5.0, 1.0), (1.0, -3.0, 2.0)])
def test_a_line_of_sight_goes_back_through_what_was_projected(spot):
    view = camera()
    px, depth = view.project(np.array(spot))
    assert depth[0] > 0.0
    eye, way = hand._ray(view, QPointF(*px[0]))
    away = np.array(spot) - eye
    assert way == pytest.approx(away / np.linalg.norm(away), abs=1e-9)
    assert hand._on_level(view, QPointF(*px[0]), spot[2]) == pytest.approx(np.array(spot), abs=1e-6)


def test_the_sky_is_on_no_level():
    assert hand._on_level(camera(eye=(0.0, -10.0, 1.0), target=(0.0, 0.0, 3.0)), QPointF(400, 20), 0.0) is None


@pytest.mark.parametrize("seed", range(20))
def test_where_a_ray_enters_a_box_against_small_steps(seed):
    random = np.random.default_rng(seed)
    half = random.uniform(0.2, 1.5, size=3)
    eye = random.normal(size=3) * 6.0 + [8.0, 0.0, 0.0]
    way = -eye + random.normal(size=3) * 1.2
    way /= np.linalg.norm(way)
    steps = np.linspace(0.0, 30.0, 60_001)
    inside = np.all(np.abs(eye + steps[:, None] * way) <= half, axis=1)
    found = hand._enters(eye, way, half)
    if np.any(inside):
        assert found == pytest.approx(steps[np.argmax(inside)], abs=1e-3)
    else:
        assert math.isinf(found) or not np.any(np.all(np.abs(eye + steps[:, None] * way) <= half - 1e-3, axis=1))


def test_a_ray_along_a_face_is_no_fault():
    assert hand._enters(np.array([-5.0, 0.0, 0.0]), np.array([1.0, 0.0, 0.0]), np.ones(3)) == pytest.approx(4.0)
    assert math.isinf(hand._enters(np.array([-5.0, 3.0, 0.0]), np.array([1.0, 0.0, 0.0]), np.ones(3)))


def test_a_poke_lands_where_the_pointer_is(window, idle):
    window.session.open(demos.load("shove"), (), None)
    idle()
    window.view.fit()
    window.view.repaint()
    run, view = window.session.shown.run, window.view
    place = run.columns("block.heavy.position.x", "block.heavy.position.y", "block.heavy.position.z")[0]
    spot = place + [0.0, 0.0, 0.5]  # near its top
    px, _ = view.pane.camera.project(spot)
    grip = view.hand._touched(QPointF(*px[0]), view.pane.camera, run, 0)
    assert grip.target == "heavy"
    assert grip.mass == 360.0
    assert np.max(np.abs(grip.local)) <= 0.6 + 1e-6
    assert (
        abs(grip.local[0]) == pytest.approx(0.35)
        or abs(grip.local[1]) == pytest.approx(0.35)
        or grip.local[2] == pytest.approx(0.6)
    )
    assert view.hand._touched(QPointF(3.0, 3.0), view.pane.camera, run, 0) is None


def test_a_poke_beyond_what_an_event_holds_is_one_line(window, idle, qtbot):
    session, view = window.session, window.view
    session.edit("crafts.fan_sled.body.mass", 1e8)
    idle()
    view.hand.set_poking(True)
    run = session.shown.run
    px, _ = view.pane.camera.project(run.columns("position.x", "position.y", "position.z")[session.shown.row])
    at = QPointF(*px[0]).toPoint()
    events = session.drill.events
    for live in (False, True):
        window.set_driving(live)
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
        words = window.notice.words.text()
        assert words.startswith(("poke.x: ", "poke.y: "))
        assert "at least -1e+07" in words or "at most 1e+07" in words
    window.set_driving(False)
    assert session.drill.events == events


def test_no_sling_no_pull(window, idle):
    assert window.view.hand.sling() is None
    window.session.shown.set_time(0.0)
    window.view.repaint()
    run = window.session.shown.run
    px, _ = window.view.pane.camera.project(run.columns("position.x", "position.y", "position.z")[0])
    assert not window.view.hand.press(QPointF(*px[0]), window.view.pane.camera, run, 0)
    assert window.view.hand.words() == ""


def test_a_mortar_is_fired_live_with_its_key_and_kept_as_a_drill(window, idle, qtbot):
    window.session.open(demos.load("mortar"), (), None)
    idle()
    window.set_driving(True)
    program.press(window, "Space", True)
    qtbot.waitUntil(lambda: np.any(window.session.shown.run.column("shot.barrel.1.age") > 0.2), timeout=20_000)
    window.view.repaint()
    program.press(window, "Space", False)
    window.set_driving(False)
    kept = window.session.shelf.cards[0].run
    assert [event.word for event in moments.events(kept)].count("shot") == 1
    window.driver.keep_as_drill(kept.job.drill)
    idle()
    again = window.session.shown.run
    assert again.record.row(kept.ticks).tolist() == kept.record.row(kept.ticks).tolist()


@pytest.mark.parametrize("page", ["Bench", "Ground", "Drill"])
def test_what_is_said_is_seen_on_every_page(window, page):
    window.show_page(page)
    window.session.say("a word in place", True)
    assert window.notice.isVisible()
    over = window.view if page == "Bench" else window.page_stack
    corner = over.mapTo(window, over.rect().bottomLeft())
    assert 0 <= corner.y() - window.notice.geometry().bottom() <= 16
    window.show_page("Bench")
    assert window.notice.geometry().bottom() < window.view.mapTo(window, window.view.rect().bottomLeft()).y()


def test_choices_and_words_of_a_document():
    found = {name: options for name, options, _ in choices_of(Block(id="b"))}
    assert set(found) == {"shape", "fit", "moves", "rests", "catches"}
    assert found["rests"] == (True, False)
    assert [words_of(value) for value in (True, False, "", "from_source")] == ["yes", "no", "", "from source"]


def test_blocks_look_like_their_material(window):
    materials = (Material(id="white", look="snow"), Material(id="plank"))
    blocks = (Block(id="a", material="white"), Block(id="b", material="plank"), Block(id="c"))
    ground = Ground(id="g", materials=materials, blocks=blocks)
    looks = [freight.look_of(one, ground) for one in ground.blocks]
    assert looks == ["snow", "timber", "timber"]
    snow = freight.template(ground.blocks[0], "snow")
    assert snow[0, 6:9] == pytest.approx(theme.rgb("snow"))
    assert len(snow) < len(freight.template(ground.blocks[1])), "no straps round snow"


@pytest.mark.parametrize(("azimuth", "elevation"), [(0.0, 0.0), (90.0, 30.0), (-45.0, 80.0)])
def test_a_barrel_points_where_it_fires(window, azimuth, elevation):
    part = Launcher(id="gun", azimuth_deg=azimuth, elevation_deg=elevation, x=0.5, y=0.1, z=0.4)
    tube = craftmesh._barrel(part, 0.8)[:, :3]
    a, e = math.radians(azimuth), math.radians(elevation)
    way = np.array([math.cos(e) * math.cos(a), math.cos(e) * math.sin(a), math.sin(e)])
    along = (tube - [0.5, 0.1, 0.4]) @ way
    assert along.max() == pytest.approx(0.0, abs=1e-9), "its mouth is the muzzle"
    assert along.min() == pytest.approx(-max(3.0 * part.shot_size, 0.88))
    mesh, fans = craftmesh.craft_mesh(Craft(id="c", body=Body(), parts=(part,)))
    assert len(mesh) > len(tube)
    assert fans == []


def test_what_is_framed_is_the_craft_and_all_it_flung(window, idle):
    window.session.open(demos.load("mortar"), (), None)
    idle()
    spots = spots_of(window.session.shown.run)
    assert spots[:, 0].max() > 20.0
    assert spots[:, 2].max() > 4.0
    assert len(spots) > 2 * (window.session.shown.run.ticks + 1)


def test_the_strips_of_the_desk_are_never_cut_off(window, idle):
    for name in ("fan-sled", "mortar", "shove", "puck", "quay"):
        window.session.open(demos.load(name), (), None)
        idle()
        screenshot.settled(window.desk)
        for strip in window.desk.strips:
            assert strip.minimumSizeHint().height() <= window.desk.height(), (name, strip.name)


def test_an_event_of_the_drill_shows_in_the_compare_and_on_the_card(window, idle):
    window.session.open(demos.load("puck"), (), None)
    idle()
    window.session.edit("drills.three_cushions.events.let_go.x", -5.5)
    idle()
    assert "x" in window.session.shelf.cards[0].says
    window.session.edit(
        "drills.three_cushions.events", (*window.session.drill.events, Event(id="more", what="poke", t=2.0))
    )
    idle()
    assert len(window.session.shelf.cards) == 3


def test_escape_means_nothing_while_nothing_is_in_hand(window):
    before = window.session.yard
    QTest.keyClick(window.view, Qt.Key.Key_Escape)
    assert window.session.yard == before


def test_everything_a_sudden_part_refers_to_is_chosen_on_its_strip(window, idle):
    window.session.open(demos.load("shove"), (), None)
    idle()
    window.desk.open_strip("gust")
    strip = next(one for one in window.desk.strips if one.name == "gust")
    assert {"spares", "volume", "direction", "way", "channel", "fall_off"} <= set(strip.choices)
    menu = strip.choices["spares"].menu()
    menu.aboutToShow.emit()
    assert [action.text() for action in menu.actions()] == ["light", "middling", "heavy"]
    menu.actions()[2].trigger()
    idle()
    assert window.session.craft.parts[0].spares == ("heavy",)
    assert flights.of_block(window.session.shown.run, "heavy") is None, "it is passed by"
    strip = next(one for one in window.desk.strips if one.name == "gust")
    assert strip.choices["spares"].text() == "spares: heavy"


def test_a_launcher_is_given_its_blast_its_slots_and_its_goal(window, idle):
    window.session.open(demos.load("mortar"), (), None)
    idle()
    window.desk.open_strip("barrel")
    strip = next(one for one in window.desk.strips if one.name == "barrel")
    assert {"blast", "homes_on", "material", "in_flight", "seed", "swing_channel", "tilt_channel"} <= set(strip.choices)
    for name, text in (("blast", "none"), ("in_flight", "12"), ("material", "snow")):
        strip = next(one for one in window.desk.strips if one.name == "barrel")
        menu = strip.choices[name].menu()
        menu.aboutToShow.emit()
        next(action for action in menu.actions() if action.text() == text).trigger()
        idle()
    part = window.session.craft.parts[0]
    assert (part.blast, part.in_flight, part.material) == ("", 12, "snow")
    assert len(window.session.shown.run.layout.shots) == 12


def test_the_curve_of_a_sling_stands_on_the_open_strip_too(window, idle):
    window.session.open(demos.load("puck"), (), None)
    idle()
    window.desk.open_strip("sling")
    strip = next(one for one in window.desk.strips if one.name == "sling")
    assert {"size", "cap", "curve", "lift_deg"} <= set(strip.dials)


def test_blocks_are_watched_from_the_drill_page(window, idle):
    window.session.open(demos.load("shove"), (), None)
    idle()
    window.show_page("Drill")
    page = window.drill_page
    assert page.watch_button.text() == "watches 3 blocks"
    menu = page.watch_button.menu()
    menu.aboutToShow.emit()
    menu.actions()[0].trigger()
    idle()
    assert window.session.drill.watch == ("middling", "heavy")
    assert page.watch_button.text() == "watches 2 blocks"
    assert [flight.name for flight in window.measures.flung()] == ["middling", "heavy"]


def test_the_ledger_of_a_watched_block_follows_the_cursor_and_goes_with_the_drill(window, idle):
    session = window.session
    session.open(demos.load("quay"), (), None)
    idle()
    session.choose("drill", "push_freight")
    idle()
    pane = window.ledger
    window.show_pane("Ledger")
    assert not pane.of.isVisible()
    block = next(one for one in session.ground.blocks if one.moves == "free")
    session.edit("drills.push_freight.watch", (block.id,), "watch")
    idle()
    assert pane.of.isVisible()
    pane.show_body(block.id)
    run = session.shown.run
    pushed = np.abs(run.column(f"block.{block.id}.contacts.force.x")).argmax()
    session.shown.set_time(pushed * run.job.dt)
    shown = {row.name: row.force for row in pane.rows()}
    assert tuple(shown) == ("pushes", "gravity", "air", "contacts")
    if pane.craft_axes:
        pane.switch_axes()
        shown = {row.name: row.force for row in pane.rows()}
    assert shown["contacts"][0] == pytest.approx(run.column(f"block.{block.id}.contacts.force.x")[session.shown.row])
    assert pane.mass(run) == block.mass
    session.choose("drill", "head_on")
    idle()
    assert pane.block == ""
    assert pane.rows()[0].name == session.craft.parts[0].id
