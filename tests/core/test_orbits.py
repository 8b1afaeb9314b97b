"""Point gravity: orbits against Kepler's laws, their elements, and what is up round a body that attracts."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.assembly import starts
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.geometry import conic
from oak_sled.core.results import measures, orbits, run, traces
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.orbit import Orbit

RADIUS, SURFACE = 12.0, 4.0
MU = SURFACE * RADIUS**2


def ball(**more) -> Block:
    given = {"id": "floe", "shape": "ball", "length": 2.0 * RADIUS, "z": -RADIUS, "moves": "fixed"}
    return Block.model_validate(given | {"attracts": SURFACE} | more)


def space(*blocks: Block) -> Ground:
    return Ground(id="space", gravity=0.0, air_density=0.0, floor=False, blocks=blocks or (ball(),))


def pod(*parts) -> Craft:
    return Craft(id="pod", body=Body(mass=400.0, damping=0.0, spin_damping=0.0), parts=parts)


def orbiting(orbit: Orbit, ticks: int, seconds: float, **more) -> Job:
    drill = Drill(id="orbit", duration=seconds, start=Start(orbit=orbit, **more))
    return Job(pod(), space(), drill, ticks)


def state_at_ticks(made: run.Run) -> tuple[np.ndarray, np.ndarray]:
    """Places from the middle, and velocities brought from half a tick before to the places."""
    places = made.columns("position.x", "position.y", "position.z")
    moves = made.columns("velocity.x", "velocity.y", "velocity.z")
    far = np.linalg.norm(places, axis=1)[:, None]
    return places, moves - 0.5 * made.job.dt * MU * places / far**3


@pytest.mark.parametrize("eccentricity", [0.0, 0.3, 0.6])
@pytest.mark.parametrize("inclination", [0.0, 52.0])
def test_an_orbit_keeps_to_keplers_laws_for_a_hundred_turns(eccentricity, inclination):
    orbit = Orbit(around="floe", altitude=4.0, eccentricity=eccentricity, inclination_deg=inclination, node_deg=20.0)
    period = orbit.elements(RADIUS).period(MU)
    ticks = math.ceil(3600.0 / period)
    assert ticks >= 20, "a tick rate that may be set"
    made = run.execute(orbiting(orbit, ticks, 100.0 * period + 2.0))
    places, moves = state_at_ticks(made)
    momentum = np.cross(places, moves)
    assert np.abs(momentum - momentum[0]).max() <= 1e-9 * np.linalg.norm(momentum[0])
    # passes of a plane through the middle and the start, between ticks by the cubic of both their speeds
    axes = orbit.elements(RADIUS).axes()
    across, speed = places @ axes[:, 1], moves @ axes[:, 1]
    rows = np.flatnonzero((across[:-1] < 0.0) & (across[1:] >= 0.0) & (places[1:] @ axes[:, 0] > 0.0))
    assert len(rows) == 100
    passes = np.array([crossing(across[k : k + 2], speed[k : k + 2], made.job.dt) + k * made.job.dt for k in rows])
    turns = np.diff(np.concatenate([[0.0], passes]))
    assert np.abs(turns / period - 1.0).max() < 1e-4
    energy = 0.5 * np.sum(moves**2, axis=1) - MU / np.linalg.norm(places, axis=1)
    every = [energy[made.at(one)] for one in passes]
    assert np.abs(np.array(every) / energy[0] - 1.0).max() < 1e-5, "no drift from turn to turn"


def crossing(values: np.ndarray, speeds: np.ndarray, dt: float) -> float:
    """s after the first of two ticks at which the cubic through both values and slopes is 0."""
    a, b = values
    u, v = speeds * dt
    cubic = np.array([2 * a - 2 * b + u + v, -3 * a + 3 * b - 2 * u - v, u, a])
    roots = np.roots(cubic)
    return float(next(one.real for one in roots if abs(one.imag) < 1e-9 and -1e-9 <= one.real <= 1.0 + 1e-9)) * dt


def test_without_the_half_tick_the_orbit_is_another_one():
    """The stagger is what gives an orbit the energy that is asked for: it cannot be left out unnoticed."""
    off = []
    for staggered in (True, False):
        orbit = Orbit(around="floe", altitude=4.0, eccentricity=0.6, anomaly_deg=90.0, staggered=staggered)
        places, moves = state_at_ticks(run.execute(orbiting(orbit, 55, 1.0)))
        energy = 0.5 * moves[0] @ moves[0] - MU / np.linalg.norm(places[0])
        off.append(abs(energy / (-0.5 * MU / orbit.elements(RADIUS).semi_axis) - 1.0))
    assert off[0] < 1e-12
    assert off[1] > 1e-3


@pytest.mark.parametrize("seed", range(20))
def test_elements_and_states_are_inverse(seed):
    dice = np.random.default_rng(seed)
    given = conic.Elements(
        dice.uniform(1.0, 9.0), dice.uniform(0.0, 1.8), dice.uniform(0.0, math.pi), *dice.uniform(-3.1, 3.1, 2)
    )
    place, velocity = given.state(dice.uniform(-1.2, 1.2), 7.0)
    found = conic.elements_of(place, velocity, 7.0)
    assert found is not None
    assert np.allclose(found, given, rtol=1e-9, atol=1e-9)
    again, moves = found.state(conic.anomaly_of(found, place), 7.0)
    assert np.allclose(again, place, atol=1e-9)
    assert np.allclose(moves, velocity, atol=1e-9)


def test_what_falls_straight_has_no_orbit():
    assert conic.elements_of(np.array([3.0, 0.0, 0.0]), np.array([-2.0, 0.0, 0.0]), 7.0) is None


@pytest.mark.parametrize("anomaly", [0.0, 90.0, 200.0])
def test_a_craft_begins_with_its_nose_along_the_motion_and_its_top_away(anomaly):
    orbit = Orbit(around="floe", altitude=10.0, eccentricity=0.4, inclination_deg=70.0, anomaly_deg=anomaly)
    state = starts.start_states(pod(), Start(orbit=orbit), space())[0]
    _, axes = starts.origin_of(pod(), state)
    up = state[:3] / np.linalg.norm(state[:3])
    assert np.allclose(axes[:, 2], up, atol=1e-12)
    assert axes[:, 0] @ state[7:10] > 0.0
    assert abs(axes[:, 1] @ state[7:10]) < 1e-12


def test_an_orbit_needs_something_to_go_round():
    orbit = Orbit(around="moon")
    with pytest.raises(Refused, match="nothing static called 'moon' attracts"):
        starts.start_states(pod(), Start(orbit=orbit), space())
    with pytest.raises(ValueError, match="what attracts is not attracted back"):
        ball(moves="free")


def test_inside_a_ball_it_falls_to_nothing_in_the_middle():
    """Half way down an even ball the attraction is half of that at its surface."""
    from oak_sled.core.assembly import groundrows
    from oak_sled.core.kernel import environment

    ground = groundrows.ground_record(space())[0]
    for far, pull in ((2.0 * RADIUS, SURFACE / 4.0), (RADIUS, SURFACE), (0.5 * RADIUS, 0.5 * SURFACE), (0.0, 0.0)):
        found = environment.attraction(ground, ground["well"][0], far, 0.0, 0.0)
        assert np.allclose(found, (-pull, 0.0, 0.0), atol=1e-15)
    assert environment.height_at(ground, 0.0, -3.0 * RADIUS, 0.0) == pytest.approx(2.0 * RADIUS)


# near one another in orbit, and what is read from a run


@pytest.mark.parametrize("offset", [(0.0, 0.0, 1.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (-0.6, 0.4, 0.7)])
@pytest.mark.parametrize("inclination", [0.0, 71.0])
def test_two_crafts_drift_apart_as_clohessy_and_wiltshire_have_it(offset, inclination):
    """Relative motion in a circular orbit (J. Aerospace Sciences 27, 1960) over one turn, for a distance of 3e-4 of its
    radius; both begin with the same velocity of the world, which in the turning frame is a spin about it."""
    radius = RADIUS + 4.0
    rate = math.sqrt(MU / radius**3)
    period = math.tau / rate
    far = 3e-4 * radius / np.linalg.norm(offset)
    ahead, left, up = (far * one for one in offset)
    ticks = math.ceil(7200.0 / period)
    orbit = Orbit(around="floe", altitude=4.0, inclination_deg=inclination)
    lead = run.execute(orbiting(orbit, ticks, period))
    other = run.execute(orbiting(orbit, ticks, period, x=ahead, y=left, height=up))
    places, moves = state_at_ticks(lead)
    apart = state_at_ticks(other)[0] - places
    found = np.stack([np.einsum("ij,ij->i", apart, axis) for axis in local_axes(places, moves)], axis=1)
    t = np.arange(len(places)) * lead.job.dt
    # x up, y along, z across to the right of the motion, as the paper has them; at rest in the world at first
    s, c = np.sin(rate * t), np.cos(rate * t)
    x0, y0, z0 = up, ahead, left
    u0, v0, w0 = rate * y0, -rate * x0, 0.0
    x = (4.0 - 3.0 * c) * x0 + s / rate * u0 + 2.0 / rate * (1.0 - c) * v0
    y = 6.0 * (s - rate * t) * x0 + y0 - 2.0 / rate * (1.0 - c) * u0 + (4.0 * s - 3.0 * rate * t) / rate * v0
    z = c * z0 + s / rate * w0
    wanted = np.stack([y, z, x], axis=1)
    size = np.abs(wanted).max()
    assert np.abs(found - wanted).max() < 0.01 * size


def local_axes(places: np.ndarray, moves: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Along the motion, to the left of it, and up, over time."""
    up = places / np.linalg.norm(places, axis=1)[:, None]
    left = np.cross(up, moves)
    left /= np.linalg.norm(left, axis=1)[:, None]
    return np.cross(left, up), left, up


