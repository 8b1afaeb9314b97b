"""Assists in space: drift, distances, noses held along and against the way, and what is measured of docking."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.advice import cautions
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.controljet import ControlJet
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.drift import DriftHolder
from oak_sled.core.parts.tank import Tank
from oak_sled.core.results import measures, run, traces
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Member, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.hinge import Latch

SPACE = Ground(id="space", gravity=0.0, air_density=0.0, floor=False)
BODY = Body(mass=200.0, length=2.0, width=1.0, height=1.0, damping=0.0, spin_damping=0.0)


def craft(*parts, name="pod", channels=("switch",)) -> Craft:
    made = tuple(Channel(id=one, rise=1e6, fall=1e6) for one in channels)
    return Craft(id=name, body=BODY, channels=made, parts=tuple(sorted(parts, key=lambda part: part.STAGE)))


def flown(*parts, seconds=60.0, ticks=120, cast=(), told=(), ties=(), event=0.0, **start) -> run.Run:
    tracks = tuple(Track(channel=name, knots=(Knot(t=at, value=value),)) for name, at, value in told)
    members = tuple(Member(id=one.id, start=where) for one, where in cast)
    drill = Drill(
        id="d", craft="pod", duration=seconds, start=Start(**start), tracks=tracks, cast=members, ties=ties,
        event_time=event,
    )  # fmt: skip
    return run.execute(Job(craft(*parts), SPACE, drill, ticks, others=tuple(one for one, _ in cast)))


def read(made: run.Run, name: str) -> float | None:
    return measures.measure(name).read(made)


def test_drift_survives_without_an_assist():
    made = flown(seconds=20.0, speed=3.0, side_speed=-1.0, yaw_rate_deg=20.0)
    assert np.ptp(made.columns("velocity.x", "velocity.y", "velocity.z"), axis=0).max() == 0.0
    assert np.ptp(made.column("spin.z")) < 1e-12


@pytest.mark.parametrize("ticks", [30, 60, 240])
def test_a_drift_holder_takes_all_drift_away_by_its_closed_form(ticks):
    holder = DriftHolder(id="drift", given="gains", gain_d=0.4, max_acceleration=1e3)
    made = flown(holder, ticks=ticks, speed=3.0, side_speed=-1.0, rise_speed=0.5)
    after = (1.0 - 0.4 / ticks) ** np.arange(60 * ticks + 1)  # v' = v - D v dt in every tick
    found = made.columns("velocity.x", "velocity.y", "velocity.z")
    assert np.allclose(found, np.outer(after, [3.0, -1.0, 0.5]), atol=1e-9)


def test_it_takes_no_more_than_its_greatest_acceleration():
    made = flown(DriftHolder(id="drift", max_acceleration=0.2), speed=3.0)
    assert np.diff(made.column("velocity.x")[:600]) == pytest.approx(-0.2 / 120.0, rel=1e-9)
    assert abs(made.column("velocity.x")[-1]) < 0.05


def test_a_switch_turns_it_on_and_off():
    holder = DriftHolder(id="drift", switch="switch", max_acceleration=0.2)
    off = flown(holder, seconds=4.0, speed=3.0, told=[("switch", 0.0, 0.5)])
    assert off.column("velocity.x")[-1] == 3.0
    late = flown(holder, seconds=4.0, speed=3.0, told=[("switch", 2.0, 1.0)])
    assert late.column("velocity.x")[late.at(2.0)] == 3.0
    assert late.column("velocity.x")[-1] == pytest.approx(3.0 - 2.0 * 0.2, abs=0.01)


RELAY = craft(name="relay", channels=())


def test_it_matches_the_velocity_of_another_craft_and_says_how_long_that_took():
    holder = DriftHolder(id="drift", target="relay", given="gains", gain_d=0.5, max_acceleration=1e3)
    made = flown(holder, cast=[(RELAY, Start(x=30.0, speed=2.0, side_speed=1.0))], speed=-1.0)
    end = made.columns("velocity.x", "velocity.y", "velocity.z")[-1]
    assert end == pytest.approx([2.0, 1.0, 0.0], abs=1e-6)
    assert read(made, "match_time") == pytest.approx(np.log(20.0) / 0.5, abs=0.05), "5 % of an exponential"


def test_it_keeps_a_distance_from_what_moves():
    holder = DriftHolder(id="drift", holds="distance", distance=8.0, target="relay", frequency=0.08, damping_ratio=1.0)
    made = flown(holder, cast=[(RELAY, Start(x=30.0, y=10.0, speed=0.5, side_speed=0.2))])
    other = np.stack([made.record.column(made.layout.place(f"relay/position.{axis}")) for axis in "xyz"], axis=1)
    apart = np.linalg.norm(other - made.columns("position.x", "position.y", "position.z"), axis=1)
    assert apart[-1] == pytest.approx(8.0, abs=0.02)
    assert np.all(apart > 7.0), "without running into it"


@pytest.mark.parametrize("mode", ["velocity", "against"])
def test_a_nose_is_held_along_or_against_the_way(mode):
    holder = AttitudeHolder(id="hold", roll="level", pitch=mode, yaw=mode, frequency=0.3)
    made = flown(holder, seconds=30.0, speed=1.0, side_speed=3.0, rise_speed=0.8)
    w, x, y, z = made.columns(*(f"rotation.{one}" for one in "wxyz"))[-1]
    nose = np.array([1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)])
    way = np.array([1.0, 3.0, 0.8]) / np.linalg.norm([1.0, 3.0, 0.8])
    assert nose @ way == pytest.approx(1.0 if mode == "velocity" else -1.0, abs=1e-4)


def test_the_way_may_count_against_another_craft():
    holder = AttitudeHolder(id="hold", roll="level", pitch="against", yaw="against", relative_to="relay")
    made = flown(holder, seconds=30.0, cast=[(RELAY, Start(x=30.0, speed=4.0))], speed=1.0)
    _, _, y, z = made.columns(*(f"rotation.{one}" for one in "wxyz"))[-1]
    assert 1.0 - 2.0 * (y * y + z * z) == pytest.approx(1.0, abs=1e-4), "it falls back, so that forward is against it"


def test_rates_without_channels_stop_a_tumble():
    holder = AttitudeHolder(id="hold", roll="rate", pitch="rate", yaw="rate", frequency=0.2)
    made = flown(holder, seconds=30.0, yaw_rate_deg=40.0, roll_rate_deg=-25.0, pitch_rate_deg=10.0)
    assert np.abs(made.columns("spin.x", "spin.y", "spin.z")[-1]).max() < 1e-6


def test_time_to_turn_about():
    holder = AttitudeHolder(id="hold", roll="level", pitch="against", yaw="against", frequency=0.2, yaw_frequency=0.2)
    made = flown(holder, seconds=30.0, speed=3.0, side_speed=0.01)
    found = read(made, "turn_about_time")
    assert found is not None
    assert 1.0 < found < 8.0
    assert read(flown(seconds=3.0, speed=3.0), "turn_about_time") is None


def test_fuel_and_the_velocity_change_that_is_left():
    jet = ControlJet(
        id="jet", channel="switch", mixed=False, works="throttled", thrust=100.0, exhaust=800.0, dead_band=0.0
    )
    made = flown(jet, Tank(id="tank", fuel=10.0), seconds=20.0, told=[("switch", 0.0, 1.0)])
    used = 20.0 * 100.0 / 800.0
    assert read(made, "fuel_used") == pytest.approx(used, rel=0.01)
    whole = BODY.true_mass() + 10.0
    assert read(made, "velocity_change_left") == pytest.approx(
        800.0 * np.log((whole - used) / (whole - 10.0)), rel=0.01
    )
    left = traces.values(made, "velocity_left")
    assert left[0] - left[-1] == pytest.approx(made.column("velocity.x")[-1], rel=0.01), "what was spent was gained"


# docking


def docked(speed: float, side: float = 0.0, tilt: float = 0.0, seconds: float = 20.0, **latch) -> run.Run:
    """A pod that drifts onto a relay, with a latch between its nose and the back of that."""
    tie = Latch(id="port", one="pod", other="relay", x=1.2, y=0.0, z=0.0, end_x=-1.2, end_y=0.0, end_z=0.0, **latch)
    return flown(
        seconds=seconds, cast=[(RELAY, Start(x=6.0, height=0.0))], ties=(tie,), speed=speed, y=side, yaw_rate_deg=tilt
    )


def test_docking_tells_closing_speed_miss_and_tilt():
    made = docked(0.3, side=0.05, within=0.2)
    assert read(made, "latches_closed") == 1.0
    assert read(made, "closing_speed") == pytest.approx(0.3, abs=1e-6)
    assert 0.05 <= read(made, "miss_distance") <= 0.21
    assert read(made, "dock_tilt") == pytest.approx(0.0, abs=1e-6)


def test_what_misses_is_measured_at_its_nearest():
    made = docked(0.3, side=3.0, within=0.2)
    assert read(made, "latches_closed") == 0.0
    assert read(made, "miss_distance") == pytest.approx(3.0, abs=0.01)
    fast = docked(0.9, seconds=4.3, within=0.1, slower_than=0.5)
    assert read(fast, "latches_closed") == 0.0, "it was too fast"


def test_a_target_that_is_not_in_the_cast_is_said():
    for holder in (
        DriftHolder(id="one", target="nobody"),
        DriftHolder(id="one", holds="distance"),
        AttitudeHolder(id="one", pitch="velocity", relative_to="nobody"),
    ):
        made = flown(holder, seconds=0.5)
        assert "no_body" in [one.name for one in cautions.find(made.job, made)], holder
