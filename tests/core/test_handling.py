"""What is said of a craft on tires: outlook against runs, why it turns, jumps of force, measures, its driver."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from on_tires import BODY, BRAKES, DRIVE, FOUR, FRONT, GRAVITY, ICE, MASS, STEERING, TIRE, go, job, speed

from oak_sled.core.advice import outlook
from oak_sled.core.assembly import delays
from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.geometry.terrain import Patch
from oak_sled.core.parts.payload import Payload
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.wheels.wheelbrake import WheelBrake
from oak_sled.core.project import demos
from oak_sled.core.results import measures, rolling, rotations, run, traces, why
from oak_sled.core.yard.drill import Knot, Track
from oak_sled.core.yard.ground import Gate, Ground

HOLD = Thruster(id="push", way="speed_aim", thrust=12.0, aim_limit=20000.0, channel="throttle")


def tires_of(front, rear, **fields):
    """A tire part for either end with that cornering stiffness."""
    return (
        TIRE.replace(id="front", on="front", stiffness=front, rolling=0.0, **fields),
        TIRE.replace(id="rear", on="rear", stiffness=rear, rolling=0.0, **fields),
    )


@pytest.mark.parametrize(("front", "rear"), [(8.0, 14.0), (12.0, 12.0), (14.0, 10.0)])
def test_the_understeer_that_is_foretold_is_what_a_run_measures(front, rear):
    tires = tires_of(front, rear, law="linear")
    inputs = {"throttle": [(0, 1)], "steer": [(0, 0), (20, 1)]}
    made = go(
        FOUR, *tires, STEERING.replace(max_angle_deg=3.0), HOLD, speed=12.0, seconds=20.0, ticks=240, inputs=inputs
    )
    told = outlook.setting_of(made.job.craft, ICE, 240).handling
    assert math.degrees(told.understeer) == pytest.approx(math.degrees(1.0 / front - 1.0 / rear), rel=1e-6, abs=1e-9)
    assert measures.measure("understeer").read(made) == pytest.approx(math.degrees(told.understeer), abs=0.13)
    word = "under" if front < rear else "over" if front > rear else "neutral"
    assert told.words(GRAVITY).startswith(word)


def test_past_its_critical_speed_a_craft_that_oversteers_turns_in_by_itself():
    tires = tires_of(14.0, 9.0, law="linear", side_grip=5.0)
    told = outlook.setting_of(job(FOUR, *tires).craft, ICE, 240).handling
    critical = told.critical_speed(GRAVITY)
    rates = []
    for share in (0.8, 1.25):
        hold = HOLD.replace(thrust=share * critical)
        made = go(FOUR, *tires, hold, speed=share * critical, yaw_rate_deg=0.2, seconds=4.0, ticks=240,
                  inputs={"throttle": [(0, 1)]})  # fmt: skip
        rates.append(abs(made.column("spin.z")[-1]))
    assert rates[0] < 0.5 * math.radians(0.2)
    assert rates[1] > 2.0 * math.radians(0.2)


@pytest.mark.parametrize("loss", [0.0, 0.15])
@pytest.mark.parametrize("law", ["brush", "sine_arctangent"])
def test_the_skidpan_g_that_is_foretold_is_what_a_run_reaches(law, loss):
    tire = TIRE.replace(law=law, load_sensitivity=loss, nominal_load=MASS * GRAVITY / 4.0, rolling=0.0, side_grip=0.6)
    inputs = {"throttle": [(0, 1)], "steer": [(0, 0), (2, 0.1), (16, 0.7)]}
    made = go(
        FOUR, tire, STEERING.replace(max_angle_deg=16.0), HOLD, speed=12.0, seconds=16.0, ticks=240, inputs=inputs
    )
    told = outlook.setting_of(made.job.craft, ICE, 240).handling
    assert measures.measure("held_side_g").read(made) == pytest.approx(told.limit_g, rel=4e-2)


def test_what_a_craft_carries_counts_where_it_is():
    """A load before the front wheels, which carry more than all of it: with load sensitivity they slide first."""
    tire = TIRE.replace(
        law="brush", load_sensitivity=0.4, nominal_load=MASS * GRAVITY / 4.0, rolling=0.0, side_grip=0.6
    )
    freight = Payload(id="freight", mass=500.0, x=1.4, z=0.0)
    inputs = {"throttle": [(0, 1)], "steer": [(0, 0), (2, 0.1), (16, 0.6)]}
    made = go(freight, FOUR, tire, STEERING.replace(max_angle_deg=16.0), HOLD, speed=12.0, seconds=16.0, ticks=240,
              inputs=inputs)  # fmt: skip
    bare = outlook.setting_of(job(FOUR, tire, STEERING).craft, ICE, 240).handling
    told = outlook.setting_of(made.job.craft, ICE, 240).handling
    assert (bare.first, told.first) == ("all", "front")
    assert told.limit_g < 0.93 * bare.limit_g
    assert measures.measure("held_side_g").read(made) == pytest.approx(told.limit_g, rel=4e-2)


def test_with_tires_the_friction_of_the_wheels_counts_no_more():
    setting = outlook.setting_of(job(FOUR, TIRE).craft, ICE, 120)
    assert setting.side_grip == pytest.approx(0.9 * MASS * GRAVITY)
    assert setting.friction == pytest.approx(0.015 * MASS * GRAVITY)
    assert "side_grip" in FOUR.idle(setting)
    assert "side_grip" not in FOUR.idle(outlook.setting_of(job(FOUR).craft, ICE, 120))


def test_what_is_told_of_a_turn_sums_to_all_that_was_booked():
    made = go(FOUR, TIRE, DRIVE, STEERING, speed=12.0, seconds=3.0,
              inputs={"throttle": [(0, 0.5)], "steer": [(0, 0), (1, 0.08)]})  # fmt: skip
    row = 300
    found = {one.name: one for one in why.answers(made, row)}
    lines = sum(made.line(name)[row] for name in made.layout.lines)
    booked = rotations.rotation(made.own_row(row - 1)[3:7]).T @ lines[3:]
    assert found["yaw"].total == pytest.approx(-booked[2], rel=1e-9)
    assert found["roll"].total == pytest.approx(booked[0], rel=1e-9)
    assert sum(one.amount for one in found["yaw"].reasons) == pytest.approx(found["yaw"].total, abs=5.0)
    first, second = found["yaw"].reasons[:2]
    assert {first.title, second.title} == {"front tires sideways", "rear tires sideways"}
    assert "1.30 m before the centre of mass" in " ".join(one.words for one in found["yaw"].reasons)
    assert found["roll"].says.endswith("to the right"), "it leans out of a turn to the left"
    assert found["speed"].total == pytest.approx(float(np.diff(speed(made))[row - 1]) * 120.0 * MASS, rel=2e-2)


def test_jumps_of_force_are_told_with_their_cause():
    hand = WheelBrake(id="hand", title="Handbrake", channel="brake", on="rear", torque=6000.0, grip_kept=0.4)
    inputs = {"brake": [(0, 0), (1, 0), (1.001, 1)]}
    found = rolling.jumps(go(FOUR, TIRE, hand, speed=15.0, seconds=2.0, inputs=inputs))
    pressed = [one for one in found if one.wheel.startswith("rear") and 120 <= one.row <= 140]
    assert {one.cause for one in pressed} <= {"handbrake pulled", "handbrake pressed", "the wheel locks"}
    assert len(pressed) >= 2
    lane = Ground(id="lane", patches=(Patch(id="glaze", x=40.0, y=0.0, length=20.0, width=40.0, grip=0.2),))
    slides = go(FOUR, TIRE, STEERING, speed=15.0, seconds=4.0, ground=lane, inputs={"steer": [(0, 0.15)]})
    assert "another surface" in {one.cause for one in rolling.jumps(slides)}
    assert rolling.jumps(go(FOUR, TIRE, seconds=1.0)) == ()


def test_a_slide_that_is_held_is_measured():
    made = go(FOUR, TIRE, body=BODY.replace(held=("yaw",)), speed=12.0, side_speed=4.0, seconds=3.0)
    slips = np.abs(traces.values(made, "slip_angle"))
    most = max(float(slips[k : k + 120].min()) for k in range(len(slips) - 119))
    assert measures.measure("held_slip").read(made) == pytest.approx(most)


def test_a_driver_holds_a_pace_and_steers_for_gates_with_any_drive():
    gates = tuple(
        Gate(id=f"g_{k}", x=20.0 * k, y=(2.0 if k % 2 else -2.0), heading_deg=0.0, width=5.0) for k in range(1, 6)
    )
    course = Ground(id="course", gates=gates)
    tracks = (
        Track(channel="throttle", shape="pace", knots=(Knot(t=0, value=1.0), Knot(t=30, value=1.0)), pace=9.0),
        Track(channel="steer", shape="aim", gain=2.2, lead=0.3, sight=8.0),
    )
    for driven in ("front", "rear", "all"):
        given = job(FOUR, TIRE, DRIVE.replace(on=driven), STEERING, ground=course, seconds=14.0, speed=6.0)
        made = run.execute(replace(given, drill=given.drill.replace(tracks=tracks, end="last_gate")))
        assert measures.measure("gates_passed").read(made) == 5
        assert speed(made)[-1] == pytest.approx(9.0, abs=0.4)


@pytest.mark.parametrize(("shown_ms", "given_ms", "late"), [(0.0, 0.0, 0), (150.0, 0.0, 36), (100.0, 75.0, 42)])
def test_a_driver_sees_and_acts_as_late_as_the_delays_of_the_drill_say(shown_ms, given_ms, late):
    track = Track(channel="throttle", shape="pace", knots=(Knot(t=0, value=1.0), Knot(t=30, value=1.0)), pace=9.0)
    given = job(FOUR, TIRE, DRIVE, STEERING, ground=ICE, seconds=6.0, speed=6.0, ticks=240)
    drill = given.drill.replace(tracks=(track,), display_delay=shown_ms, input_delay=given_ms)
    made = run.execute(replace(given, drill=drill))
    forward, raw = traces.values(made, "forward_speed"), made.column("input.throttle")
    goal = np.where(np.arange(made.ticks) < round(given_ms * 0.24), 0.0, 9.0)
    seen = np.concatenate([np.full(late, forward[0]), forward[: made.ticks - late]])
    wanted = np.clip(track.pace_gain * (goal - seen), -1.0, 1.0)
    assert raw[1:] == pytest.approx(wanted, abs=1e-9)


def test_a_driver_with_jitter_never_sees_what_is_not_there_yet_and_the_same_seed_drives_the_same():
    track = Track(channel="throttle", shape="pace", knots=(Knot(t=0, value=1.0), Knot(t=30, value=1.0)), pace=9.0)
    given = job(FOUR, TIRE, DRIVE, STEERING, ground=ICE, seconds=6.0, speed=6.0, ticks=240)
    drill = given.drill.replace(tracks=(track,), display_delay=150.0, display_jitter=50.0)
    made, again, other = (run.execute(replace(given, drill=drill.replace(delay_seed=seed))) for seed in (3, 3, 4))
    assert made.digest == again.digest != other.digest
    forward, raw = traces.values(made, "forward_speed"), made.column("input.throttle")
    takes = delays.late_ticks(150.0, 50.0, 3 + 1, 0, 240, 240)
    assert takes.min() >= 24
    assert takes.max() <= 48
    newest = [max((k for k in range(tick + 1) if k + takes[k] <= tick), default=0) for tick in range(240)]
    wanted = np.clip(track.pace_gain * (9.0 - forward[newest]), -1.0, 1.0)
    assert raw[1:241] == pytest.approx(wanted, abs=1e-9)


@pytest.mark.parametrize(("share", "slides"), [(0.75, False), (1.4, True)])
def test_the_largest_steer_that_holds_is_where_sliding_begins(share, slides):
    tire = TIRE.replace(law="brush", rolling=0.0, side_grip=0.6)
    told = outlook.setting_of(job(FOUR, tire).craft, ICE, 240).handling
    holds = math.degrees(told.largest_steer(12.0, GRAVITY))
    inputs = {"throttle": [(0, 1)], "steer": [(0, 0), (4, 1)]}
    made = go(FOUR, tire, STEERING.replace(max_angle_deg=share * holds), HOLD, speed=12.0, seconds=9.0, ticks=240,
              inputs=inputs)  # fmt: skip
    slips = np.max([made.column(f"wheels.{k}.slip")[1200:] for k in FRONT], axis=0)
    assert (np.max(slips) > 1.0) == slides


def test_a_surface_scales_grip_and_rolling_resistance_of_each_wheel_on_it():
    snow = Patch(id="snow", x=50.0, y=10.0, length=100.0, width=20.0, grip=0.5, glide=6.0)
    made = go(FOUR, TIRE, ground=Ground(id="half", patches=(snow,)), speed=10.0, seconds=1.0)
    left, right = (made.column(f"wheels.{k}.most_side")[60] / made.column(f"wheels.{k}.force")[60] for k in (1, 3))
    assert left == pytest.approx(0.5 * right, rel=1e-6)
    drags = [made.column(f"wheels.{k}.along")[60] / made.column(f"wheels.{k}.force")[60] for k in (1, 3)]
    assert drags[0] == pytest.approx(6.0 * drags[1], rel=0.1)
    assert drags[1] == pytest.approx(-0.015, rel=0.1)


def test_each_brake_shows_what_it_alone_asks():
    hand = WheelBrake(id="hand", channel="steer", on="rear", torque=3000.0)
    made = go(FOUR, TIRE, BRAKES, hand, speed=10.0, seconds=1.0, inputs={"steer": [(0, 1)]})
    assert traces.values(made, "part.hand")[100] == pytest.approx(3000.0)
    assert traces.values(made, "part.brakes")[100] == 0.0
    assert traces.asked_of_wheels(made, made.own_row(100), BRAKES) == 0.0


@pytest.mark.parametrize("drill", ["slalom", "brake_to_stop", "straight_pull"])
def test_why_says_in_a_sentence_what_gives_most_either_way_and_what_is_left(drill):
    yard = demos.load("fan-sled")
    made = run.execute(job_of(yard, yard.drill(drill)))
    for t in (0.5, 2.0, 3.0):
        for one in why.answers(made, made.at(t)):
            more = [each for each in one.reasons if each.amount > 0.0]
            less = [each for each in one.reasons if each.amount < 0.0]
            for found, way in ((more, one.more), (less, one.less)):
                assert (f"{way} most: {found[0].title}" in one.sentence) == bool(found) if found else True
            if more and less:
                even = abs(one.total) < 0.01 * max(abs(each.amount) for each in one.reasons)
                assert ("they are even" in one.sentence) == even
                assert ("left over" in one.sentence) != even
            elif not one.reasons:
                assert one.sentence == "nothing acts on it"
