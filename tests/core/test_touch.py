"""Hits at the moment of touch, and the bounce of a craft on heavy wheels, at every tick rate."""

from __future__ import annotations

import math

import numpy as np
import pytest
from on_tires import BODY, FOUR, go, job

from oak_sled.core.advice import modes
from oak_sled.core.contact import scenery, solver
from oak_sled.core.contact.scenery import Solid
from oak_sled.core.geometry import shapes
from oak_sled.core.kernel.environment import still_air

RADIUS, FRICTION, BOUNCE = 0.2, 0.3, 0.5


def struck(ticks, start, aside, speed, masses):
    """Velocities of two balls after the one has struck the other, shape (2, 3)."""
    balls = [
        Solid([shapes.ball(RADIUS)], mass, shapes.ball_inertia(mass, RADIUS), position=place, velocity=velocity)
        for mass, place, velocity in (
            (masses[0], (start, aside, 5.0), (speed, 0.0, 0.0)),
            (masses[1], (0.0, 0.0, 5.0), (0.0, 0.0, 0.0)),
        )
    ]
    scene = scenery.scene(balls, plane=False, materials=np.full((1, 1, 2), [FRICTION, BOUNCE]))
    out = np.zeros((int(0.6 * ticks), 3, 13))
    solver.run_alone(scene, still_air(0.0)[0], 1.0 / ticks, len(out), out)
    return out[-1, 1:, 7:10]


def by_impulse_laws(aside, speed, masses):
    """The same in closed form: Newton's restitution along the line of centres, Coulomb's friction across it."""
    sine = aside / (2.0 * RADIUS)
    normal = np.array([-math.sqrt(1.0 - sine * sine), sine, 0.0])
    velocity, each = np.array([speed, 0.0, 0.0]), 1.0 / masses[0] + 1.0 / masses[1]
    closing = float(velocity @ normal)
    push = -(1.0 + BOUNCE) * closing / each
    slip = velocity - closing * normal
    size = float(np.linalg.norm(slip))
    friction = min(FRICTION * push, size / (each * (1.0 + 1.0 / 0.4)))
    impulse = push * normal - friction * slip / max(size, 1e-12)
    return np.array([velocity + impulse / masses[0], -impulse / masses[1]])


@pytest.mark.parametrize("ticks", [30, 60, 120, 240, 480])
@pytest.mark.parametrize("aside", [0.0, 0.1, 0.2, 0.34])
@pytest.mark.parametrize("masses", [(10.0, 10.0), (2.0, 30.0)])
def test_an_oblique_impact_of_two_balls_is_that_of_the_impulse_laws(ticks, aside, masses):
    for start in np.linspace(-1.5, -1.38, 5):
        found = struck(ticks, start, aside, 5.0, masses)
        assert np.abs(found - by_impulse_laws(aside, 5.0, masses)).max() < 1e-2 * 5.0


@pytest.mark.parametrize("ticks", [30, 120])
def test_balls_that_miss_each_other_by_a_hair_pass_on(ticks):
    found = struck(ticks, -1.5, 2.0 * RADIUS + 1e-4, 9.0, (10.0, 10.0))
    assert found[0] == pytest.approx([9.0, 0.0, 0.0], abs=1e-12)
    assert found[1] == pytest.approx([0.0, 0.0, 0.0], abs=1e-12)


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_unsprung_mass_does_not_damp_the_bounce_of_its_craft(ticks):
    """Hardly damped springs over light hubs on stiff tires: the craft swings at the damping ratio of a quarter car."""
    wheels = FOUR.replace(unsprung=12.0, tire_stiffness=2e6, bump=900.0, rebound=900.0)
    made = go(wheels, body=BODY, seconds=4.0, ticks=ticks, height=0.05)
    z = made.column("position.z")
    rest = float(z[-1])
    tops = [k for k in range(1, len(z) - 1) if z[k - 1] < z[k] >= z[k + 1] and z[k] - rest > 1e-4]
    lows = [k for k in range(1, len(z) - 1) if z[k - 1] > z[k] <= z[k + 1] and rest - z[k] > 1e-4]
    ends = sorted(tops + lows)[:4]
    sizes = [abs(z[k] - rest) for k in ends]
    decrement = math.log(sizes[0] / sizes[-1]) / (len(sizes) - 1)
    ratio = decrement / math.hypot(math.pi, decrement)
    stiff = 4.0 / (1.0 / FOUR.stiffness + 1.0 / 2e6)
    share = 2e6 / (2e6 + FOUR.stiffness)
    true = 4.0 * 900.0 * share**2 / (2.0 * math.sqrt(stiff * BODY.true_mass()))
    assert ratio == pytest.approx(true, rel=0.1 if ticks <= 120 else 0.05)


@pytest.mark.parametrize("ticks", [60, 120, 480])
@pytest.mark.parametrize("tire", [2e5, 2e6])
def test_the_modes_count_hubs_between_two_springs(ticks, tire):
    """Slow swings have both springs one behind the other, and the damper over its share of the movement."""
    wheels = FOUR.replace(unsprung=12.0, tire_stiffness=tire, bump=2500.0, rebound=2500.0)
    bounce = modes.standing(job(wheels, body=BODY, ticks=ticks)).mode("bounce")
    share, mass = tire / (tire + FOUR.stiffness), BODY.true_mass()
    stiff = 4.0 * FOUR.stiffness * share
    assert bounce.rate == pytest.approx(math.sqrt(stiff / mass), rel=1e-4)
    assert bounce.share == pytest.approx(4.0 * 2500.0 * share**2 / (2.0 * math.sqrt(stiff * mass)), rel=5e-3)