def test_traces_round_a_ball_are_told_in_the_level_frame():
    """On a round orbit the height, the forward speed and the heading stay what they were, all the way round."""
    orbit = Orbit(around="floe", altitude=4.0, inclination_deg=50.0, node_deg=30.0)
    period = orbit.elements(RADIUS).period(MU)
    made = run.execute(orbiting(orbit, 240, 0.9 * period, yaw_rate_deg=0.0))
    assert np.ptp(traces.values(made, "height")) < 1e-2
    assert np.abs(traces.values(made, "rise_speed")).max() < 0.05
    for name, value in (("low", 4.0), ("high", 4.0), ("eccentricity", 0.0), ("inclination", 50.0), ("period", period)):
        assert traces.values(made, f"orbit.{name}") == pytest.approx(value, abs=1e-2), name
    found = orbits.at_row(made, made.ticks // 2)
    assert found is not None
    path = found.path()
    assert np.abs(np.linalg.norm(path - found.middle, axis=1) - RADIUS - 4.0).max() < 1e-2


def test_what_flies_off_has_no_highest_point():
    orbit = Orbit(around="floe", altitude=4.0)
    made = run.execute(orbiting(orbit, 120, 1.0, speed=5.0))
    found = orbits.at_row(made, made.ticks)
    assert found is not None
    assert found.elements.eccentricity > 1.0
    assert math.isinf(found.high)
    assert np.all(np.isfinite(found.path()))
    assert measures.measure("highest_altitude").read(made) is None
    assert measures.measure("lowest_altitude").read(made) == pytest.approx(4.0, abs=0.05)
