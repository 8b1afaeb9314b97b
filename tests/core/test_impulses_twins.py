"""Slow and plain twins of the kernels of impulses and shots and of the solver's fast paths, on random cases."""

import math

import numpy as np
import pytest

from oak_sled.core.assembly import bodynames, eventrows, scenes
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.contact import broad, closest, contactrows, pairs, pushes, records, scenery, solver
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel import environment, spatial, state
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.parts import knockbacks, shots
from oak_sled.core.parts.context import Pack
from oak_sled.core.parts.impulse import Impulse
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.sling import Sling
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground

SEEDS = range(12)
SPACE = {"gravity": 0.0, "air_density": 0.0, "floor": False}
STILL = {"mass": 500.0, "length": 1.0, "width": 1.0, "height": 1.0, "held": ("x", "y", "z", "roll", "pitch", "yaw")}

HERE = (0.0, 0.0, 0.0)


def turned(random):
    """A random attitude and its axes."""
    q = random.normal(size=4)
    q /= np.linalg.norm(q)
    axes = np.zeros((3, 3))
    spatial.axes_of(q, axes)
    return q, axes


# blows


def naive_blow(part, origin, facing, bodies):
    """What a blow of one tick gives each body: impulse, shape (bodies, 3), N s. Plain vectors, one rule a line."""
    given = np.zeros((len(bodies), 3))
    left = np.cross([0.0, 0.0, 1.0], facing)
    left = left / np.linalg.norm(left) if np.linalg.norm(left) > 1e-9 else np.array([0.0, 1.0, 0.0])
    up = np.cross(facing, left)
    for place, (where, mass) in enumerate(bodies):
        away = where - origin
        distance = np.linalg.norm(away)
        inside = {
            "ball": distance <= part.reach,
            "cone": distance <= part.reach and away @ facing >= distance * math.cos(math.radians(part.angle_deg)),
            "box": 0.0 <= away @ facing <= part.reach
            and abs(away @ left) <= part.width / 2
            and abs(away @ up) <= part.height / 2,
        }[part.volume]
        if not inside:
            continue
        way = {
            "from_source": away / distance,
            "facing": facing,
            "fixed": np.array([math.cos(math.radians(part.fixed_deg)), math.sin(math.radians(part.fixed_deg)), 0.0]),
        }[part.direction]
        flat = np.hypot(way[0], way[1])
        rise = 0.0 if part.level else math.atan2(way[2], flat)
        rise = np.clip(rise + math.radians(part.lift_deg), -math.pi / 2, math.pi / 2)
        way = np.array([way[0] / flat * math.cos(rise), way[1] / flat * math.cos(rise), math.sin(rise)])
        weaker = {"none": 1.0, "linear": 1.0 - distance / part.reach, "square": (1.0 - distance / part.reach) ** 2}
        mass_counts = part.way in ("impulse", "force")
        given[place] = part.size * max(weaker[part.fall_off], 0.0) * (1.0 if mass_counts else mass) * way
    return given


