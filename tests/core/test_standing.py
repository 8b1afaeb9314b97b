"""What stands stays: runners and wheels without tires on slopes and under side forces, at every tick rate; and what
tips does so where statics says."""

from __future__ import annotations

import numpy as np
import pytest
from on_tires import BODY, FOUR, GRAVITY, ICE, MASS, go

from oak_sled.core.advice import outlook
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.runner import Runner
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.yard.ground import Ground

RATES = (30, 60, 120, 240, 480)
SKIDS = Runner(id="skids", glide=0.02, side_grip=0.9, spread_x=1.0, spread_y=0.6, z=-0.4)
BRAKE = Brake(id="brake", timing="always", bite=0.9)
WHEELS = FOUR.replace(side_grip=0.9, rolling=0.5)
SLED = {"mass": 300.0, "length": 2.4, "width": 1.4, "height": 0.8}


def moved_after(made, seconds):
    spots = made.columns("position.x", "position.y", "position.z")[int(seconds * made.job.ticks) :]
    return float(np.max(np.linalg.norm(spots - spots[0], axis=1)))


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("heading_deg", [0.0, 35.0, 90.0, 215.0])
@pytest.mark.parametrize("slope", [3.0, 12.0])
def test_parked_on_runners_with_a_brake_it_stays(ticks, heading_deg, slope):
    body = BODY.replace(**SLED)
    hill = Ground(id="hill", tilt_deg=slope, friction=0.0)
    made = go(SKIDS, BRAKE, ground=hill, body=body, seconds=20.0, ticks=ticks, heading_deg=heading_deg)
    assert moved_after(made, 4.0) < 1e-3


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("heading_deg", [0.0, 35.0, 90.0, 215.0])
@pytest.mark.parametrize("slope", [3.0, 12.0])
def test_parked_on_wheels_without_tires_it_stays(ticks, heading_deg, slope):
    made = go(WHEELS, ground=Ground(id="hill", tilt_deg=slope), seconds=20.0, ticks=ticks, heading_deg=heading_deg)
    assert moved_after(made, 8.0) < 1e-3


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize(("kind", "share"), [("wheels", 0.05), ("wheels", 0.24), ("runners", 0.05), ("runners", 0.3)])
def test_a_side_push_below_its_grip_does_not_move_it(ticks, share, kind):
    """With a high centre of mass, so that a push at it turns the craft more than it moves it."""
    low = {"centre_z": 0.4} if kind == "wheels" else {"centre_z": 0.1, **SLED}
    body = BODY.replace(**low)
    push = Thruster(id="push", thrust=share * GRAVITY * body.true_mass(), azimuth_deg=90.0, timing="always",
                    at_point=False)  # fmt: skip
    parts = (
        (FOUR.replace(side_grip=5.0), push) if kind == "wheels" else (SKIDS.replace(side_grip=2.0, spread_y=1.2), push)
    )
    ground = Ground(id="ice", friction=0.0)
    made = go(*parts, ground=ground, body=body, seconds=8.0, ticks=ticks)
    wheels = made.column("position.y")[5 * ticks :]
    assert np.ptp(wheels) < 1e-3


@pytest.mark.parametrize("ticks", RATES)
@pytest.mark.parametrize("high", [0.3, 0.6])
def test_a_slow_side_push_tips_it_where_statics_with_the_lean_of_its_springs_says(ticks, high):
    """The push grows slowly. At the last moment all the load is on the outer wheels: the push times its height above
    the ground is the weight times its distance from them, both as the craft leans then."""
    body = BODY.replace(centre_z=high)
    rise = 0.02  # g a second
    push = Thruster(id="push", thrust=GRAVITY * MASS, azimuth_deg=90.0, channel="throttle", at_point=False,
                    frame="level_heading")  # fmt: skip
    seconds = 45.0
    made = go(WHEELS.replace(side_grip=5.0), push, body=body, seconds=seconds, ticks=ticks,
              inputs={"throttle": [(0.0, 0.0), (seconds, rise * seconds)]})  # fmt: skip
    loads = np.stack([made.column(f"wheels.{k}.force") for k in (1, 2, 3, 4)], axis=1)
    row = int(np.argmax((loads[:, 2] + loads[:, 3] <= 0.0) & (made.t > 2.0)))
    assert row > 0, "it tips"
    told = made.column("channel.throttle")[row]
    points = np.stack([made.column(f"wheels.{k}.point.{axis}")[row] for k in (1, 2) for axis in "yz"])
    out = float(points[[0, 2]].mean() - made.column("position.y")[row])
    tall = float(made.column("position.z")[row] - points[[1, 3]].mean())
    assert told == pytest.approx(out / tall, rel=0.02)
    says = WHEELS.replace(side_grip=5.0).outlook(outlook.setting_of(made.job.craft, ICE, ticks))[0]
    assert float(says.split("tips at ")[1].split("\u2009")[0]) == pytest.approx(told, rel=0.02)
