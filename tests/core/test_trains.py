"""Trains: laid straight and on curves, coupled where the cars meet, and what their outlook says of the start."""

from __future__ import annotations

import dataclasses
import math

import numpy as np
import pytest

from oak_sled.core.advice import cautions, tying
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import blank, demos, trains
from oak_sled.core.results import measures, run, traces
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.ground import Ground

CAR = Block(id="car", x=5.0, y=2.0, heading_deg=30.0, length=3.0, width=1.5, height=1.0, mass=800.0)
BARE = Ground(id="lake", blocks=(CAR,))


@pytest.mark.parametrize("radius", [0.0, 25.0, -25.0])
def test_cars_stand_in_line_and_are_coupled_where_they_meet(radius):
    laid = trains.lay(BARE, "car", 5, gap=0.5, radius=radius)
    assert [one.id for one in laid.blocks] == ["car", *(f"car_{k}" for k in range(2, 7))]
    assert len(laid.ties) == 5
    for ahead, behind, tie in zip(laid.blocks[:-1], laid.blocks[1:], laid.ties, strict=True):
        assert (tie.one, tie.other) == (ahead.id, behind.id)
        gap = math.dist((tie.x, tie.y, tie.z), (tie.end_x, tie.end_y, tie.end_z))
        bent = 3.0 * math.sin(0.5 * 3.5 / abs(radius)) if radius else 0.0  # the inner ends come nearer
        assert gap == pytest.approx(0.5, abs=0.1 + bent * 0.1)
        turned = behind.heading_deg - ahead.heading_deg
        assert turned == pytest.approx(-math.degrees(3.5 / radius) if radius else 0.0, abs=1e-3)
    if radius:
        middle = (5.0 - radius * math.sin(math.radians(30.0)), 2.0 + radius * math.cos(math.radians(30.0)))
        away = [math.dist(middle, (one.x, one.y)) for one in laid.blocks]
        assert away == pytest.approx([abs(radius)] * 6, abs=1e-3)


@pytest.mark.parametrize(
    ("lead", "count", "radius", "says"),
    [("nothing", 3, 0.0, "no dynamic block"), ("car", 0, 0.0, "make no train"), ("car", 30, 10.0, "at most 16 more")],
)
def test_a_train_that_cannot_be_is_refused(lead, count, radius, says):
    with pytest.raises(Refused, match=says):
        trains.lay(BARE, lead, count, gap=0.5, radius=radius)


def started(channel_rise):
    """The demo's start with its tug at full push within a tick; the run, and the train of its outlook."""
    yard = demos.load("sledge-train")
    yard = yard.edit("crafts.tug.channels.throttle.rise", channel_rise)
    job = job_of(yard, yard.drill("start"))
    ground = job.ground
    return run.execute(job), tying.train_of(ground, ground.ties[0], yard.crafts, yard.ticks)


def test_the_outlook_of_a_start_is_that_of_the_run():
    made, train = started(1e4)
    told = tying.start_of(train)
    assert len(train.names) == 9
    times = [float(np.argmax(made.column(f"block.{name}.velocity.x") > 0.02)) / 120 - 0.5 for name in train.names[1:]]
    assert times[-1] == pytest.approx(told.times[-1], rel=0.1)
    pulls = [traces.values(made, f"tie.{tie.id}.load")[: 4 * 120].max() for tie in made.job.ground.ties]
    assert 0.5 * told.pull < max(pulls) <= 1.05 * told.pull, "springs without dampers are the worst"


def test_the_longest_train_starts_and_one_more_does_not():
    yard = demos.load("sledge-train")
    ground = yard.ground("lake")
    train = tying.train_of(ground, ground.ties[0], yard.crafts, yard.ticks)
    weak = dataclasses.replace(train, push=train.holds[0] + 3.5 * train.holds[1])
    assert tying.longest(weak) == 3
    assert "it starts 3 of them" in tying.told(weak)[1]
    assert tying.longest(dataclasses.replace(train, push=0.0)) == 0
    assert all(math.isfinite(time) for time in tying.start_of(train).times)


def test_a_coupling_too_stiff_for_the_tick_is_told_with_the_number_that_holds():
    yard = demos.load("sledge-train")
    ground = yard.ground("lake")
    tie = ground.ties[0].replace(stiffness=1e8)
    lines = tying.of(ground, tie, yard.crafts, 60)
    most = 0.5 * 2600.0 * 900.0 / 3500.0 * 60.0**2
    assert f"up to {most:.0f}" in next(line for line in lines if "stiffer than 60 ticks/s" in line)
    assert not [line for line in tying.of(ground, ground.ties[0], yard.crafts, 120) if "stiffer" in line]