@pytest.mark.parametrize("seed", SEEDS)
def test_a_blow_gives_everybody_what_its_slow_twin_says(make, seed):
    random = np.random.default_rng(seed)

    def pick(*choices):
        return choices[random.integers(len(choices))]

    part = Knockback(
        id="blow",
        volume=pick("box", "ball", "cone"),
        direction=pick("from_source", "facing", "fixed"),
        way=pick("impulse", "speed_change"),
        fall_off=pick("none", "linear", "square"),
        size=float(random.uniform(1.0, 50.0)),
        reach=float(random.uniform(6.0, 14.0)),
        width=8.0,
        height=6.0,
        angle_deg=float(random.uniform(20.0, 80.0)),
        lift_deg=float(random.uniform(-40.0, 60.0)),
        fixed_deg=float(random.uniform(-180.0, 180.0)),
        level=bool(random.integers(2)),
        azimuth_deg=float(random.uniform(-90.0, 90.0)),
        elevation_deg=float(random.uniform(-30.0, 30.0)),
        z=0.4,
        lasts=0.0,
    )
    spots = random.uniform(-9.0, 9.0, size=(14, 3))
    spots = spots[np.linalg.norm(spots, axis=1) > 2.0]
    masses = random.uniform(5.0, 90.0, size=len(spots))
    blocks = tuple(
        Block(id=f"b{k}", x=float(x), y=float(y), z=float(z) - 0.05, length=0.1, width=0.1, height=0.1, mass=float(m))
        for k, ((x, y, z), m) in enumerate(zip(spots, masses, strict=True))
    )
    made = make.run([part], body=STILL, ground={**SPACE, "blocks": blocks}, seconds=0.2,
                    drill={"events": (Event(id="e", target="blow", t=0.1),)})  # fmt: skip
    azimuth, elevation = math.radians(part.azimuth_deg), math.radians(part.elevation_deg)
    facing = np.array(
        [math.cos(elevation) * math.cos(azimuth), math.cos(elevation) * math.sin(azimuth), math.sin(elevation)]
    )
    origin = made.columns("position.x", "position.y", "position.z")[0] + [0.0, 0.0, 0.4]
    wanted = naive_blow(part, origin, facing, list(zip(spots, masses, strict=True)))
    for k, mass in enumerate(masses):
        place = made.columns(*(f"block.b{k}.position.{axis}" for axis in "xyz"))
        assert (place[-1] - place[-2]) * 120 * mass == pytest.approx(
            wanted[k], abs=1e-6 * max(part.size * mass, 1.0)
        ), k


@pytest.mark.parametrize(
    ("profile", "whole"), [((0.0, 0.0), 1.0), ((0.2, 0.0), 0.8), ((0.0, 0.2), 0.8), ((0.25, 0.25), 0.5)]
)
@pytest.mark.parametrize("ticks", [60, 120, 500])
def test_a_force_with_a_profile_gives_its_area_at_any_tick_rate(make, profile, whole, ticks):
    part = Knockback(id="blow", way="force", size=90.0, lasts=0.5, rise_time=profile[0], fall_time=profile[1],
                     volume="ball",
                     reach=50.0, lift_deg=0.0)  # fmt: skip
    made = make.run([part], body=STILL, ground={**SPACE, "blocks": (Block(id="b", x=5.0, z=0.0, mass=30.0),)},
                    ticks=ticks, seconds=1.0, drill={"events": (Event(id="e", target="blow", t=0.1),)})  # fmt: skip
    place = made.columns(*(f"block.b.position.{axis}" for axis in "xyz"))
    gained = np.linalg.norm(place[-1] - place[-2]) * ticks * 30.0
    if profile == (0.25, 0.25) or profile == (0.0, 0.0):
        assert gained == pytest.approx(90.0 * 0.5 * whole, rel=0.01)
    else:
        assert gained == pytest.approx(90.0 * (0.5 - 0.1), rel=0.01)


# shots


def naive_pull(part, air, wind, velocity, spin, age):
    """m/s2 of a shot, gravity and steering apart: the formulas of a book, one after another."""
    area = math.pi * (part.shot_size / 2) ** 2
    v = velocity - wind
    drag = -0.5 * air * part.shot_drag * area * np.linalg.norm(v) * v
    lift = 0.5 * air * part.spin_lift * area * (part.shot_size / 2) * np.cross(spin, v)
    push = part.shot_thrust * velocity / np.linalg.norm(velocity) if age < part.burn_s else np.zeros(3)
    return (drag + lift + push) / part.shot_mass


