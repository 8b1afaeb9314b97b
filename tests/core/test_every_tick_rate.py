"""The truth table at 60, 120, 240 and 480 ticks/s: what must hold whatever the tick rate is."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from oak_sled.core.contact import records, scenery, solver
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air
from oak_sled.core.parts.runnerforce import slip_angle
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque

G = 9.80665
RATES = (60, 120, 240, 480)


def materials(friction, bounce=0.0):
    return np.full((1, 1, 2), [friction, bounce])


def run(scene, seconds, ticks):
    """Position, attitude, velocity and spin of every body after each tick, shape (ticks, bodies, 13)."""
    out = np.zeros((int(seconds * ticks), len(scene.solids), 13))
    solver.run_alone(scene, still_air(G)[0], 1.0 / ticks, len(out), out)
    return out


def box(half, mass, position, **settings):
    return Solid([shapes.box(half)], mass, shapes.box_inertia(mass, half), position=position, **settings)


def product(a, b):
    """Of two quaternions."""
    w, x, y, z = a
    s, i, j, k = b
    return (
        w * s - x * i - y * j - z * k, w * i + x * s + y * k - z * j,
        w * j - x * k + y * s + z * i, w * k + x * j - y * i + z * s,
    )  # fmt: skip


def on_slope(angle, half, heading=0.0, mass=30.0):
    """A block on a wide box that is tilted by `angle`, rad, about the y axis."""
    tilt = (math.cos(0.5 * angle), 0.0, math.sin(0.5 * angle), 0.0)
    turn = (math.cos(0.5 * heading), 0.0, 0.0, math.sin(0.5 * heading))
    up = np.array([math.sin(angle), 0.0, math.cos(angle)])
    slope = Solid([shapes.box((20.0, 20.0, 1.0))], kind=records.FIXED, position=-up, attitude=tilt)
    return slope, box(half, mass, half[2] * up, attitude=product(tilt, turn))


# standing


@pytest.mark.parametrize("ticks", RATES)
def test_a_box_stands_on_any_slope_that_friction_holds(ticks):
    random = np.random.default_rng(ticks)
    for _ in range(6):
        friction = float(random.uniform(0.2, 1.2))
        angle = math.atan(friction) * float(random.uniform(0.3, 0.97))
        half = (*random.uniform(0.1, 0.8, 2), float(random.uniform(0.05, 0.1)))
        bodies = on_slope(angle, half, float(random.uniform(-3.0, 3.0)))
        made = run(scenery.scene(bodies, plane=False, materials=materials(friction)), 10.0, ticks)
        moved = np.linalg.norm(made[:, 2, :3] - bodies[1].position, axis=1)
        assert moved.max() < 1e-3, (friction, angle, half)


@pytest.mark.parametrize("ticks", RATES)
def test_what_a_slope_pulls_slides_on_and_does_not_freeze(ticks):
    angle = brentq(lambda tilt: G * (math.sin(tilt) - 0.3 * math.cos(tilt)) - 0.05, 0.1, 0.6)
    made = run(scenery.scene(on_slope(angle, (0.6, 0.5, 0.05)), plane=False, materials=materials(0.3)), 10.0, ticks)
    assert np.linalg.norm(made[-1, 2, 7:10]) == pytest.approx(0.5, rel=1e-2)


@pytest.mark.parametrize("ticks", RATES)
def test_ten_boxes_stand(ticks):
    places = [(0.0, 0.0, 0.25 + 0.5 * k) for k in range(10)]
    scene = scenery.scene([box((0.25, 0.25, 0.25), 20.0, place) for place in places], materials=materials(0.5))
    made = run(scene, 10.0, ticks)
    assert np.abs(made[:, 1:, :3] - places).max() < 1e-3
    assert np.all(scene.solids["asleep"][1:] == 1)


@pytest.mark.parametrize("ticks", [60, 240])
def test_heavy_boxes_stand_on_light_ones(ticks):
    places = [(0.0, 0.0, 0.25 + 0.5 * k) for k in range(8)]
    bodies = [box((0.25, 0.25, 0.25), 10.0 if k % 2 == 0 else 500.0, place) for k, place in enumerate(places)]
    scene = scenery.scene(bodies, materials=materials(0.5))
    made = run(scene, 5.0, ticks)
    assert (np.array(places)[:, 2] - made[:, 1:, 2]).max() < 3e-3
    assert np.all(scene.solids["asleep"][1:] == 1), "asleep within 5 s"


# bouncing


@pytest.mark.parametrize("ticks", [20, 30, *RATES])
@pytest.mark.parametrize("shape", ["ball", "box"])
def test_a_bounce_is_never_higher_than_the_drop(ticks, shape):
    body = box((0.3, 0.4, 0.2), 10.0, (0.0, 0.0, 2.2))
    if shape == "ball":
        body = Solid([shapes.ball(0.2)], 10.0, shapes.ball_inertia(10.0, 0.2), position=(0.0, 0.0, 2.2))
    made = run(scenery.scene([body], materials=materials(0.5, 1.0)), 30.0, ticks)[:, 1]
    assert made[:, 2].max() < 2.2 + 1e-9
    assert made[-4 * ticks :, 2].max() > 2.2 - 0.07, "and hardly lower after half a minute"
    assert np.abs(made[:, 10:13]).max() < 1e-8, "what falls flat gains no spin"


@pytest.mark.parametrize("ticks", RATES)
def test_three_bounces_keep_the_square_of_the_restitution(ticks):
    ball = Solid([shapes.ball(0.2)], 10.0, shapes.ball_inertia(10.0, 0.2), position=(0.0, 0.0, 2.2))
    z = run(scenery.scene([ball], materials=materials(0.5, 0.7)), 3.2, ticks)[:, 1, 2] - 0.2
    peaks = [2.0, *(z[k] for k in range(1, len(z) - 1) if z[k - 1] < z[k] >= z[k + 1])]
    for before, after in zip(peaks[:3], peaks[1:4], strict=True):
        assert after / before == pytest.approx(0.49, rel=1e-2)


@pytest.mark.parametrize("count", [2, 5, 12])
def test_a_row_of_balls_passes_a_blow_on(count):
    """Restitution 1: the last one leaves with the speed of the first, and no energy is lost."""
    row = [
        Solid([shapes.ball(0.1)], 1.0, shapes.ball_inertia(1.0, 0.1), position=(0.2 * k, 0.0, 5.0),
              velocity=(2.0 if k == 0 else 0.0, 0.0, 0.0))
        for k in range(count)
    ]  # fmt: skip
    row[0].position = (-0.5, 0.0, 5.0)
    scene = scenery.scene(row, plane=False, materials=materials(0.0, 1.0))
    out = np.zeros((90, count + 1, 13))
    solver.run_alone(scene, still_air(0.0)[0], 1.0 / 60, 90, out)
    assert out[-1, 1:-1, 7] == pytest.approx(np.zeros(count - 1), abs=1e-9)
    assert out[-1, -1, 7] == pytest.approx(2.0, abs=1e-9)


# damping with forces acting


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("law", ["exact", "implicit"])
@pytest.mark.parametrize("rate", [0.5, 20.0, 100.0])
def test_damping_reaches_its_terminal_speed_at_any_rate(make, ticks, law, rate):
    """v = a / c, linear and angular."""
    parts = [
        Thruster(id="push", thrust=100.0 * rate, at_point=False, frame="world", timing="always"),
        Torque(id="turn", turn=rate, timing="always"),
    ]
    body = {"mass": 100.0, "damping": rate, "spin_damping": rate, "damping_law": law, "held": ("z", "roll", "pitch"),
            "inertia_from": "given", "roll_inertia": 1.0, "pitch_inertia": 1.0, "yaw_inertia": 1.0}  # fmt: skip
    made = make.run(
        parts, body=body, ticks=ticks, seconds=max(25.0 / rate, 1.0), ground={"gravity": 0.0, "air_density": 0.0}
    )
    assert made.column("velocity.x")[-1] == pytest.approx(1.0, abs=1e-9)
    assert made.column("spin.z")[-1] == pytest.approx(1.0, abs=1e-9)


# slip


def test_the_slip_angle_is_true_but_near_standstill():
    for speed in (0.3, 3.0, 20.0):
        for angle in (0.01, 0.3, 1.2):
            found = slip_angle(speed * math.cos(angle), speed * math.sin(angle))
            assert found == pytest.approx(angle, rel=1e-9 if speed > 0.26 else 1.0)
    assert slip_angle(0.0, 0.0) == 0.0
    slow = [slip_angle(0.0, side) for side in (0.01, 0.1, 0.2, 0.2499, 0.2501)]
    assert slow == sorted(slow)
    assert slow[-1] == pytest.approx(0.5 * math.pi, abs=1e-2)
