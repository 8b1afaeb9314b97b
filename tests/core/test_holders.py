"""Upright holder and counter-gravity: swings by closed form, free yaw, and what is left of the weight."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.units import show
from oak_sled.core.parts.lightener import Lightener
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.upright import Upright
from oak_sled.core.results import run, traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

SPACE = Ground(id="space", gravity=0.0, floor=False)
ICE = Ground(id="ice")


def go(*parts, ground=SPACE, seconds=4.0, ticks=240, body=None, **start) -> Run:
    craft = Craft(id="craft", body=body or Body(mass=200.0, held=()), channels=(), parts=parts)
    drill = Drill(id="d", ground=ground.id, craft="craft", start=Start(**start), duration=seconds)
    return run.execute(Job(craft, ground, drill, ticks))


def lean_deg(made: Run) -> np.ndarray:
    x, y = made.columns("rotation.x", "rotation.y").T
    return np.degrees(np.arccos(np.clip(1.0 - 2.0 * (x * x + y * y), -1.0, 1.0)))


def test_a_roll_swings_at_the_rate_of_its_spring():
    holder = Upright(id="holder", stiffness=3000.0, damping=0.0)
    made = go(holder, roll_deg=10.0)
    roll = made.job.craft.body.inertia()[0]
    rate = math.sqrt(3000.0 / roll)
    x = made.column("rotation.x")
    turns = np.flatnonzero((x[:-1] > 0.0) & (x[1:] <= 0.0))
    period = (turns[-1] - turns[0]) / (len(turns) - 1) / 240.0
    assert period == pytest.approx(math.tau / rate, rel=1e-2)
    assert np.abs(x).max() <= abs(x[0]) * 1.02, "without damping it neither grows nor dies"


@pytest.mark.parametrize("ticks", [60, 240])
def test_it_settles_upright_from_any_attitude_and_leaves_yaw_alone(ticks):
    holder = Upright(id="holder", stiffness=2000.0, damping=600.0)
    made = go(holder, roll_deg=170.0, pitch_deg=40.0, seconds=12.0, ticks=ticks)
    assert lean_deg(made)[-1] < 1e-3
    turning = go(holder, yaw_rate_deg=90.0, seconds=3.0, ticks=ticks)
    assert np.degrees(turning.column("spin.z")) == pytest.approx(np.full(3 * ticks + 1, 90.0), abs=1e-6)


def test_it_follows_the_normal_of_a_slope_that_carries_it():
    """Four pads on a tilted plane hold it along the ground; the holder toward the ground does not fight them."""
    slope = Ground(id="slope", tilt_deg=12.0)
    pads = Pad(id="pads", spread_x=0.9, spread_y=0.5, damping=2500.0, aim="ground", along="normal")
    toward = {}
    for way in ("ground", "upright"):
        made = go(pads, Upright(id="holder", toward=way, stiffness=9000.0, damping=1500.0), ground=slope, seconds=3.0)
        toward[way] = float(lean_deg(made)[-1])
    assert toward["ground"] == pytest.approx(12.0, abs=1.0)
    assert toward["upright"] < 9.0


def test_its_cap_holds_after_its_gain():
    made = go(Upright(id="holder", stiffness=1e5, damping=0.0, max_torque=50.0, trim=4.0), roll_deg=60.0)
    torque = np.linalg.norm(made.line("holder")[:, 3:], axis=1)
    assert torque.max() == pytest.approx(50.0, rel=1e-9)


def test_a_holder_too_stiff_for_the_tick_is_said_and_a_number_that_holds():
    stiff = Upright(id="holder", stiffness=1e7, damping=0.0)
    said = cautions.find(go(stiff, seconds=0.1, ticks=60).job)
    assert "too_stiff_for_the_tick" in [one.name for one in said]


@pytest.mark.parametrize(("share", "scale"), [(0.25, 1.0), (1.0, 1.0), (0.5, 0.4)])
def test_what_is_left_of_the_weight_pulls(share, scale):
    body = Body(mass=200.0, held=(), gravity_scale=scale)
    made = go(
        Lightener(id="light", share=share), ground=Ground(id="g", floor=False), body=body, height=10.0, seconds=1.0
    )
    falls = -np.diff(made.column("velocity.z")) * 240.0
    assert falls == pytest.approx(np.full(240, 9.80665 * scale * (1.0 - share)), abs=1e-9)


def test_it_acts_only_where_it_is_told_to():
    pads = Pad(id="pads", spread_x=0.9, spread_y=0.5, damping=2500.0)
    made = go(pads, Lightener(id="light", share=0.5, acts="on_ground"), ground=ICE, height=1.5, seconds=6.0)
    force = made.line("light")[:, 2]
    in_air = made.column("on_ground") == 0.0
    assert (force[2:][in_air[1:-1]] == 0.0).all()
    assert force[-1] == pytest.approx(0.5 * 200.0 * 9.80665)
    carried = traces.values(made, "ray.pads.1.force")[-1]
    assert 4.0 * carried == pytest.approx(0.5 * 200.0 * 9.80665, rel=1e-3)
    shares = [traces.values(made, f"ray.pads.{k}.share")[-1] for k in range(1, 5)]
    assert sum(shares) == pytest.approx(100.0)


@pytest.mark.parametrize("share", [0.4, -0.5])
def test_what_counter_gravity_takes_is_not_on_the_pads(share):
    """It starts where it stands, and the outlook of the pads says the gap that is left."""
    pads = Pad(id="pads", spread_x=0.9, spread_y=0.5, damping=2500.0)
    made = go(pads, Lightener(id="light", share=share), ground=ICE, seconds=2.0)
    assert np.ptp(made.column("position.z")) < 1e-9
    setting = outlook.setting_of(made.job.craft, ICE, 240, made)
    assert setting.carried == pytest.approx((1.0 - share) * 200.0 * 9.80665)
    assert show(float(made.column("pads.1.gap")[-1]), "m") in pads.outlook(setting)[0]
