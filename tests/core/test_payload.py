"""Payloads: mass, centre and inertia of both together follow; momentum is kept while one is moved or dropped."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from oak_sled.core.advice import cautions
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.payload import Payload
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.torque import Torque
from oak_sled.core.project import demos
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import held_values
from oak_sled.core.results import run
from oak_sled.core.results.run import Run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.ground import Ground

SPACE, ICE = Ground(id="space", gravity=0.0, floor=False), Ground(id="ice")
MASS, GRAVITY = 200.0, 9.80665
HOIST = Channel(id="hoist", title="hoist", two_sided=True, rise=100.0, fall=100.0)


def go(*parts, ground=SPACE, seconds=2.0, ticks=240, events=(), hoist=(), **start) -> Run:
    craft = Craft(id="craft", body=Body(mass=MASS, held=()), channels=(HOIST,), parts=parts)
    tracks = (Track(channel="hoist", knots=tuple(Knot(t=t, value=v) for t, v in hoist)),) if hoist else ()
    drill = Drill(
        id="d", ground=ground.id, craft="craft", start=Start(**start), duration=seconds, events=events, tracks=tracks
    )
    return run.execute(Job(craft, ground, drill, ticks))


def both(made: Run, mass: float) -> tuple[np.ndarray, np.ndarray]:
    """Momentum and angular momentum about the origin of craft and payload, world axes, shape (rows, 3) each."""
    inertia = made.job.craft.body.inertia_matrix()
    spots = made.columns("position.x", "position.y", "position.z")
    speeds = made.columns("velocity.x", "velocity.y", "velocity.z")
    other = made.columns(*(f"block.craft_load.position.{axis}" for axis in "xyz"))
    speed = made.columns(*(f"block.craft_load.velocity.{axis}" for axis in "xyz"))
    turns = made.columns(*(f"block.craft_load.spin.{axis}" for axis in "xyz"))
    own = np.empty_like(spots)
    quaternions = made.columns("rotation.w", "rotation.x", "rotation.y", "rotation.z")
    for row, (w, x, y, z) in enumerate(quaternions):
        axes = np.array(
            [
                [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
                [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
                [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
            ]
        )
        own[row] = axes @ inertia @ axes.T @ made.columns("spin.x", "spin.y", "spin.z")[row]
    ball = 0.1 * mass * 0.4**2 * turns
    return MASS * speeds + mass * speed, np.cross(spots, MASS * speeds) + np.cross(other, mass * speed) + own + ball


def test_a_push_at_the_common_centre_moves_both_without_a_turn():
    load = Payload(id="load", mass=100.0, x=0.9, z=0.0)
    pushes = Thruster(id="push", timing="always", thrust=600.0, azimuth_deg=90.0, at_point=True, x=0.3)
    made = go(pushes, load)
    assert made.column("velocity.y")[-1] == pytest.approx(600.0 / 300.0 * 2.0, rel=1e-6)
    assert abs(made.column("spin.z")[-1]) < 1e-6


def test_a_torque_turns_the_inertia_of_both_together():
    """I about the common centre: I0 + m M / (m + M) r2."""
    load = Payload(id="load", mass=50.0, x=1.5, z=0.0, size=0.1)
    made = go(Torque(id="turn", timing="always", turn=20.0), load, seconds=0.5)
    inertia = made.job.craft.body.inertia()[2] + MASS * 50.0 / (MASS + 50.0) * 1.5**2
    assert made.column("spin.z")[-1] == pytest.approx(20.0 * 0.5 / inertia, rel=2e-3)


@pytest.mark.parametrize("hoist", [(), ((0.0, 1.0), (1.0, -0.5))])
def test_momentum_and_angular_momentum_are_kept_while_it_is_moved(hoist):
    load = Payload(id="load", mass=80.0, x=0.6, z=0.4, to_x=-0.4, to_y=0.5, to_z=2.0, channel="hoist", rate=1.2)
    made = go(load, hoist=hoist, yaw_rate_deg=60.0, roll_rate_deg=25.0, speed=3.0)
    momentum, angular = both(made, 80.0)
    assert np.abs(momentum - momentum[0]).max() < 1e-9 * np.abs(momentum[0]).max() * made.ticks
    assert np.abs(angular - angular[0]).max() < 1e-3 * np.linalg.norm(angular[0])


def test_it_goes_along_its_line_at_its_rate_and_stops_at_the_end():
    load = Payload(id="load", mass=20.0, z=0.5, to_z=2.5, channel="hoist", rate=1.0)
    made = go(load, hoist=((0.0, 1.0),), seconds=3.0)
    lift = made.column("block.craft_load.position.z") - made.column("position.z")
    assert lift[240] == pytest.approx(1.5, abs=0.02)
    assert lift[-1] == pytest.approx(2.5, abs=1e-3)
    assert made.column("load.activity")[-1] == 1.0


def test_pads_carry_its_weight_by_where_it_is_and_the_ledger_closes():
    pads = Pad(id="pads", spread_x=1.0, spread_y=0.6, damping=2500.0)
    load = Payload(id="load", mass=60.0, x=0.5, z=0.3)
    made = go(pads, load, ground=ICE, seconds=12.0)
    loads = [made.column(f"pads.{k}.force")[-1] for k in range(1, 5)]
    assert sum(loads) == pytest.approx((MASS + 60.0) * GRAVITY, rel=1e-4)
    # front minus rear by the moment of the payload about the middle
    moment = (loads[0] + loads[2] - loads[1] - loads[3]) * 1.0
    assert moment == pytest.approx(60.0 * GRAVITY * 0.5, rel=0.02)
    assert made.line("load")[-1, 2] == pytest.approx(-60.0 * GRAVITY, rel=1e-3), "its weight stands on its own line"
    total = sum(made.line(name)[1:, :3] for name in made.layout.lines)
    realised = MASS * np.diff(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=0) * 240.0
    assert np.abs(total - realised).max() < 1e-9 * np.abs(total).max()


def test_dropped_it_falls_and_the_craft_rises():
    pads = Pad(id="pads", spread_x=1.0, spread_y=0.6, damping=2500.0)
    load = Payload(id="load", mass=60.0, x=0.0, z=-0.45, size=0.2)
    drops = Event(id="drop", t=2.0, what="trigger", target="load")
    made = go(pads, load, ground=ICE, seconds=6.0, events=(drops,))
    assert made.column("block.craft_load.position.z")[-1] == pytest.approx(0.1, abs=0.01)
    sag = made.column("pads.1.gap")
    assert sag[-1] == pytest.approx(pads.rest_gap(MASS * GRAVITY / 4.0), rel=1e-3)
    assert sag[470] == pytest.approx(pads.rest_gap((MASS + 60.0) * GRAVITY / 4.0), rel=1e-3)
    assert made.line("load")[-1].tolist() == [0.0] * 6


@pytest.mark.parametrize("ticks", [60, 240])
def test_filled_by_its_channel_it_weighs_more_and_empties_again(ticks):
    load = Payload(id="load", mass=50.0, fill_channel="hoist", fill_rate=40.0, full_mass=250.0, z=0.0, size=0.4)
    pads = Pad(id="pads", spread_x=0.8, spread_y=0.6, z=-0.3, stiffness=9000.0, damping=900.0)
    made = go(load, pads, ground=ICE, seconds=14.0, ticks=ticks, height=0.02,
              hoist=[(1.0, 1.0), (8.0, 0.0), (10.0, -0.5)])  # fmt: skip
    carried = sum(made.column(f"pads.{k}.force") for k in (1, 2, 3, 4)) / GRAVITY

    def weighs(t):
        return carried[int(t * ticks) - ticks // 4 : int(t * ticks)].mean()

    assert weighs(1.0) == pytest.approx(MASS + 50.0, rel=2e-2)
    assert weighs(4.0) == pytest.approx(MASS + 50.0 + 40.0 * (3.0 - 0.125), rel=2e-2)
    assert weighs(9.9) == pytest.approx(MASS + 250.0, rel=1e-3), "full, and no more"
    assert weighs(14.0) == pytest.approx(MASS + 250.0 - 20.0 * (4.0 - 0.125), rel=2e-2)
    total = sum(made.line(name) for name in made.layout.lines)
    gained = np.diff(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=0) * ticks * MASS
    assert np.max(np.abs(total[1:, :3] - gained)) < 1e-9 * MASS * GRAVITY * 10.0


def test_a_drive_that_goes_on_through_an_edit_keeps_what_was_filled():
    load = Payload(id="load", mass=50.0, fill_channel="hoist", fill_rate=40.0, full_mass=250.0, z=0.0)
    craft = Craft(id="craft", body=Body(mass=MASS, held=()), channels=(HOIST,), parts=(load,))
    job = Job(craft, SPACE, Drill(id="d", ground="space", craft="craft", start=Start(), duration=9.0), 120)
    drive = LiveDrive(job)
    drive.advance(240, np.array([1.0]))
    drive.take(replace(job, craft=craft.replace(parts=(load.replace(fill_rate=20.0),))))
    drive.advance(1, np.array([0.0]))
    solid = drive._machine.scene.solids[-1]
    assert solid["mass"] == pytest.approx(50.0 + 40.0 * 2.0, rel=2e-2)
    assert solid["inverse_mass"] == pytest.approx(1.0 / solid["mass"])
    ball = 0.4 * solid["mass"] * (0.5 * load.size) ** 2  # a uniform ball
    assert np.allclose(solid["inertia"], ball * np.eye(3))
    assert np.allclose(solid["inertia"] @ solid["inverse_inertia"], np.eye(3))


def test_a_payload_that_a_channel_fills_with_nothing_says_so():
    load = Payload(id="load", mass=50.0, fill_channel="hoist", fill_rate=0.0, full_mass=250.0)
    made = go(load, seconds=0.1)
    assert "never_fills" in {one.name for one in cautions.find(made.job, made)}


def test_a_muted_payload_weighs_nothing():
    with_it = go(Payload(id="load", mass=90.0, mute=True), Thruster(id="t", timing="always", thrust=100.0))
    without = go(Thruster(id="t", timing="always", thrust=100.0))
    assert with_it.column("velocity.x").tolist() == without.column("velocity.x").tolist()


@pytest.mark.parametrize("name", ["ferry", "lamp-truck", "floe-probe"])
def test_a_drive_is_the_drill_of_its_inputs_and_goes_on_through_an_edit(name):
    """Rays, carried bodies and their joints: a drive repeats bit for bit, and a dial moved in it makes no jump."""
    yard = demos.load(name)
    job = jobs.job_of(yard)
    drive = LiveDrive(job)
    for ticks, keys in ((90, {"W"}), (60, {"W", "A", "Right", "Up"}), (40, set())):
        drive.advance(ticks, held_values(job.craft.channels, keys))
    kept = drive.finish()
    again = run.execute(kept.job)
    assert again.digest == kept.digest
    stands = next(part for part in job.craft.parts if part.rays())
    parts = tuple(p.replace(stiffness=1.05 * p.stiffness) if p is stands else p for p in job.craft.parts)
    drive.take(replace(job, craft=job.craft.replace(parts=parts)))
    drive.advance(60, held_values(job.craft.channels, {"W"}))
    height = drive.finish().column("position.z")
    steps = np.abs(np.diff(height))
    assert len(height) == 251
    assert steps[188:194].max() < 1.5 * steps[180:188].max() + 2e-3