@pytest.mark.parametrize("seed", SEEDS)
def test_what_a_shot_feels_is_what_its_slow_twin_says(seed):
    random = np.random.default_rng(seed)
    part = Launcher(
        id="gun",
        shot_mass=float(random.uniform(0.1, 20.0)),
        shot_size=float(random.uniform(0.05, 0.8)),
        shot_drag=float(random.uniform(0.0, 2.0)),
        spin_lift=float(random.uniform(0.0, 2.0)),
        shot_thrust=float(random.uniform(0.0, 300.0)),
        burn_s=1.0,
    )
    record = _record(part)
    ground = np.zeros(1, state.GROUND)
    ground["air_density"], ground["wind"] = random.uniform(0.0, 2.0), random.normal(size=3) * 5.0
    velocity, spin = random.normal(size=3) * 40.0, random.normal(size=3) * 60.0
    for age in (0.2, 1.5):
        found = shots.pull_of(
            record, ground[0], (0.0, 0.0, 0.0), tuple(velocity), tuple(spin), age, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
        )
        wanted = naive_pull(part, ground["air_density"][0], ground["wind"][0], velocity, spin, age)
        assert found == pytest.approx(wanted, rel=1e-9, abs=1e-9)


def _record(part):
    from oak_sled.core.parts import launcher

    made = np.zeros(1, launcher.RECORD)
    for name, value in part.record(Pack((), (0.0, 0.0, 0.0))).items():
        made[name] = value
    return made[0]


@pytest.mark.parametrize("seed", SEEDS)
def test_steering_is_across_the_line_of_sight_and_grows_with_its_turning(seed):
    random = np.random.default_rng(seed)
    record = _record(Launcher(id="gun", homing=3.0, homing_limit=1e4, shot_drag=0.0))
    ground = np.zeros(1, state.GROUND)
    velocity = np.array([30.0, 0.0, 0.0])
    line, target = random.normal(size=3) * 20.0 + [60.0, 0.0, 0.0], random.normal(size=3) * 4.0
    closing = target - velocity
    found = np.array(
        shots.pull_of(
            record, ground[0], (0.0, 0.0, 0.0), tuple(velocity), (0.0, 0.0, 0.0), 9.0, tuple(line), tuple(closing)
        )
    )
    unit = line / np.linalg.norm(line)
    assert abs(found @ unit) < 1e-9 * max(np.linalg.norm(found), 1.0)
    rate = np.cross(line, closing) / (line @ line)
    assert np.linalg.norm(found) == pytest.approx(3.0 * max(-closing @ unit, 0.0) * np.linalg.norm(rate))


def test_the_hardest_turn_is_kept():
    record = _record(Launcher(id="gun", homing=5.0, homing_limit=12.0, shot_drag=0.0))
    ground = np.zeros(1, state.GROUND)
    pull = shots.pull_of(
        record, ground[0], (0.0, 0.0, 0.0), (50.0, 0.0, 0.0), (0.0, 0.0, 0.0), 9.0, (3.0, 3.0, 0.0), (-50.0, 0.0, 0.0)
    )
    assert np.linalg.norm(pull) == pytest.approx(12.0)


def test_dice_are_even_and_do_not_follow_one_another():
    thrown = np.array([shots.dice(3, k) for k in range(20_000)])
    assert np.all((thrown >= 0.0) & (thrown < 1.0))
    assert thrown.mean() == pytest.approx(0.5, abs=0.01)
    assert np.histogram(thrown, bins=10)[0].min() > 1850
    assert abs(np.corrcoef(thrown[:-1], thrown[1:])[0, 1]) < 0.02
    assert not np.array_equal(thrown[:50], [shots.dice(4, k) for k in range(50)])


@pytest.mark.parametrize("way", [(1.0, 0.0, 0.0), (0.0, 0.0, 1.0), (0.6, -0.64, 0.48)])
def test_across_gives_two_directions_at_right_angles(way):
    left, up = (np.array(vector) for vector in environment.across(np.zeros(1, state.NOW)[0], way))
    assert [left @ way, up @ way, left @ up] == pytest.approx([0.0, 0.0, 0.0], abs=1e-12)
    assert left[2] == 0.0
    assert [np.linalg.norm(left), np.linalg.norm(up)] == pytest.approx([1.0, 1.0])


