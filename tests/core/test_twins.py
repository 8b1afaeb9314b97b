"""Slow, obvious twins of the small kernels, and the kernels against them."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
import upright_walls as walls
from scipy.spatial.transform import Rotation

from oak_sled.bench import heap
from oak_sled.bench.yardstick import HeapInC
from oak_sled.core.assembly import jobs, tracks
from oak_sled.core.contact import records, solver
from oak_sled.core.kernel import body, spatial
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.parts import runnerforce, runnerlaws
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.results import run
from oak_sled.core.tick import loop
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.drill import Knot, Track
from oak_sled.core.yard.ground import Gate

SEEDS = range(12)


def random_rotation(random):
    q = random.normal(size=4)
    return q / np.linalg.norm(q)


def scipy_rotation(q):
    return Rotation.from_quat([q[1], q[2], q[3], q[0]])


@pytest.mark.parametrize("seed", SEEDS)
def test_axes_of_a_quaternion(seed):
    q = random_rotation(np.random.default_rng(seed))
    axes = np.zeros((3, 3))
    spatial.axes_of(q, axes)
    assert np.allclose(axes, scipy_rotation(q).as_matrix(), atol=1e-14)


@pytest.mark.parametrize("seed", SEEDS)
def test_turning_a_quaternion_exactly(seed):
    random = np.random.default_rng(seed)
    q, by = random_rotation(random), random.normal(size=3) * 10.0 ** random.integers(-8, 1)
    wanted = Rotation.from_rotvec(by) * scipy_rotation(q)
    spatial.turn(q, (by[0], by[1], by[2]))
    assert np.allclose(scipy_rotation(q).as_matrix(), wanted.as_matrix(), atol=1e-14)
    assert np.linalg.norm(q) == pytest.approx(1.0, abs=1e-15)


@pytest.mark.parametrize("seed", SEEDS)
def test_vectors_there_and_back(seed):
    random = np.random.default_rng(seed)
    axes, v, w = scipy_rotation(random_rotation(random)).as_matrix(), random.normal(size=3), random.normal(size=3)
    assert np.allclose(spatial.to_world(axes, v), axes @ v)
    assert np.allclose(spatial.to_craft(axes, v), axes.T @ v)
    assert np.allclose(spatial.cross(v, w), np.cross(v, w))
    assert spatial.dot(v, w) == pytest.approx(v @ w)
    assert spatial.length(v) == pytest.approx(np.linalg.norm(v))


@pytest.mark.parametrize("seed", SEEDS)
def test_inverse_of_a_symmetric_matrix(seed):
    random = np.random.default_rng(seed)
    half = random.normal(size=(3, 3))
    matrix, out = half @ half.T + np.eye(3), np.zeros((3, 3))
    spatial.inverse_symmetric(matrix, out)
    assert np.allclose(out, np.linalg.inv(matrix), rtol=1e-9)
    assert np.allclose(spatial.times(matrix, (1.0, 2.0, 3.0)), matrix @ [1.0, 2.0, 3.0])


@pytest.mark.parametrize("seed", SEEDS)
def test_inertia_in_world_axes(seed):
    random = np.random.default_rng(seed)
    axes, inertia = scipy_rotation(random_rotation(random)).as_matrix(), np.diag(random.uniform(1, 9, 3))
    out = np.zeros((3, 3))
    body.world_inertia(inertia, axes, out)
    assert np.allclose(out, axes @ inertia @ axes.T)


@pytest.mark.parametrize("free", list(itertools.product((0.0, 1.0), repeat=3)))
def test_held_axes_leave_the_block_of_the_free_ones(free):
    random = np.random.default_rng(5)
    half = random.normal(size=(3, 3))
    inertia, out = half @ half.T + 3.0 * np.eye(3), np.zeros((3, 3))
    body.free_inverse(inertia, np.array(free), out)
    wanted = np.zeros((3, 3))
    loose = [i for i in range(3) if free[i]]
    if loose:
        wanted[np.ix_(loose, loose)] = np.linalg.inv(inertia[np.ix_(loose, loose)])
    assert np.allclose(out, wanted)


# channels


def shaped(values, dt, dead_zone, exponent, rise, fall, two_sided):
    """A channel over time, written out step by step."""
    value, seen = 0.0, []
    for raw in values:
        wanted = max(-1.0 if two_sided else 0.0, min(1.0, raw))
        size = abs(wanted)
        size = 0.0 if size <= dead_zone else (size - dead_zone) / (1.0 - dead_zone)
        wanted = math.copysign(size**exponent, wanted) if size else 0.0
        if value * wanted < 0.0:
            wanted = 0.0
        rate = rise if abs(wanted) > abs(value) else fall
        change = max(-rate * dt, min(rate * dt, wanted - value))
        value += change
        seen.append(value)
    return np.array(seen)


@pytest.mark.parametrize(
    ("dead_zone", "exponent", "rise", "fall", "two_sided"),
    [
        (0.0, 1.0, 3.0, 5.0, True),
        (0.2, 1.0, 100.0, 100.0, True),
        (0.1, 2.5, 4.0, 8.0, True),
        (0.0, 0.5, 2.0, 2.0, False),
    ],
)
def test_channels_are_shaped_as_written(make, planar, dead_zone, exponent, rise, fall, two_sided):
    channel = Channel(id="throttle", dead_zone=dead_zone, exponent=exponent, rise=rise, fall=fall, two_sided=two_sided)
    random = np.random.default_rng(2)
    told = [(float(k) * 0.25, float(random.uniform(-1, 1))) for k in range(16)]
    job = make.job([], body=planar, seconds=4.0, inputs={"throttle": told})
    job = jobs.Job(job.craft.replace(channels=(channel,)), job.ground, job.drill, job.ticks)
    made = run.execute(job)
    raw = tracks.inputs(job, made.ticks)[:, 0]
    wanted = shaped(raw, job.dt, dead_zone, exponent, rise, fall, two_sided)
    assert np.max(np.abs(made.column("channel.throttle")[1:] - wanted)) < 1e-12


@pytest.mark.parametrize(
    ("track", "wanted"),
    [
        (Track(channel="c", knots=(Knot(t=1, value=1), Knot(t=2, value=-0.5))), [0, 0, 1, 1, -0.5, -0.5]),
        (Track(channel="c", shape="ramps", knots=(Knot(t=0, value=0), Knot(t=2, value=1))), [0, 0.25, 0.5, 0.75, 1, 1]),
        (Track(channel="c", shape="sine", period=2.0, amplitude=0.5), [0, 0.5, 0, -0.5, 0, 0.5]),
        (Track(channel="c", shape="sine", period=2.0, knots=(Knot(t=1), Knot(t=2))), [0, 0, 0, 1, 0, 0]),
        (Track(channel="c"), [0, 0, 0, 0, 0, 0]),
    ],
)
def test_tracks_over_time(track, wanted):
    assert np.allclose(tracks.sample(track, np.arange(6) * 0.5), wanted, atol=1e-12)


# runners


def test_the_slide_share_follows_its_flag():
    part = np.zeros(1, runnerlaws.RECORD)
    part["slides_past"], part["grips_below"], part["blend_rate"] = 0.3, 0.1, 4.0
    memory, loose, share = np.zeros(8), False, 0.0
    random = np.random.default_rng(0)
    for slip in np.abs(np.cumsum(random.normal(size=300) * 0.05)) % 0.5:
        loose = True if slip > 0.3 else False if slip < 0.1 else loose
        goal = 1.0 if loose else 0.0
        share += max(-0.04, min(0.04, goal - share))
        assert runnerforce.slide_share(part[0], slip, memory, 0, 0.01) == pytest.approx(share, abs=1e-12)


def test_the_force_of_four_feet_is_that_of_each(make, planar):
    """At a steady yaw the side force of each foot follows its own slip; written out foot by foot."""
    part = Runner(
        id="skid",
        law="linear",
        stiffness=3.0,
        side_grip=9.0,
        glide=0.02,
        spread_x=0.8,
        spread_y=0.4,
        z=-0.25,
        slides_past_deg=90.0,
    )
    made = make.run([part], body=planar, seconds=0.05, speed=8.0, yaw_rate_deg=20.0)
    spin, load = math.radians(20.0), 100.0 * 9.80665 / 4
    force, torque = np.zeros(2), 0.0
    for x, y in itertools.product((0.8, -0.8), (0.4, -0.4)):
        u = np.array([8.0 - spin * y, spin * x])
        slip = math.atan2(abs(u[1]), abs(u[0]))
        f = np.array([-0.02 * load, -math.copysign(3.0 * load * slip, u[1])])
        force += f
        torque += x * f[1] - y * f[0]
    booked = made.line("skid")[1]
    assert booked[:2] == pytest.approx(force, abs=1e-9)
    assert booked[5] == pytest.approx(torque, rel=1e-9)


# walls


def polygon_of(x, y, angle, length, width):
    cos, sin = math.cos(angle), math.sin(angle)
    return np.array(
        [
            (x + a * length * cos - b * width * sin, y + a * length * sin + b * width * cos)
            for a, b in ((0.5, 0.5), (-0.5, 0.5), (-0.5, -0.5), (0.5, -0.5))
        ]
    )


def overlap_of(one, other):
    """Least overlap of two convex polygons over the normals of both, by projecting every corner."""
    least = math.inf
    for shape in (one, other):
        for k in range(len(shape)):
            edge = shape[(k + 1) % len(shape)] - shape[k]
            normal = np.array([-edge[1], edge[0]]) / np.linalg.norm(edge)
            a, b = one @ normal, other @ normal
            least = min(least, a.max() - b.min(), b.max() - a.min())  # how far apart it takes, either way
    return least


def wall_and_body(random, ball=False):
    wall = np.zeros(1, walls.WALL)
    angle = random.uniform(-3, 3)
    length, width = random.uniform(0.5, 6), random.uniform(0.2, 2)
    wall["x"], wall["y"] = random.uniform(-2, 2, 2)
    wall["cos"], wall["sin"] = math.cos(angle), math.sin(angle)
    wall["half_length"], wall["half_width"], wall["top"] = length / 2, width / 2, 5.0
    wall["reach"] = math.hypot(length, width) / 2
    hull = np.zeros(1, walls.HULL)
    half = random.uniform(0.2, 1.5, 3)
    hull["half"] = [half[0]] * 3 if ball else half
    hull["reach"] = np.linalg.norm(hull["half"][0])
    hull["hull_kind"] = int(ball)
    return wall[0], hull[0], angle, length, width


@pytest.mark.parametrize("seed", range(40))
def test_box_against_wall_is_the_overlap_of_polygons(seed):
    random = np.random.default_rng(seed)
    wall, hull, angle, length, width = wall_and_body(random)
    heading, x, y = random.uniform(-3, 3), *random.uniform(-2, 2, 2)
    axes = Rotation.from_euler("z", heading).as_matrix()
    depth, nx, ny, cx, cy = walls.touch(hull, axes, x, y, 0.0, wall)
    one = polygon_of(x, y, heading, 2 * hull["half"][0], 2 * hull["half"][1])
    other = polygon_of(wall["x"], wall["y"], angle, length, width)
    wanted = overlap_of(one, other)
    if wanted <= 0.0:
        assert depth <= 0.0
        return
    assert depth == pytest.approx(wanted, abs=2e-6)
    assert math.hypot(nx, ny) == pytest.approx(1.0)
    # moved out along the normal by the depth, they no longer overlap
    assert overlap_of(one + np.array([nx, ny]) * (depth + 1e-5), other) <= 1e-5
    assert np.linalg.norm([cx - x, cy - y]) <= hull["reach"] + 1e-9


@pytest.mark.parametrize("seed", range(20))
def test_ball_against_wall_is_the_distance_to_the_nearest_point(seed):
    random = np.random.default_rng(seed)
    wall, hull, angle, length, width = wall_and_body(random, ball=True)
    x, y = random.uniform(-3, 3, 2)
    local = Rotation.from_euler("z", -angle).as_matrix()[:2, :2] @ [x - wall["x"], y - wall["y"]]
    out = np.maximum(np.abs(local) - [length / 2, width / 2], 0.0)
    radius = hull["half"][0]
    depth, nx, ny, _, _ = walls.touch(hull, np.eye(3), x, y, 0.0, wall)
    if np.any(out > 0.0):
        away = np.linalg.norm(out)
        if away < radius:
            assert depth == pytest.approx(radius - away)
            assert nx * (x - wall["x"]) + ny * (y - wall["y"]) > -length
        else:
            assert depth <= 1e-12
    else:
        assert depth > radius


def test_a_craft_above_a_wall_does_not_touch_it():
    wall, hull, *_ = wall_and_body(np.random.default_rng(1))
    assert walls.touch(hull, np.eye(3), wall["x"], wall["y"], 0.0, wall)[0] > 0.0
    assert walls.touch(hull, np.eye(3), wall["x"], wall["y"], 5.0 + 2.0, wall)[0] < 0.0


# gates and ends


@pytest.mark.parametrize("seed", range(10))
def test_gates_are_crossed_as_segments_cross(make, planar, seed):
    random = np.random.default_rng(seed)
    heading, speed = float(random.uniform(-25, 25)), 7.0
    gate = Gate(id="a", x=12.0, y=float(random.uniform(-3, 3)), heading_deg=float(random.uniform(-40, 40)), width=5.0)
    made = make.run(body=planar, ground={"gates": (gate,)}, seconds=4.0, speed=speed, heading_deg=heading)
    way = np.array([math.cos(math.radians(heading)), math.sin(math.radians(heading))])
    angle = math.radians(gate.heading_deg)
    normal, side = np.array([math.cos(angle), math.sin(angle)]), np.array([-math.sin(angle), math.cos(angle)])
    time = (np.array([gate.x, gate.y]) @ normal) / (way @ normal) / speed
    aside = abs((way * speed * time - [gate.x, gate.y]) @ side)
    assert made.column("next_gate")[-1] == 1.0
    assert made.column("gates_missed")[-1] == float(aside > 2.5)


def test_the_driver_turns_toward_the_gate(make, planar):
    for side in (3.0, -3.0):
        gate = Gate(id="a", x=15.0, y=side)
        job = make.job([], body=planar, ground={"gates": (gate,)}, seconds=0.5, speed=5.0)
        aim = Track(channel="steer", shape="aim", gain=2.0, lead=0.0, sight=0.0)
        made = run.execute(jobs.Job(job.craft, job.ground, job.drill.replace(tracks=(aim,)), 120))
        told = made.column("channel.steer")[1]
        assert told == pytest.approx(max(-1.0, min(1.0, 2.0 * math.atan2(side, 15.0))), rel=1e-3)


def test_substeps_book_the_mean_of_their_lines(make, planar):
    push = Thruster(id="push", channel="throttle", thrust=80.0)
    job = make.job([push], body=planar, seconds=0.5, inputs={"throttle": 1.0})
    fine = run.execute(jobs.Job(job.craft, job.ground, job.drill, job.ticks, substeps=8))
    change = np.diff(fine.column("velocity.x")) * 100.0 * 120
    assert fine.line("push")[1:, 0] == pytest.approx(change, rel=1e-9)


def test_a_wild_state_is_seen():
    body = np.zeros(1, records.SOLID)
    assert not loop.is_wild(body[0])
    for name, value in (("velocity", np.nan), ("position", np.inf), ("spin", 1e6)):
        body = np.zeros(1, records.SOLID)
        body[name][0, 1] = value
        assert loop.is_wild(body[0]), name


def test_a_heap_of_balls_falls_as_it_does_in_c():
    """The solver's own steps as C99, built by the C compiler: the same to the bit."""
    made = heap.balls(60)
    try:
        in_c = HeapInC(heap.ball_scene(made))
    except RuntimeError as error:
        pytest.skip(str(error))
    rows = []
    for run_heap in (in_c.run, solver.run_alone):
        scene = heap.ball_scene(made)
        out = np.zeros((300, len(scene.solids), 13))
        run_heap(scene, still_air(9.81)[0], 1.0 / 60, 300, out)
        rows.append(out)
    in_c.close()
    assert np.array_equal(*rows)
    assert rows[0][-1, 1:, 2].min() > 0.15, "none sinks in"
