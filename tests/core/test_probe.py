"""Closed forms of the outlook held to what the real equations push, and the probe to a run."""

import math

import numpy as np
import pytest

from oak_sled.core.advice import outlook, probe
from oak_sled.core.advice.probe import SLIPS_DEG, Probe, grip_curve
from oak_sled.core.assembly import world
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts import speedcurve
from oak_sled.core.parts.runner import Runner
from oak_sled.core.project import demos
from oak_sled.core.results import run

CRAFTS = [(name, one.id) for name in demos.DEMOS for craft in demos.load(name).crafts for one in craft.singles]


def fitted(name, craft_id):
    yard = demos.load(name)
    return next(one for craft in yard.crafts for one in craft.singles if one.id == craft_id), yard.grounds[0]


def thrusting(craft):
    """The channels that drive its thrusters, full; what turns their vanes stays at 0."""
    return {part.channel: 1.0 for part in craft.parts if part.kind == "thruster"}


@pytest.mark.parametrize(("name", "craft_id"), CRAFTS)
def test_what_the_outlook_says_of_each_part_is_what_its_equation_pushes(name, craft_id):
    craft, ground = fitted(name, craft_id)
    made, setting = Probe(craft, ground), outlook.setting_of(craft, ground, 240)
    feet = sum(part.contact_count() for part in craft.parts)
    speed = 12.0
    lines = made.lines((speed, 0.0, 0.0), channels=thrusting(craft))
    for part in craft.parts:
        force = made.of_part(part.id, lines)
        share = part.contact_count() / feet if part.contact_count() else 1.0
        square, linear = part.drag_factors(ground.air_density)
        wanted = part.forward_thrust(setting.mass) - part.sliding_friction(setting.weight * share, ground.grip)
        wanted -= square * speed**2 + linear * speed
        if getattr(part, "bends", bool)():  # less of it is left at a speed
            wanted *= speedcurve.share_at(part.curve, speed, part.curve_straight)
        aims = getattr(part, "way", "") == "speed_aim"  # pushes forward below its speed only
        if part.kind in ("thruster", "runner", "air_drag") and not aims:
            assert force[0] == pytest.approx(wanted, rel=1e-6, abs=1e-6 * setting.weight), part.id


@pytest.mark.parametrize(("name", "craft_id"), CRAFTS)
def test_at_the_top_speed_of_the_outlook_nothing_is_left_to_push(name, craft_id):
    craft, ground = fitted(name, craft_id)
    free = craft.with_only(tuple(part for part in craft.parts if part.kind != "limiter"))
    setting = outlook.setting_of(free, ground, 240)
    top = outlook.top_speed(setting)
    if not 0.0 < top < math.inf:
        pytest.skip("it has no thrust, or no top speed")
    if setting.drag_at is not None:
        pytest.skip("it flies, or its drag is a formula: see test_flying.py")
    made, full = Probe(free, ground), thrusting(free)
    at_top = made.lines((top, 0.0, 0.0), channels=full)[:, 0].sum()
    slower = made.lines((0.5 * top, 0.0, 0.0), channels=full)[:, 0].sum()
    assert abs(at_top) < 1e-6 * setting.thrust
    assert slower > 0.1 * (setting.thrust - setting.friction)


@pytest.mark.parametrize(("name", "craft_id"), CRAFTS)
def test_the_greatest_grip_of_the_curve_is_the_side_capacity(name, craft_id):
    craft, ground = fitted(name, craft_id)
    for part in craft.parts:
        if isinstance(part, Runner):
            curve = grip_curve(craft, ground, 240, part.id)
            assert len(curve) == len(SLIPS_DEG)
            assert curve[0] == pytest.approx(0.0, abs=1e-9)
            capacity = part.side_capacity(1.0, ground.grip)
            assert curve.max() == pytest.approx(capacity * max(knot.grip for knot in part.curve), rel=1e-3)


def test_a_linear_law_rises_by_its_stiffness_up_to_its_grip():
    craft, ground = fitted("fan-sled", "fan_sled")
    runner = next(part for part in craft.parts if isinstance(part, Runner))
    straight = craft.replace(parts=(runner.replace(law="linear", stiffness=4.0, side_grip=0.6),))
    curve = grip_curve(straight, ground, 240, runner.id)
    wanted = np.minimum(4.0 * np.radians(SLIPS_DEG), 0.6) * ground.grip
    assert curve == pytest.approx(wanted, abs=1e-9)


def test_the_probe_books_what_the_first_tick_of_a_run_books():
    yard = demos.load("fan-sled")
    drill = yard.drill("straight_pull")
    moving = drill.replace(start=drill.start.replace(x=0.0, y=0.0, heading_deg=0.0, speed=9.0, height=0.0))
    job = Job(yard.craft(), yard.ground_of(drill), moving, 240)
    made = run.execute(job)
    row = made.own_row(1)
    channels = {channel.id: float(made.column(f"channel.{channel.id}")[1]) for channel in job.craft.channels}
    lines = Probe(job.craft, job.ground).lines((9.0, 0.0, 0.0), channels=channels)
    for number, part in enumerate(job.craft.parts):
        place = made.layout.own_place(f"{part.id}.force.x")
        if part.kind != "limiter":
            assert lines[number] == pytest.approx(row[place : place + 6], abs=1e-9), part.id


def test_asking_twice_gives_the_same_and_moves_nothing():
    craft, ground = fitted("shunting", "courier")
    made = Probe(craft, ground)
    first = made.lines((6.0, 2.0, 0.0), (0.0, 0.0, 0.5), {"drive": 0.5})
    made.lines((1.0, -3.0, 0.0))
    assert np.array_equal(first, made.lines((6.0, 2.0, 0.0), (0.0, 0.0, 0.5), {"drive": 0.5}))


def test_the_grip_used_is_the_side_force_over_the_load():
    yard = demos.load("fan-sled")
    drill = yard.drill("step_steer")
    job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks)
    made = run.execute(job)
    runner = next(part for part in job.craft.parts if isinstance(part, Runner))
    used = np.array([probe.grip_used(made, made.own_row(k), runner) for k in range(1, made.ticks, 20)])
    assert used.max() > 0.1
    assert used.max() <= runner.side_capacity(1.0, job.ground.grip) * max(knot.grip for knot in runner.curve) + 1e-9
    assert world.check_size(job) >= made.ticks