# the ledger, whatever is fitted


@pytest.mark.parametrize("seed", range(10))
def test_the_ledger_closes_for_random_sudden_craft(seed):
    """Impulses, slings, launchers and blows with recoil, on press, release, charge and events, free or held."""
    random = np.random.default_rng(100 + seed)

    def pick(*choices):
        return choices[random.integers(len(choices))]

    parts = (
        Impulse(id="kick", channel="a", fires=pick("on_press", "on_release", "on_charge"),
                way=pick("impulse", "speed_change"),
                size=float(random.uniform(1.0, 200.0)), lasts=pick(0.0, 0.1), at_point=bool(random.integers(2)), y=0.3,
                frame=pick("craft", "world", "level_heading"), elevation_deg=30.0, cool_down=0.1),
        Sling(id="band", way=pick("impulse", "speed_change"), size=5.0, hold=pick("loose", "in_place", "weightless")),
        Launcher(id="gun", channel="b", rate=float(random.uniform(1.0, 30.0)), muzzle_speed=20.0,
                 shot_mass=2.0, spread_deg=5.0, recoil=float(random.uniform(0.0, 1.5)),
                 on_hit=pick("goes_on", "bursts"), blast="blow"),
        Knockback(id="blow", channel="a", way=pick("impulse", "force", "acceleration"), size=50.0, reach=8.0,
                  timing=pick("on_press", "while_held"), reaction=1.0, volume="ball"),
        Thruster(id="main", channel="b", thrust=200.0),
    )  # fmt: skip
    held = tuple(axis for axis in ("z", "roll", "pitch", "yaw") if random.random() < 0.3)
    channels = tuple(Channel(id=name, rise=20.0, fall=20.0) for name in "ab")
    craft = Craft(id="c", body=Body(mass=80.0, held=held), channels=channels, parts=parts)
    blocks = tuple(Block(id=f"b{k}", x=3.0 + k, y=float(random.uniform(-3, 3)), mass=30.0) for k in range(4))
    tracks = tuple(
        Track(channel=name, knots=tuple(Knot(t=0.2 * k, value=float(random.integers(2))) for k in range(10)))
        for name in "ab"
    )
    drill_events = (
        Event(id="go", what="release", target="band", t=0.5, x=-2.0, y=1.0),
        Event(id="poke", what="poke", t=0.9, x=40.0, z=30.0, at_y=0.4),
        Event(id="box", what="poke", target="b1", t=1.1, y=60.0, at_z=0.3),
    )
    drill = Drill(id="d", tracks=tracks, events=drill_events, duration=2.0)
    made = run.execute(Job(craft, Ground(id="g", blocks=blocks, friction=0.4), drill, int(pick(60, 120, 240))))
    assert max(ledger.ledger_gap(made)) < 1e-9
    assert made.digest == run.execute(made.job).digest


# events in the kernel


@pytest.mark.parametrize("ticks", [20, 60, 333])
def test_an_event_happens_in_the_tick_that_begins_at_its_time(make, ticks):
    when = 7 / ticks
    poke = Event(id="e", what="poke", t=when, x=10.0)
    made = make.run(
        [], body=STILL | {"held": ()}, ground=SPACE, ticks=ticks, seconds=20 / ticks, drill={"events": (poke,)}
    )
    moving = np.flatnonzero(made.column("velocity.x") > 0.0)
    assert moving[0] == 8, "row 8 is the state after the tick that begins at 7"


def test_a_poke_of_a_solid_is_that_of_a_free_body():
    random = np.random.default_rng(5)
    q, axes = turned(random)
    inertia = shapes.box_inertia(12.0, (0.3, 0.5, 0.7))
    scene = scenery.scene([scenery.Solid((shapes.box((0.3, 0.5, 0.7)),), 12.0, inertia, attitude=q)])
    lever, impulse = random.normal(size=3), random.normal(size=3) * 20.0
    solid = scene.solids[1]
    solid["asleep"] = 1
    pushes.give(scene, 1, tuple(lever), tuple(impulse), np.zeros(1, state.NOW))
    assert solid["velocity"] == pytest.approx(impulse / 12.0)
    assert solid["spin"] == pytest.approx(np.linalg.inv(axes @ inertia @ axes.T) @ np.cross(lever, impulse))
    assert solid["asleep"] == 0


