"""Measures that say what they name: at two tick rates, on wrapped ground, for what only stands."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from on_tires import BRAKES, DRIVE, FOUR, STEERING, TIRE, go

from oak_sled.core.assembly import jobs
from oak_sled.core.parts.brake import Brake
from oak_sled.core.parts.bumper import Bumper
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, measures, run, traces
from oak_sled.core.results.record import Layout
from oak_sled.core.study import longruns, tickcheck
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.ground import Wall

G = 9.80665
FLAT = {"mass": 100.0, "held": ("z", "roll", "pitch")}


def test_standing_and_leaning_are_no_hits(make):
    made = make.run(body={"mass": 100.0}, ground={"floor": True}, seconds=2.0)
    assert measures.measure("hardest_hit").read(made) is None


@pytest.mark.parametrize("ticks", [60, 240])
def test_the_hardest_hit_is_the_change_of_momentum(make, ticks):
    wall = Wall(id="wall", x=6.0, length=30.0, width=1.0, heading_deg=90.0)
    bumper = Bumper(id="bumper", response="bounce", restitution=0.5)
    body = {"mass": 100.0, "held": ("roll", "pitch", "yaw")}
    made = make.run(
        [bumper], body=body, ground={"walls": (wall,), "floor": True, "friction": 0.0}, speed=4.0, ticks=ticks
    )
    assert measures.measure("hardest_hit").read(made) == pytest.approx(100.0 * 4.0 * 1.5, rel=1e-2)


def test_wrapped_ground_bends_no_measure(make):
    ground = {"edges": "wrap", "length": 30.0, "width": 20.0}
    wrapped = make.run(body=FLAT, ground=ground, speed=12.0, heading_deg=10.0, seconds=8.0)
    plain = make.run(body=FLAT, speed=12.0, heading_deg=10.0, seconds=8.0)
    assert np.abs(wrapped.column("position.x")).max() <= 15.0
    assert traces.path(wrapped) == pytest.approx(traces.path(plain), abs=1e-9)
    for name in ("distance", "path_width"):
        assert measures.read_all(wrapped)[name] == pytest.approx(measures.read_all(plain)[name], abs=1e-9)


def test_the_distance_is_that_of_the_places(make):
    made = make.run([Brake(id="brake", timing="always", bite=0.3)], body=FLAT, speed=10.0, seconds=5.0)
    places = made.columns("position.x", "position.y", "position.z")
    walked = float(np.sum(np.linalg.norm(np.diff(places, axis=0), axis=1)))
    assert measures.measure("distance").read(made) == pytest.approx(walked, rel=1e-12)


@pytest.mark.parametrize("ticks", [60, 480])
def test_a_stop_ends_at_rest_and_not_at_a_threshold(make, ticks):
    """v / a and v2 / 2a for dry friction."""
    made = make.run([Brake(id="brake", timing="always", bite=0.3)], body=FLAT, speed=10.0, seconds=5.0, ticks=ticks)
    assert measures.measure("stop_time").read(made) == pytest.approx(10.0 / (0.3 * G), abs=1.5 / ticks)
    assert measures.measure("stop_distance").read(made) == pytest.approx(100.0 / (0.6 * G), rel=0.6 / ticks)


def test_the_tick_check_looks_at_blocks_too(make):
    falling = Block(id="ball", shape="ball", z=2.0, x=9.0)
    job = make.job(
        body={"held": ("x", "y", "z", "roll", "pitch", "yaw")},
        ground={"floor": True, "blocks": (falling,)},
        seconds=0.5,
    )

    names = tickcheck.moving(Layout.of(job))
    assert {"block.ball.position.z", "block.ball.velocity.z", "position.x"} <= set(names)
    coarse, fine = (longruns.told(replace(job, substeps=n), names).columns for n in (1, 2))
    gap = 0.5 * G * 0.5 / 120 / 2.0  # half a tick of the fall
    assert tickcheck.difference(coarse, fine) == pytest.approx(gap, rel=0.1)
    assert tickcheck.difference(coarse, coarse) == 0.0
    checked = tickcheck.check(job, (60, 120))
    assert checked.settled
    assert math.isfinite(checked.error)


@pytest.mark.parametrize("name", ["fan-sled", "ice-truck", "ferry", "mortar", "hopper"])
def test_measures_of_a_long_run_are_those_of_its_whole_record(name, monkeypatch):
    """Only the columns are kept that measures read; where the run at few ticks did not ask for one, all of them."""
    monkeypatch.setattr(longruns, "LONG", 10)
    yard = demos.load(name)
    job = jobs.job_of(yard)
    names = tickcheck.moving(Layout.of(job))
    made, told = run.execute(job), longruns.told(job, names)
    assert told.found == measures.read_all(made)
    assert np.array_equal(told.columns, made.columns(*names))
    assert told.diverged == made.is_diverged


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
def test_a_steady_push_is_no_hit_however_long_a_tick_is(make, ticks):
    """A craft that pushes a block along: the contact gives it a steady force from the first touch on."""
    block = Block(id="freight", x=1.5, mass=200.0, length=0.5, width=0.5, height=0.5, z=0.05)
    push = Thruster(id="push", thrust=400.0, timing="always")
    made = make.run([push], body=FLAT, ground={"blocks": (block,), "floor": True}, seconds=6.0, ticks=ticks)
    touched = made.line("contact")[-ticks:, 0]
    assert np.mean(touched) < -50.0, "it pushes to the end"
    first = measures.measure("hardest_hit").read(made)
    speed = float(made.column("velocity.x")[int(np.argmax(np.abs(np.diff(made.column("velocity.x")))))])
    each = 1.0 / (1.0 / 100.0 + 1.0 / 200.0)
    assert first == pytest.approx(each * speed, rel=0.3), "the first touch alone"


@pytest.mark.parametrize("ticks", [30, 60, 120, 240, 480])
def test_a_craft_that_rocks_back_has_stopped_when_it_turned_round(ticks):
    """With locked wheels it stops in v / (mu g), and swings back on its tires after that."""
    tire = TIRE.replace(along_law="brush", law="brush", along_grip=0.5, rolling=0.0)
    brakes = BRAKES.replace(torque=2e5, rise_s=0.0)
    made = go(FOUR, tire, brakes, inputs={"brake": [(0, 1)]}, speed=12.0, seconds=6.0, ticks=ticks)
    assert measures.measure("stop_time").read(made) == pytest.approx(12.0 / (0.5 * G), rel=1e-2)
    assert measures.measure("stop_distance").read(made) == pytest.approx(12.0**2 / (2.0 * 0.5 * G), rel=2e-2)


@pytest.mark.parametrize("ticks", [60, 240])
def test_what_drives_by_its_wheels_puts_energy_in(ticks):
    made = go(FOUR, TIRE.replace(rolling=0.0), DRIVE, inputs={"throttle": [(0, 0.3)]}, seconds=6.0, ticks=ticks)
    wheels = sum(0.5 * 1.2 * made.column(f"wheels.{k}.turn")[-1] ** 2 for k in (1, 2, 3, 4))
    gained = ledger.energy(made)[-1] - ledger.energy(made)[0] + wheels
    put_in = measures.measure("drive_energy").read(made)
    assert gained < put_in < 1.05 * gained, "and a little is lost to slip"


def test_understeer_of_a_steady_circle_is_that_of_the_single_track_model():
    """Not of how it swings into the circle. The stiffnesses are those of its tires over their loads."""
    tires = (
        TIRE.replace(id="front", on="front", stiffness=9.0, law="linear", rolling=0.0),
        TIRE.replace(id="rear", on="rear", stiffness=13.0, law="linear", rolling=0.0),
    )
    made = go(FOUR, *tires, STEERING.replace(max_angle_deg=3.0), speed=12.0, seconds=12.0, ticks=240,
              inputs={"steer": [(0, 0), (0.3, 1)]})  # fmt: skip
    true = math.degrees(1.0 / 9.0 - 1.0 / 13.0)
    assert measures.measure("understeer").read(made) == pytest.approx(true, abs=0.2)


@pytest.mark.parametrize("drill", ["turn_high", "turn_low", "hoist"])
def test_peaks_of_a_truck_that_sways_and_falls_do_not_follow_the_tick_rate(drill):
    """One of them ends on its side: the blow of the hull on the ice takes one tick, however long that is."""
    yard = demos.load("lamp-truck")
    found = []
    for ticks in (60, 120, 240):
        made = run.execute(replace(jobs.job_of(yard, yard.drill(drill)), ticks=ticks))
        found.append([measures.measure("peak_side_g").read(made), measures.measure("largest_roll").read(made)])
    assert np.ptp([one[0] for one in found]) < 0.12 * max(one[0] for one in found) + 0.01
    assert np.ptp([one[1] for one in found]) < 0.02 * max(one[1] for one in found) + 0.05
