"""Comfort by ISO 2631-1: the weightings at the standard's own table, and runs whose answer is known."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from oak_sled.core.advice import cautions
from oak_sled.core.parts.head import Head
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.results import comfort, measures, rotations

TABLE_WK = {
    0.5: 0.418,
    1.0: 0.482,
    2.0: 0.531,
    4.0: 0.967,
    5.0: 1.039,
    6.3: 1.054,
    8.0: 1.036,
    16.0: 0.768,
    31.5: 0.405,
}
TABLE_WD = {0.5: 0.853, 1.0: 1.011, 2.0: 0.890, 4.0: 0.512, 5.0: 0.409, 6.3: 0.323, 8.0: 0.253, 16.0: 0.125}
TABLE_WF = {0.1: 0.695, 0.125: 0.895, 0.16: 1.006, 0.2: 0.992, 0.25: 0.854, 0.315: 0.619, 0.5: 0.224}
"""ISO 2631-1:1997, table 3."""
HEAD = Head(id="head", mass=5.0, stiffness=4000.0, damping=60.0, x=0.0, z=0.0)


@pytest.mark.parametrize(
    ("weight", "table"),
    [(comfort.weight_wk, TABLE_WK), (comfort.weight_wd, TABLE_WD), (comfort.weight_wf, TABLE_WF)],
    ids=["Wk", "Wd", "Wf"],
)
def test_a_weighting_is_that_of_the_table(weight, table):
    found = np.abs(weight(np.array(list(table))))
    assert found == pytest.approx(np.array(list(table.values())), abs=6e-3)


def shaken(make, frequency, amplitude, *parts, axis="forward", seconds=30.0):
    """A craft that is pushed to and fro with m a sin(2 pi f t)."""
    up = axis == "up"
    push = Thruster(id="push", way="acceleration", thrust=amplitude, channel="throttle", elevation_deg=90.0 * up)
    back = push.replace(id="back", channel="brake", elevation_deg=-90.0 * up, azimuth_deg=0.0 if up else 180.0)
    parts = parts or (HEAD.replace(stiffness=1e7, damping=3e3),)  # as if the head were the seat
    times = np.arange(0.0, seconds, 1.0 / 240.0)
    wave = np.sin(math.tau * frequency * times)
    inputs = {
        name: list(zip(times.tolist(), np.maximum(sign * wave, 0.0).tolist(), strict=True))
        for name, sign in (("throttle", 1.0), ("brake", -1.0))
    }
    return make.run([push, back, *parts], body={"mass": 100.0, "gravity_scale": 0.0}, inputs=inputs, ticks=240,
                    seconds=seconds)  # fmt: skip


@pytest.mark.parametrize(("axis", "frequency"), [("forward", 1.0), ("up", 5.0)])
def test_a_steady_shake_has_the_weighted_root_of_its_mean_square(make, axis, frequency):
    made = shaken(make, frequency, 0.8, axis=axis)
    weight = {"forward": comfort.weight_wd, "up": comfort.weight_wk}[axis]
    wanted = 0.8 / math.sqrt(2.0) * abs(weight(np.array([frequency]))[0])
    assert measures.measure("comfort").read(made) == pytest.approx(wanted, rel=2e-2)


def test_a_head_follows_its_seat_as_solve_ivp_has_it(make):
    """m x'' = -k (x - s) - c (x' - s') behind a seat that is shaken near the resonance of the neck."""
    frequency, amplitude = 4.0, 0.5
    made = shaken(make, frequency, amplitude, HEAD, axis="up", seconds=12.0)
    w = math.tau * frequency

    def slope(t, y):
        seat, seat_speed = -amplitude * math.sin(w * t) / w**2, -amplitude * math.cos(w * t) / w
        return [y[1], -800.0 * (y[0] - seat) - 12.0 * (y[1] - seat_speed)]

    truth = solve_ivp(slope, (0.0, 12.0), [0.0, -amplitude / w], rtol=1e-9, atol=1e-12, dense_output=True)
    times = np.linspace(8.0, 12.0, 2000)
    x, v = truth.sol(times)
    seat, seat_speed = -amplitude * np.sin(w * times) / w**2, -amplitude * np.cos(w * times) / w
    head = np.sqrt(np.mean((-800.0 * (x - seat) - 12.0 * (v - seat_speed)) ** 2))
    gain = abs(comfort.transfer(HEAD.neck(), np.array([frequency]))[0])
    assert gain * amplitude / math.sqrt(2.0) == pytest.approx(head, rel=1e-2)
    weighted = comfort.weighted(made)["z"][8 * 240 : 11 * 240]
    wanted = gain * amplitude / math.sqrt(2.0) * abs(comfort.weight_wk(np.array([frequency]))[0])
    assert np.sqrt(np.mean(weighted**2)) == pytest.approx(wanted, rel=2e-2)


def test_slow_heaving_makes_sick_and_fast_shaking_does_not(make):
    slow = shaken(make, 0.2, 1.0, axis="up", seconds=60.0)
    fast = shaken(make, 5.0, 1.0, axis="up", seconds=60.0)
    dose = measures.measure("sickness").read
    assert dose(slow) == pytest.approx(0.992 / math.sqrt(2.0) * math.sqrt(60.0), rel=0.08)
    assert dose(fast) < 0.05 * dose(slow)


def test_a_head_far_from_the_middle_feels_the_turning(make):
    """A craft that spins about its middle: w2 r toward it."""
    made = make.run([HEAD.replace(x=1.5)], body={"mass": 100.0, "gravity_scale": 0.0}, ticks=240, seconds=4.0,
                    yaw_rate_deg=90.0)  # fmt: skip
    seat = comfort.seat_acceleration(made)[100]
    assert seat == pytest.approx([-1.5 * (math.pi / 2.0) ** 2, 0.0, 0.0], abs=2e-2)


def test_a_head_pushes_nothing_and_a_short_run_says_nothing(make):
    bare, ridden = (make.run(parts, body={"mass": 100.0}, seconds=1.0, speed=3.0) for parts in ([], [HEAD]))
    assert np.array_equal(bare.column("position.x"), ridden.column("position.x"))
    assert measures.measure("comfort").read(ridden) is None
    long = make.run([], body={"mass": 100.0}, seconds=4.0, speed=3.0)
    assert measures.measure("comfort").read(long) is None, "nobody rides along"
    assert measures.measure("sickness").read(long) is None
    stiff = make.run([HEAD.replace(stiffness=1e7)], seconds=0.5)
    assert "faster_than_the_tick" in {one.name for one in cautions.find(stiff.job, stiff)}


def test_many_attitudes_turn_as_each_by_itself():
    attitudes = np.random.default_rng(6).normal(size=(40, 4))
    attitudes /= np.linalg.norm(attitudes, axis=1, keepdims=True)
    together = rotations.rotations(attitudes)
    assert together.tolist() == [rotations.rotation(one).tolist() for one in attitudes]
    assert np.einsum("kij,klj->kil", together, together) == pytest.approx(np.tile(np.eye(3), (40, 1, 1)), abs=1e-12)
    assert rotations.rotations(attitudes[:0]).shape == (0, 3, 3)