def test_openness_counts_its_rounds():
    part = _blow_record(Knockback(id="k", lasts=0.1, cool_down=0.3))
    now, notes = np.zeros(1, state.NOW), np.zeros(4)
    now["dt"] = 0.01
    opened = []
    for tick in range(100):
        now["trigger"][0, 0] = float(tick in (0, 5, 20, 45))  # the second and the third come too soon
        opened.append(knockbacks.openness(part, 0, notes, now[0]) > 0.0)
    assert notes[knockbacks.ROUNDS] == 2.0
    assert sum(opened) == 20
    assert notes[knockbacks.FOUND_NONE] == 2.0


def _blow_record(part):
    from oak_sled.core.parts import knockback

    made = np.zeros(1, knockback.RECORD)
    for name, value in part.record(Pack((), (0.0, 0.0, 0.0))).items():
        made[name] = value
    return made[0]


# the solver's fast paths


def pair(random, apart=0.0):
    """Two turned boxes that move, beside each other, and a contact between them."""
    made = []
    for k in range(2):
        q, _ = turned(random)
        half = random.uniform(0.2, 0.6, size=3)
        mass = float(random.uniform(2.0, 40.0))
        made.append(
            scenery.Solid((shapes.box(half),), mass, shapes.box_inertia(mass, half), attitude=q,
                          position=random.normal(size=3) * 0.2 + [k * (1.0 + apart), 0.0, 5.0],
                          velocity=random.normal(size=3), spin=random.normal(size=3))
        )  # fmt: skip
    scene = scenery.scene(made, plane=False)
    contact = scene.contacts[0]
    contact["a"], contact["b"] = 1, 2
    contact["lever_a"], contact["lever_b"] = random.normal(size=3), random.normal(size=3)
    return scene, contact


@pytest.mark.parametrize("seed", SEEDS)
def test_the_arms_of_a_contact_are_what_an_impulse_does(seed):
    random = np.random.default_rng(seed)
    scene, contact = pair(random)
    one, other = scene.solids[1], scene.solids[2]
    way = random.normal(size=3)
    way /= np.linalg.norm(way)
    felt = contactrows.lay_arms(contact, 0, one, other, tuple(way))
    before = pairs.speed_along(one, other, tuple(contact["lever_a"]), tuple(contact["lever_b"]), tuple(way))
    gap = tuple(one["velocity"] - other["velocity"])
    spins = tuple(one["spin"]), tuple(other["spin"])
    assert contactrows.relative_speed(contact, 0, tuple(way), gap, *spins) == pytest.approx(before)
    pairs.push(one, tuple(contact["lever_a"]), tuple(way), 3.0)
    pairs.push(other, tuple(contact["lever_b"]), tuple(way), -3.0)
    after = pairs.speed_along(one, other, tuple(contact["lever_a"]), tuple(contact["lever_b"]), tuple(way))
    assert after - before == pytest.approx(3.0 * felt)


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("shape", ["box", "ball", "capsule", "cylinder", "wedge"])
def test_the_box_round_a_solid_holds_all_of_it(shape, seed):
    random = np.random.default_rng(seed)
    half = tuple(random.uniform(0.2, 1.0, size=3))
    piece = {
        "box": lambda: shapes.box(half),
        "ball": lambda: shapes.ball(half[0]),
        "capsule": lambda: shapes.capsule(half[1], half[0]),
        "cylinder": lambda: shapes.cylinder(half[0], half[2]),
        "wedge": lambda: shapes.wedge(half),
    }[shape]()
    q, _ = turned(random)
    scene = scenery.scene([scenery.Solid((piece.moved(np.eye(3), random.normal(size=3) * 0.3),), attitude=q)])
    solid = scene.solids[1]
    broad.box(solid, 1 / 60)
    for _ in range(60):
        way = random.normal(size=3)
        way /= np.linalg.norm(way)
        spot = (
            np.array(closest.support(scene.pieces[1], solid, scene.corners, tuple(way)))
            + way * scene.pieces[1]["radius"]
        )
        assert np.all(spot >= solid["low"] - 1e-9)
        assert np.all(spot <= solid["high"] + 1e-9)