def test_a_train_that_is_held_to_the_world_does_not_start():
    yard = demos.load("sledge-train")
    ground = yard.ground("lake")
    held = ground.replace(ties=(*ground.ties, Coupling(id="held", one="sledge_8", other="")))
    assert tying.train_of(held, held.ties[0], yard.crafts, 120) is None
    assert len(tying.of(held, held.ties[0], yard.crafts, 120)) == 1


def test_the_stiffest_coupling_of_all_is_a_caution_with_the_number_that_holds():
    yard = demos.load("sledge-train")
    changes = [("grounds.lake.ties.sledge_3_coupling.stiffness", 1e8), ("grounds.lake.ties.hitch.stiffness", 1e7)]
    (found,) = [one for one in cautions.find(job_of(yard.edit_all(changes))) if one.name == "tie_too_stiff"]
    assert "sledge 3 coupling" in found.says
    assert "and 1 more" in found.says
    assert f"{0.5 * 450.0 * 120.0**2:.0f}" in found.helps
    held = yard.edit("grounds.lake.ties.sledge_3_coupling.stiffness", 0.5 * 450.0 * 120.0**2)
    assert not [one for one in cautions.find(job_of(held)) if one.name == "tie_too_stiff"]


def test_a_ring_of_cars_and_one_without_a_craft_have_no_train():
    laid = trains.lay(BARE, "car", 2)
    ring = laid.replace(ties=(*laid.ties, Coupling(id="back", one="car_3", other="car")))
    assert tying.train_of(laid, laid.ties[0], (), 120) is None
    assert tying.train_of(ring, ring.ties[0], (), 120) is None
    assert tying.of(ring, ring.ties[0], (), 120)[0].startswith("drawn, it swings at")


@pytest.mark.parametrize("ticks", [30, 60, 240, 480])
def test_the_train_of_the_demo_runs_at_every_rate(ticks):
    yard = demos.load("sledge-train").edit("ticks", ticks)
    for drill in [one for one in yard.drills if yard.ground(one.ground).ties]:
        made = run.execute(job_of(yard, drill))
        assert not made.is_diverged
        loads = [traces.values(made, f"tie.{tie.id}.load") for tie in made.job.ground.ties]
        assert max(load.max() for load in loads) < 80_000.0


def test_the_measures_of_a_train_are_those_of_its_columns():
    yard = demos.load("sledge-train")
    made = run.execute(job_of(yard, yard.drill("start")))
    ties = made.job.ground.ties
    loads = [made.record.column(made.layout.place(f"tie.{tie.id}.load")) for tie in ties]
    found = measures.Readings(made)
    assert found["tie_load"] == max(np.abs(load).max() for load in loads)
    assert found["ties_broken"] == 0.0
    assert found["side_load"] is None
    speeds = [
        np.abs(made.record.column(made.layout.place(f"block.{one.id}.velocity.x"))) for one in made.job.ground.blocks
    ]
    last = max(int(np.flatnonzero(speed > 0.05)[0]) for speed in speeds)
    assert found["last_to_move"] == pytest.approx(last / made.job.ticks, abs=0.02)


def test_two_blocks_on_a_coupling_lose_what_its_damper_takes():
    yard = blank.blank_yard()
    one = Block(id="one", x=10.0, z=5.0, length=1.0, width=1.0, height=1.0, mass=50.0, speed_x=2.0)
    other = one.replace(id="other", x=6.0, mass=80.0, speed_x=0.0)
    tie = Coupling(
        id="bar", one="one", other="other", x=9.5, z=5.5, end_x=6.5, end_z=5.5, slack=0.0, stiffness=4000.0,
        buffer=4000.0, damping=60.0,
    )  # fmt: skip
    ground = yard.ground().replace(blocks=(one, other), ties=(tie,), gravity=0.0, air_density=0.0)
    drill = yard.drill().replace(duration=30.0, tracks=(), end="time", targets=())
    made = run.execute(job_of(yard.replace(grounds=(ground,), drills=(drill,), ticks=480), drill))
    before = 0.5 * 50.0 * 2.0**2
    after = 0.5 * 130.0 * (50.0 * 2.0 / 130.0) ** 2  # both go on as one
    assert measures.Readings(made)["coupling_losses"] == pytest.approx(before - after, rel=0.02)
