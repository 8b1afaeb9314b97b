"""Rails and bogies: lines through knots, bodies that keep to them and their speed, switches, derailing."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.advice import cautions, onrails
from oak_sled.core.assembly import jobs, railways
from oak_sled.core.compiler import plain
from oak_sled.core.contact import bogie, bogierows, railway, scenery, solver
from oak_sled.core.contact.linkkind import BROKEN, HOLDS, own_of
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import railpath, shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.project import demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.results import run
from oak_sled.core.yard import renaming
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.rail import Rail, RailKnot

G = 9.80665
RATES = (60, 120, 240, 480)
UP = 500.0
STRAIGHT = railpath.through(np.array([(0.0, 0.0, UP), (100.0, 0.0, UP)]), False, np.zeros(2))


def ring(radius=30.0, count=16, rise=0.0, waves=2):
    """A closed line round the origin, that rises and falls; it is level where it begins."""
    angles = np.linspace(0.0, math.tau, count, endpoint=False)
    heights = UP + rise * np.cos(waves * angles)
    knots = np.stack([radius * np.cos(angles), radius * np.sin(angles), heights], axis=1)
    return railpath.through(knots, True, np.zeros(count))


def ball(path, speed=0.0, place=0.0, mass=5.0, radius=0.2):
    at, way, _ = path.at(place)
    inertia = shapes.ball_inertia(mass, radius)
    return Solid([shapes.ball(radius)], mass, inertia, position=tuple(at), velocity=tuple(speed * way))


def car(path, speed=0.0, place=0.0, mass=800.0, size=(4.0, 1.0, 1.0)):
    """A box on a straight stretch of a line, along x."""
    at, _, _ = path.at(place)
    half = [0.5 * one for one in size]
    inertia = (
        mass / 3.0 * np.diag([half[1] ** 2 + half[2] ** 2, half[0] ** 2 + half[2] ** 2, half[0] ** 2 + half[1] ** 2])
    )
    return Solid([shapes.box(half)], mass, inertia, position=tuple(at), velocity=(speed, 0.0, 0.0))


def riding(paths, solids, bogies, joined=()):
    """A scene of solids on rails. bogies : (solid, fields). joined : (rail, end, (onto, place, way), switched)."""
    scene = scenery.scene(solids, plane=False)
    rows, first = np.zeros(len(paths), railway.RAIL), 0
    for row, path in zip(rows, paths, strict=True):
        row["first"], row["nodes"], row["step"], row["length"] = first, len(path.points), path.step, path.length
        row["closed"], row["onto"] = int(path.closed), -1
        first += len(path.points)
    for rail, end, (onto, place, way), switched in joined:
        rows[rail]["onto"][end], rows[rail]["at"][end], rows[rail]["way"][end] = onto, place, way
        rows[rail]["switched"][end] = switched
    scene = scene._replace(rails=rows, rail_points=np.vstack([path.table() for path in paths]))
    found = []
    for solid, fields in bogies:
        path, at = paths[fields.get("rail", 0)], np.array(fields.get("at_a", (0.0, 0.0, 0.0)))
        place = path.nearest(np.array(solids[solid - 1].position) + at)
        sense = fields.get("sense", 1.0)
        _, way, top = path.at(place)
        own = {"rows": bogierows.POINT, "at_b": (0.0, 0.0, 0.0), "place": place, "along_a": sense * way, "up_a": top}
        found.append((bogie.KIND, (solid, 0), {**own, "at_a": tuple(at), "sense": sense, **fields}))
    return scenery.with_links(scene, found)


def moved(scene, ticks, seconds, gravity=0.0):
    """Position, attitude, velocity and spin of every solid after each tick, shape (ticks, n, 13)."""
    out = np.zeros((round(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(gravity)[0], 1.0 / ticks, len(out), out)
    return out


def shown(scene, name, link=0):
    places = [one.name for one in bogie.KIND.shows]
    return float(scene.links["shown"][link][places.index(name)])


# lines


def test_a_line_through_points_of_a_circle_is_that_circle_at_equal_steps():
    path = ring(count=24)
    assert path.length == pytest.approx(math.tau * 30.0, rel=1e-5)
    assert np.abs(np.hypot(path.points[:, 0], path.points[:, 1]) - 30.0).max() < 2e-3
    assert path.smallest_radius == pytest.approx(30.0, rel=0.01)
    steps = np.linalg.norm(np.diff(path.points, axis=0), axis=1)
    assert np.ptp(steps) < 1e-6
    assert path.nearest((31.0, 3.0, UP)) == pytest.approx(30.0 * math.atan2(3.0, 31.0), abs=3e-3)


@pytest.mark.parametrize("closed", [False, True])
def test_a_set_tangent_is_kept_and_every_knot_is_passed(closed):
    rng = np.random.default_rng(5)
    knots = np.stack(
        [np.array([0.0, 30.0, 45.0, 20.0, -15.0]), np.array([0.0, -4.0, 25.0, 40.0, 25.0]), rng.uniform(0, 6, 5)], 1
    )
    path = railpath.through(knots, closed, np.zeros(5), [None, None, math.radians(80.0), None, None])
    for place, knot in zip(path.knots, knots, strict=True):
        assert path.at(float(place))[0] == pytest.approx(knot, abs=2e-3)
    way = path.at(float(path.knots[2]))[1]
    assert math.degrees(math.atan2(way[1], way[0])) == pytest.approx(80.0, abs=0.5)


def test_a_line_that_turns_over_carries_its_top_along_and_closes():
    angles = np.linspace(0.0, math.tau, 20, endpoint=False)
    knots = np.stack([10.0 * np.sin(angles), 0.01 * np.arange(20), 10.0 - 10.0 * np.cos(angles)], axis=1)
    path = railpath.through(knots, True, np.zeros(20))
    assert path.at(0.5 * path.length)[2] == pytest.approx([0.0, 0.0, -1.0], abs=0.02)
    assert np.abs(np.diff(path.ups, axis=0)).max() < 0.2
    assert path.ups[0] == pytest.approx(path.ups[-1], abs=1e-9)


def test_banks_roll_the_top_to_the_right_between_the_knots():
    knots = np.array([(0.0, 0.0, 0.0), (20.0, 0.0, 0.0), (40.0, 0.0, 0.0)])
    path = railpath.through(knots, False, np.radians([0.0, 30.0, 0.0]))
    assert path.at(20.0)[2] == pytest.approx([0.0, -0.5, math.cos(math.radians(30.0))], abs=1e-6)
    assert path.at(0.0)[2] == pytest.approx([0.0, 0.0, 1.0])


# truth


@pytest.mark.parametrize("rows", [bogierows.POINT, bogierows.ROLLED, bogierows.ALONG, bogierows.UPRIGHT])
@pytest.mark.parametrize("ticks", RATES)
def test_a_closed_rail_keeps_the_speed_for_a_minute(rows, ticks):
    path = ring(rise=0.0)
    scene = riding([path], [ball(path, 12.0)], [(1, {"rows": rows})])
    out = moved(scene, ticks, 60.0)[:, 1]
    speed = np.linalg.norm(out[:, 7:10], axis=1)
    assert speed[0] == pytest.approx(12.0, rel=1e-3)
    assert np.ptp(speed) < 1e-3 * 12.0
    off = np.linalg.norm(out[::50, :3] - [path.at(path.nearest(at))[0] for at in out[::50, :3]], axis=1)
    assert off.max() < 1e-9


@pytest.mark.parametrize("ticks", RATES)
def test_the_speed_on_hills_follows_from_their_height(ticks):
    path = ring(rise=3.0, waves=3)
    scene = riding([path], [ball(path, 12.0)], [(1, {})])
    out = moved(scene, ticks, 60.0, G)[:, 1]
    before = np.vstack([path.points[0], out[:-1, :3]])
    height = 0.5 * (before[:, 2] + out[:, 2]) - path.points[0, 2]  # the speed of a tick is the mean over it
    expected = np.sqrt(12.0**2 - 2.0 * G * height)
    speed = np.linalg.norm(out[:, 7:10], axis=1)
    assert np.abs(speed / expected - 1.0).max() < 1e-3
    assert expected.max() - expected.min() > 3.0


@pytest.mark.parametrize("ticks", RATES)
def test_no_long_body_on_two_bogies_gains_or_loses_energy(ticks):
    path = ring(rise=2.0)
    at, way, _ = path.at(0.0)
    mass, half = 800.0, (2.0, 0.5, 0.5)
    ixx, iyy, izz = (
        mass / 3.0 * (a * a + b * b) for a, b in ((half[1], half[2]), (half[0], half[2]), (half[0], half[1]))
    )
    turn = math.atan2(way[1], way[0])
    body = Solid(
        [shapes.box(half)], mass, np.diag([ixx, iyy, izz]), position=tuple(at), velocity=tuple(10.0 * way),
        attitude=(math.cos(0.5 * turn), 0.0, 0.0, math.sin(0.5 * turn)),
    )  # fmt: skip
    ends = [(1, {"at_a": (1.5, 0.0, 0.0)}), (1, {"at_a": (-1.5, 0.0, 0.0)})]
    scene = riding([path], [body], ends)
    for link in scene.links:  # `riding` takes the points in world axes, this body is turned
        own = own_of(link, bogie.KIND)
        own["place"] = path.nearest(at + math.copysign(1.5, own["at_a"][0]) * way)
    out = moved(scene, ticks, 60.0, G)[:, 1]
    before = np.vstack([at, out[:-1, :3]])
    kinetic = 0.5 * mass * (out[:, 7:10] ** 2).sum(axis=1) + 0.5 * izz * (out[:, 10:13] ** 2).sum(axis=1)
    energy = kinetic + mass * G * (0.5 * (before[:, 2] + out[:, 2]) - at[2])
    settled = energy[ticks // 2 :]  # it starts a chord's breadth off the rail
    assert np.ptp(settled) < 6e-3 * settled.mean()
    assert abs(settled[-ticks:].mean() / settled[:ticks].mean() - 1.0) < 1e-3


def test_a_body_that_is_turned_along_a_bend_pays_for_its_spin():
    knots = np.array(
        [(0.0, 0.0, UP), (30.0, 0.0, UP), (52.0, 10.0, UP), (60.0, 30.0, UP), (60.0, 60.0, UP), (60.0, 90.0, UP)]
    )
    path = railpath.through(knots, False, np.zeros(6))
    body = car(path, 10.0, place=2.0, size=(8.0, 2.0, 1.0))
    scene = riding([path], [body], [(1, {"rows": bogierows.UPRIGHT})])
    out = moved(scene, 240, 13.0)[:, 1]
    izz = body.inertia[2, 2]
    energy = 0.5 * 800.0 * (out[:, 7:10] ** 2).sum(axis=1) + 0.5 * izz * (out[:, 10:13] ** 2).sum(axis=1)
    spin = 0.5 * izz * out[:, 12] ** 2
    assert spin.max() > 0.01 * energy[0]
    assert np.ptp(energy) < 1e-5 * energy[0]
    speed = np.linalg.norm(out[:, 7:10], axis=1)
    assert speed.min() < 0.996 * speed[0]
    assert speed[-1] == pytest.approx(speed[0], rel=1e-3)
    turned = 2.0 * math.atan2(out[-1, 6], out[-1, 3])
    way, begun = (path.at(path.nearest(at))[1] for at in (out[-1, :3], np.array(body.position)))
    assert turned == pytest.approx(math.atan2(way[1], way[0]) - math.atan2(begun[1], begun[0]), abs=1e-6)


def test_the_wrong_way_turns_what_presses_on_the_rail_into_speed():
    path = ring()
    right = riding([path], [ball(path, 12.0)], [(1, {})])
    wrong = riding([path], [ball(path, 12.0)], [(1, {"bends": bogie.SPEED_KEPT})])
    fast = [np.linalg.norm(moved(scene, 60, 20.0, G)[-1, 1, 7:10]) for scene in (right, wrong)]
    assert fast[0] == pytest.approx(12.0, rel=1e-3)
    # each tick adds g dt across the rail to the velocity that is turned: v2 grows by (g dt)2
    assert fast[1] == pytest.approx(math.sqrt(144.0 + 1200 * (G / 60.0) ** 2), rel=0.02)
    assert fast[1] > 13.0


@pytest.mark.parametrize("ticks", RATES)
def test_the_side_load_of_a_bend_is_that_of_its_radius(ticks):
    path = ring(count=32)
    scene = riding([path], [ball(path, 12.0)], [(1, {})])
    moved(scene, ticks, 5.0, G)
    assert abs(shown(scene, "side")) == pytest.approx(5.0 * 144.0 / 30.0, rel=0.01)
    assert shown(scene, "load") == pytest.approx(math.hypot(5.0 * 144.0 / 30.0, 5.0 * G), rel=0.01)
    assert 1.0 / shown(scene, "bend") == pytest.approx(30.0, rel=0.01)
    assert shown(scene, "speed") == pytest.approx(12.0, rel=1e-3)


# along it


@pytest.mark.parametrize("ticks", RATES)
def test_it_is_driven_by_force_up_to_a_speed_and_braked_to_rest(ticks):
    scene = riding([STRAIGHT], [ball(STRAIGHT, 0.0, 5.0)], [(1, {"push": 10.0, "brake": 20.0, "top": 6.0})])
    scene.links["drives"][:] = [(1.0, 0.0)]
    out = moved(scene, ticks, 2.0, G)[:, 1]
    assert out[-1, 7] == pytest.approx(4.0, rel=1e-6)
    assert moved(scene, ticks, 3.0, G)[-1, 1, 7] == pytest.approx(6.0, rel=1e-6)
    scene.links["drives"][:] = [(0.0, 1.0)]
    out = moved(scene, ticks, 3.0, G)[:, 1]
    assert out[round(ticks * 0.5) - 1, 7] == pytest.approx(4.0, rel=1e-6)
    assert np.abs(out[-1, 7:10]).max() < 1e-9


def test_friction_is_a_share_of_its_load_and_holds_it_on_a_slope():
    slope = railpath.through(np.array([(0.0, 0.0, UP), (100.0, 0.0, UP + 10.0)]), False, np.zeros(2))
    held = riding([slope], [ball(slope, 0.0, 50.0)], [(1, {"friction": 0.12})])
    slides = riding([slope], [ball(slope, 0.0, 50.0)], [(1, {"friction": 0.05})])
    rate = G * (0.1 - 0.05) / math.sqrt(1.01)
    assert np.linalg.norm(moved(held, 60, 3.0, G)[-1, 1, 7:10]) < 1e-9
    assert np.linalg.norm(moved(slides, 60, 3.0, G)[-1, 1, 7:10]) == pytest.approx(3.0 * rate, rel=1e-3)


def test_buffers_stop_it_open_ends_let_it_off_and_it_may_reverse():
    stops = riding([STRAIGHT], [ball(STRAIGHT, 20.0, 80.0)], [(1, {})])
    out = moved(stops, 60, 2.0)[:, 1]
    assert out[-1, 0] == pytest.approx(100.0, abs=1e-6)
    assert stops.links["state"][0] == HOLDS
    back = riding([STRAIGHT], [ball(STRAIGHT, -20.0, 80.0)], [(1, {})])
    assert moved(back, 60, 2.0)[-1, 1, 0] == pytest.approx(40.0, abs=1e-6)
    opens = riding([STRAIGHT], [ball(STRAIGHT, 20.0, 80.0)], [(1, {})])
    opens.rails["ends"] = railway.OPEN
    out = moved(opens, 60, 2.0, G)[:, 1]
    assert opens.links["state"][0] == BROKEN
    assert shown(opens, "broken") == 1.0
    assert out[-1, 0] == pytest.approx(120.0, abs=0.1)
    assert out[-1, 2] < UP - 3.0


def test_it_derails_past_its_side_load_and_is_a_free_body_again():
    knots = np.array([(0.0, 0.0, UP), (40.0, 0.0, UP), (55.0, 6.0, UP), (60.0, 20.0, UP), (60.0, 60.0, UP)])
    path = railpath.through(knots, False, np.zeros(5))
    limit = 5.0 * 12.0**2 / (1.3 * path.smallest_radius)
    slow = riding([path], [ball(path, 9.0)], [(1, {"derails": limit})])
    fast = riding([path], [ball(path, 15.0)], [(1, {"derails": limit})])
    moved(slow, 120, 8.0)
    out = moved(fast, 120, 8.0)[:, 1]
    assert slow.links["state"][0] == HOLDS
    assert fast.links["state"][0] == BROKEN
    assert np.linalg.norm(out[-1, 7:10]) == pytest.approx(15.0, rel=2e-3)
    assert np.abs(np.diff(out[-100:, 7:10], axis=0)).max() == 0.0


def _fork(switched):
    """A straight of 100 m with a branch to the left at 40 m, and the scene of a ball on it."""
    knots = np.array([(40.0, 0.0, UP), (60.0, 4.0, UP), (80.0, 20.0, UP)])
    branch = railpath.through(knots, False, np.zeros(3), [0.0, None, None])
    return riding(
        [STRAIGHT, branch], [ball(STRAIGHT, 10.0, 20.0)], [(1, {})], [(1, 0, (0, 40.0, 1.0), switched)]
    )  # fmt: skip


def test_a_switch_leads_onto_its_branch_or_past_it_and_back():
    past, onto = _fork(0), _fork(1)
    assert moved(past, 120, 5.0)[-1, 1, :3] == pytest.approx([70.0, 0.0, UP], abs=1e-6)
    out = moved(onto, 120, 5.0)[:, 1]
    assert shown(onto, "rail") == 1.0
    assert out[-1, 1] > 4.0
    assert np.linalg.norm(out[-1, 7:10]) == pytest.approx(10.0, rel=1e-3)
    onto.solids["velocity"][1] *= -1.0  # and back, whichever way the switch lies
    onto.rails["switched"] = 0
    out = moved(onto, 120, 5.0)[:, 1]
    assert shown(onto, "rail") == 0.0
    assert out[-1, :3] == pytest.approx([20.0, 0.0, UP], abs=0.05)


def test_a_siding_that_runs_back_turns_the_sense_of_its_body():
    back = railpath.through(
        np.array([(20.0, 12.0, UP), (40.0, 8.0, UP), (60.0, 0.0, UP)]), False, np.zeros(3), [None, None, 0.0]
    )
    scene = riding(
        [STRAIGHT, back], [ball(STRAIGHT, -10.0, 80.0)], [(1, {"push": 5.0, "sense": -1.0})],
        [(1, 1, (0, 60.0, 1.0), 1)],
    )  # fmt: skip
    scene.links["drives"][:] = [(1.0, 0.0)]
    out = moved(scene, 120, 3.0)[:, 1]
    assert shown(scene, "rail") == 1.0
    assert out[-1, 1] > 1.0
    assert shown(scene, "speed") == pytest.approx(13.0, rel=1e-3)  # still driven ahead


def test_python_and_machine_code_give_the_same_bits_on_a_rail():
    def ride():
        path = ring(rise=1.0)
        scene = riding([path], [ball(path, 12.0)], [(1, {"rows": bogierows.UPRIGHT, "friction": 0.02})])
        return moved(scene, 60, 0.5, G)

    compiled = ride()
    with plain.python():
        assert ride().tobytes() == compiled.tobytes()


# documents

LINE = Rail(id="line", knots=tuple(RailKnot(x=x, z=1.0) for x in (0.0, 40.0, 80.0)))
CAR = Block(id="car", x=4.0, z=0.5, length=2.0, width=1.0, height=1.0, mass=300.0, speed_x=3.0)
TRUCK = Bogie(id="truck", one="car", rail="line", x=4.0, z=1.0)


def on_rails(ticks=60, seconds=4.0, events=(), craft=(), **fields):
    """The fan sled's yard with a car on rails, and its drill; craft : changes of the sled's place, by field."""
    yard = demos.load("fan-sled")
    ground = yard.ground(yard.bench.ground)
    given = {"blocks": (CAR,), "ties": (TRUCK,), "rails": (LINE,), "joints": (), "walls": (), "gates": (), **fields}
    drill = yard.drills[0]
    drill = drill.replace(ground="", duration=seconds, events=events, end="time", targets=())
    drill = drill.replace(start=drill.start.replace(x=-40.0, y=-40.0, **dict(craft)))
    laid = ground.replace(**given)
    grounds = tuple(laid if one.id == ground.id else one for one in yard.grounds)
    return yard.replace(grounds=grounds, drills=(drill,), ticks=ticks)


def ridden(yard):
    return run.execute(jobs.job_of(yard, yard.drills[0]))


def column(found, name):
    return found.record.column(found.layout.place(name))


@pytest.mark.parametrize("ticks", [30, *RATES])
def test_a_car_of_a_ground_rolls_along_its_rail_at_every_rate(ticks):
    found = ridden(on_rails(ticks))
    assert column(found, "block.car.position.x")[-1] == pytest.approx(16.0, abs=1e-3)
    assert column(found, "tie.truck.place")[-1] == pytest.approx(16.0, abs=1e-3)
    assert column(found, "tie.truck.speed")[-1] == pytest.approx(3.0, rel=1e-3)
    assert column(found, "tie.truck.load")[-1] == pytest.approx(300.0 * G, rel=1e-3)


def test_the_channels_of_the_craft_drive_and_brake_a_car_on_rails():
    yard = on_rails(ties=(TRUCK.replace(channel="throttle", drive_force=300.0),), blocks=(CAR.replace(speed_x=0.0),))
    drill = yard.drills[0]
    names = [track.channel for track in drill.tracks]
    assert "throttle" in names
    found = ridden(yard)
    given = column(found, "channel.throttle")
    assert given.max() > 0.0
    expected = np.cumsum(given[1:]) / 60.0  # 300 N on 300 kg
    assert column(found, "block.car.velocity.x")[1:] == pytest.approx(expected, abs=0.02)


@pytest.mark.parametrize("lies", ["level", "ground", "free"])
def test_a_rail_lies_level_on_the_relief_or_free(lies):
    ground = next(one for name in demos.DEMOS for one in demos.load(name).grounds if one.relief is not None)
    relief = ground.relief
    knots = tuple(RailKnot(x=relief.x + dx, y=relief.y, z=0.5) for dx in (-6.0, 0.0, 6.0))
    laid = ground.replace(rails=(Rail(id="line", knots=knots, lies=lies, height=3.0),), ties=())
    path = railways.of(laid).paths[0]
    heights = np.nan_to_num([railways.ground_shape.height_at(laid, *at[:2]) or 0.0 for at in path.points])
    if lies == "level":
        assert path.points[:, 2] == pytest.approx(np.full(len(path.points), 3.0))
    elif lies == "free":
        assert path.points[:, 2] == pytest.approx(np.full(len(path.points), 0.5))
    else:
        assert np.abs(path.points[:, 2] - heights - 0.5).max() < 0.6
        assert np.corrcoef(path.points[:, 2], heights)[0, 1] > 0.9


BRANCH = Rail(
    id="branch",
    knots=(RailKnot(x=40.0, y=0.5, z=1.0), RailKnot(x=60.0, y=4.0, z=1.0), RailKnot(x=75.0, y=14.0, z=1.0)),
    start_joins="line",
)


def test_a_branch_begins_on_the_rail_it_joins_and_a_drill_throws_its_switch():
    yard = on_rails(rails=(LINE, BRANCH), blocks=(CAR.replace(speed_x=10.0),), seconds=6.0)
    made = railways.of(yard.ground(yard.bench.ground))
    assert made.paths[1].points[0] == pytest.approx([40.0, 0.0, 1.0], abs=1e-9)
    assert made.paths[1].tangents[0] == pytest.approx([1.0, 0.0, 0.0], abs=1e-9)
    assert column(ridden(yard), "tie.truck.rail")[-1] == 0.0
    thrown = on_rails(
        rails=(LINE, BRANCH), blocks=(CAR.replace(speed_x=10.0),), seconds=6.0,
        events=(Event(id="throw", what="switch", target="branch", t=1.0),),
    )  # fmt: skip
    found = ridden(thrown)
    assert column(found, "tie.truck.rail")[-1] == 1.0
    assert column(found, "block.car.position.y")[-1] > 5.0
    named = renaming.renamed(thrown, thrown.bench.ground, "rails", "branch", "siding")
    assert named.drills[0].events[0].target == "siding"
    assert ridden(named).record.row(-1).tobytes() == found.record.row(-1).tobytes()


def test_a_renamed_rail_takes_its_bogies_and_branches_along_and_a_removed_one_takes_them_away():
    yard = on_rails(rails=(LINE, BRANCH))
    named = renaming.renamed(yard, yard.bench.ground, "rails", "line", "main_line")
    ground = named.ground(named.bench.ground)
    assert ground.ties[0].rail == "main_line"
    assert ground.rails[1].start_joins == "main_line"
    left = ground.replace(rails=(), ties=()).replace(rails=(ground.rails[1].replace(start_joins=""),))
    bare = ground.model_copy(update={"rails": (ground.rails[1],)}).with_whole_ties([])
    assert bare.ties == ()
    assert bare.rails == left.rails


@pytest.mark.parametrize("ticks", [30, *RATES])
def test_a_kinematic_block_follows_a_rail_by_the_clock_whatever_is_in_its_way(ticks):
    turns = np.linspace(0.0, math.tau, 12, endpoint=False)
    loop = Rail(
        id="line", closed=True, knots=tuple(RailKnot(x=20 * math.cos(a), y=20 * math.sin(a), z=1.0) for a in turns)
    )
    ram = CAR.replace(x=20.0, y=0.0, z=0.6, heading_deg=90.0, moves="driven", rail="line", rail_speed=5.0, speed_x=0.0)
    crate = Block(id="crate", x=0.0, y=20.0, length=1.0, width=1.0, height=1.2, mass=500.0)
    found = ridden(on_rails(ticks, 10.0, rails=(loop,), ties=(), blocks=(ram, crate)))
    round_it = 50.0 / 20.0
    at = [column(found, f"block.car.position.{axis}")[-1] for axis in "xyz"]
    assert at == pytest.approx([20.0 * math.cos(round_it), 20.0 * math.sin(round_it), 1.1], abs=0.03)
    q = [column(found, f"block.car.rotation.{axis}")[-1] for axis in "wxyz"]
    assert math.remainder(2.0 * math.atan2(q[3], q[0]) - round_it - 0.5 * math.pi, math.tau) == pytest.approx(
        0.0, abs=0.02
    )
    assert column(found, "block.crate.position.x")[-1] < -1.0, "it was shoved on"


WRONG = {
    "a kink": (lambda: Rail(id="r", knots=(RailKnot(), RailKnot(x=9.0), RailKnot(x=1.0))), "kink"),
    "two knots in one place": (lambda: Rail(id="r", knots=(RailKnot(), RailKnot(x=0.1))), "at least"),
    "a sharp bend": (lambda: Rail(id="r", knots=(RailKnot(), RailKnot(x=0.3), RailKnot(x=0.3, y=0.3))), "radius"),
    "one knot": (lambda: Rail(id="r", knots=(RailKnot(),)), "knots"),
    "closed with two knots": (lambda: Rail(id="r", closed=True), "3 knots"),
    "joins itself": (lambda: Rail(id="r", start_joins="r"), "itself"),
    "on a moving body": (lambda: Bogie(id="b", one="car", other="sled", rail="line"), "stands still"),
    "a rail that is not there": (lambda: on_rails(rails=()), "no rail 'line'"),
    "a branch off none": (lambda: on_rails(rails=(LINE, BRANCH.replace(start_joins="lina"))), "line"),
}


@pytest.mark.parametrize("what", WRONG)
def test_bad_rails_are_refused_in_their_place_with_what_would_be_right(what):
    make, words = WRONG[what]
    with pytest.raises(ValueError, match=words):
        make()


def test_the_outlook_of_a_bogie_is_what_the_run_does():
    bend = Rail(id="line", knots=tuple(RailKnot(x=x, y=y, z=1.0) for x, y in ((0, 0), (40, 0), (60, 12), (66, 40))))
    tie = TRUCK.replace(derails_at=1500.0, brake_channel="throttle", brake_force=600.0)
    yard = on_rails(rails=(bend,), ties=(tie,), blocks=(CAR.replace(speed_x=10.0),), seconds=12.0)
    ground = yard.ground(yard.bench.ground)
    lines = onrails.of_bogie(ground, tie, yard.crafts)
    fast = math.sqrt(1500.0 * railways.of(ground).paths[0].smallest_radius / 300.0)
    assert any(f"derails there from {fast:.3g}"[:24] in line for line in lines), lines
    free = {"ties": (tie.replace(brake_channel=""),), "rails": (bend,)}
    path = railways.of(ground).paths[0]
    way = path.at(path.nearest(tie.begin))[1]
    slow, over = (
        ridden(on_rails(blocks=(CAR.replace(speed_x=speed * way[0], speed_y=speed * way[1]),), seconds=9.0, **free))
        for speed in (0.97 * fast, 1.03 * fast)
    )
    assert column(slow, "tie.truck.broken")[-1] == 0.0
    assert column(over, "tie.truck.broken")[-1] == 1.0
    assert any("stops from" in line and "25.0" in line for line in lines), lines  # 10 m/s against 600 N on 300 kg
    assert "sharpest bend" in " ".join(onrails.of_rail(ground, bend))


def test_a_bogie_far_from_its_rail_is_told():
    near, far = on_rails(), on_rails(ties=(TRUCK.replace(y=4.0),))
    names = [[one.name for one in cautions.find(jobs.job_of(yard, yard.drills[0]))] for yard in (near, far)]
    assert "bogie_off_its_rail" not in names[0]
    assert "bogie_off_its_rail" in names[1]


def test_a_live_drive_goes_on_along_its_rail_when_a_dial_changes():
    yard = on_rails(seconds=60.0)
    drive = LiveDrive(jobs.job_of(yard, yard.drills[0]))
    idle = np.zeros(len(drive.job.channels))
    drive.advance(240, idle)
    place = drive.layout.place("tie.truck.place")
    before = drive.recorder.recent()[-1][place]
    assert before == pytest.approx(16.0, abs=0.01)
    slower = on_rails(seconds=60.0, ties=(TRUCK.replace(resistance=30.0),))
    drive.take(jobs.job_of(slower, slower.drills[0]))
    drive.advance(60, idle)
    now = drive.recorder.recent()[-1]
    assert now[place] == pytest.approx(before + 3.0 - 0.05, abs=0.02)
    assert now[drive.layout.place("tie.truck.speed")] == pytest.approx(2.9, abs=0.01)
