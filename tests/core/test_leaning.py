"""Lean for the eye: its follower against closed forms, and physics that knows nothing of it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.lean import Lean
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.results import leaning, run, traces
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Start
from oak_sled.core.yard.ground import Ground

PLANAR = Body(mass=100.0, length=2.0, width=1.0, height=0.5, held=("z", "roll", "pitch"))
LEAN = Lean(id="lean", turn_share=1.0, speed_share=1.0, max_deg=60.0, frequency=1.5, damping_ratio=0.6)


def go(lean, thruster, ticks=240, seconds=4.0, **start):
    craft = Craft(id="craft", body=PLANAR, parts=(thruster, lean))
    drill = Drill(id="d", ground="ice", duration=seconds, start=Start(**start))
    return run.execute(Job(craft, Ground(id="ice", edges="open", air_density=0.0, friction=0.0), drill, ticks))


PUSH = Thruster(id="push", timing="always", thrust=300.0)


@pytest.mark.parametrize("ratio", [0.3, 0.6, 1.0, 2.0])
@pytest.mark.parametrize("ticks", [60, 240])
def test_a_push_dips_it_by_the_step_of_a_second_order_system(ratio, ticks):
    """Its goal stands from the first tick on: x = u (1 - the step's remainder), sampled exactly at any rate."""
    lean = LEAN.replace(damping_ratio=ratio)
    made = go(lean, PUSH, ticks)
    goal, w = math.atan(3.0 / 9.80665), math.tau * 1.5
    t = np.arange(made.ticks + 1) / ticks
    roots = np.roots([1.0, 2.0 * ratio * w, w * w]) + np.array([0.0, 1e-7 * w if ratio == 1.0 else 0.0])
    a, b = (complex(root) for root in roots)
    left = ((b * np.exp(a * t) - a * np.exp(b * t)) / (b - a)).real
    assert leaning.angles(made)[:, 1] == pytest.approx(goal * (1.0 - left), abs=1e-5 if ratio == 1.0 else 1e-9)
    assert np.abs(leaning.angles(made)[:, 0]).max() < 1e-12


def test_in_a_steady_turn_it_leans_as_a_coordinated_turn_does_and_into_it():
    """A push to the left of 400 N at 100 kg turns nothing: 4 m/s2 to the left."""
    side = PUSH.replace(thrust=400.0, azimuth_deg=90.0)
    made = go(LEAN, side)
    roll = float(leaning.angles(made)[-1, 0])
    assert roll == pytest.approx(-math.atan(4.0 / 9.80665), rel=1e-6)
    assert traces.values(made, "part.lean")[-1] == pytest.approx(math.degrees(roll))
    up = leaning.turn(roll, 0.0) @ (0.0, 0.0, 1.0)
    assert up[1] > 0.0, "its top leans to the left, into the turn"
    out = go(LEAN.replace(turn_share=-0.5), side)
    assert leaning.angles(out)[-1, 0] == pytest.approx(-0.5 * roll, rel=1e-6)


def test_it_is_held_to_its_largest_lean():
    made = go(LEAN.replace(max_deg=5.0, damping_ratio=1.0), PUSH.replace(thrust=5000.0))
    assert np.degrees(leaning.angles(made)[:, 1]).max() == pytest.approx(5.0, abs=1e-6)


def test_physics_knows_nothing_of_it():
    plain, leaned = go(LEAN.replace(mute=True), PUSH), go(LEAN, PUSH)
    for name in ("position.x", "rotation.x", "rotation.y", "velocity.x"):
        assert np.array_equal(plain.column(name), leaned.column(name))
    assert leaning.model_of(plain) is None
    assert not np.any(leaning.angles(plain))
    assert not np.any(leaned.line("lean"))


def test_what_is_long_ago_is_forgotten_so_that_a_drive_needs_no_more_than_its_last_rows():
    yard = demos.load("fan-sled")
    craft = yard.crafts[0].replace(parts=(LEAN, *yard.crafts[0].parts))
    job = Job(craft, yard.grounds[0], yard.drills[0], yard.ticks)
    made = run.execute(job)
    whole = leaning.angles(made)
    assert np.abs(whole).max() > 0.01
    live = run.Run(**{**made.__dict__, "live": True, "analysis": type(made.analysis)()})
    for row in (5, made.ticks // 2, made.ticks):
        assert leaning.angles_at(live, row) == pytest.approx(tuple(whole[row]), abs=2e-3)
        assert leaning.angles_at(made, row) == tuple(whole[row])