@pytest.mark.parametrize("seed", range(30))
def test_a_limit_only_cuts_short_what_is_farther(seed):
    random = np.random.default_rng(seed)
    scene, _ = pair(random, apart=float(random.uniform(-0.5, 3.0)))
    one, other = scene.solids[1], scene.solids[2]
    ask = (scene.pieces[1], one, scene.pieces[2], other, scene.corners, scene.work)
    true = closest.closest(*ask, 1e9)
    for limit in (0.02, 0.3, 1.0, 4.0):
        found = closest.closest(*ask, limit)
        if found == closest.FAR:
            assert true > limit
        else:
            assert found == pytest.approx(true, abs=1e-9)


def test_solids_of_one_shape_share_their_pieces_and_fall_the_same():
    shared = (shapes.box((0.3, 0.3, 0.3)),)
    spots = [(0.0, 0.0, 1.0 + 0.7 * k) for k in range(5)]
    inertia = shapes.box_inertia(10.0, (0.3, 0.3, 0.3))
    one = scenery.scene([scenery.Solid(shared, 10.0, inertia, position=spot) for spot in spots])
    own = scenery.scene([scenery.Solid((shapes.box((0.3, 0.3, 0.3)),), 10.0, inertia, position=s) for s in spots])
    assert len(one.pieces) == 2
    assert len(own.pieces) == 6
    rows = [np.zeros((90, 6, 13)), np.zeros((90, 6, 13))]
    for scene, out in zip((one, own), rows, strict=True):
        solver.run_alone(scene, still_air(9.81)[0], 1 / 60, 90, out)
    assert np.array_equal(rows[0], rows[1])


def test_a_parked_shot_is_met_by_nobody():
    craft = Craft(id="c", parts=(Launcher(id="gun", in_flight=3),))
    ground = Ground(id="g", blocks=(Block(id="b", x=0.0, z=3.0),))
    job = Job(craft, ground, Drill(id="d"), 60)
    scene = scenes.build(job)
    first = bodynames.first_slot(job, 0, "gun")
    scene.solids["position"][first:] = scene.solids["position"][2]
    broad.sweep(scene, 1 / 60)
    pairs = {(int(c["a"]), int(c["b"])) for c in scene.contacts[: scene.counts[0]]}
    assert not any(a >= first or b >= first for a, b in pairs)
    assert np.all(scene.solids["kind"][first:] == records.PARKED)


@pytest.mark.parametrize("number", [0, 1])
def test_the_events_of_a_drill_become_records_in_order_of_time(number):
    craft = Craft(id="c", parts=(Sling(id="band"), Impulse(id="kick")))
    ground = Ground(id="g", blocks=(Block(id="b", x=5.0),), edges="wall")
    late = Event(id="late", what="release", target="band", t=2.0, x=-1.0)
    soon = Event(id="soon", what="poke", target="b", t=1.0, z=5.0, at_x=0.1)
    rows = eventrows.event_rows((late, soon), Job(craft, ground, Drill(id="d"), 60))
    assert rows["time"].tolist() == [1.0, 2.0]
    wanted = [(state.PUSHED, -1, 1 + 1 + 4), (state.RELEASE, 0, -1)][number]
    assert (rows["what"][number], rows["part"][number], rows["solid"][number]) == wanted
